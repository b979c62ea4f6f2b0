"""What was made is taken off the shop's stock once, and offcuts are kept."""

from django.contrib.auth import get_user_model
from django.test import TransactionTestCase

from demo.loose_files import draw_loose_file
from jobs import actions
from library.queries import library
from nibble_core.ticket import STARTING, Change


class StocktakingTest(TransactionTestCase):
    def setUp(self) -> None:
        self.user = get_user_model().objects.create_user("ada")
        self.client.force_login(self.user)
        self.job = actions.start_job(self.user, draw_loose_file("crossed-oars.png"), "crossed-oars.png")

    def take(self, sheet: str = "s1") -> tuple[int, dict]:
        answer = self.client.post(f"/api/jobs/{self.job.pk}/sheets/{sheet}/take")
        return answer.status_code, answer.json()

    def choose(self, *changes: Change) -> dict:
        actions.change_job(self.user, self.job.pk, self.job.revisions.last().number, list(changes))
        return self.client.get(f"/api/jobs/{self.job.pk}/work").json()["sheets"]["s1"]

    def test_a_roll_gets_shorter_by_what_is_run_once(self) -> None:
        roll = next(one for one in STARTING.stocks if one.kind == "a roll" and one.length_left is not None)
        laid = self.choose(Change("sheets/s1/stock", roll.key), Change("pieces/p1/quantity", 40))
        status, told = self.take()
        self.assertEqual(status, 200, told)
        left = library().stock(roll.key).length_left
        assert left is not None and roll.length_left is not None
        self.assertAlmostEqual(roll.length_left - left, laid["height"] * laid["times"], places=2)
        self.assertIn("off the roll", told["said"])
        status, again = self.take()
        self.assertEqual((status, library().stock(roll.key).length_left), (422, left))
        self.assertIn("taken off already", again["message"])
        self.assertEqual([one["sheet"] for one in self.client.get(f"/api/jobs/{self.job.pk}/taken").json()], ["s1"])

    def test_the_larger_rest_of_a_sheet_is_a_stock_that_a_job_can_have(self) -> None:
        plate = next(one for one in STARTING.stocks if one.kind == "a sheet")
        laid = self.choose(Change("sheets/s1/stock", plate.key), Change("pieces/p1/quantity", 2))
        status, told = self.take()
        self.assertEqual(status, 200, told)
        (offcut,) = [one for one in library().stocks if "offcut" in one.name]
        beside = (plate.usable_width - laid["width"]) * plate.usable_length
        below = plate.usable_width * (plate.usable_length - laid["height"])
        self.assertAlmostEqual(offcut.usable_width * offcut.usable_length, max(beside, below), delta=1)
        self.assertIn(offcut.name, told["said"])
        laid = self.choose(Change("sheets/s1/stock", offcut.key))
        self.assertLessEqual(laid["width"], offcut.usable_width)

    def test_what_is_not_there_is_said(self) -> None:
        self.assertEqual(self.take("nowhere")[0], 404)
        actions.change_job(self.user, self.job.pk, 1, [Change("artworks/a1/width", 9000.0)])
        status, told = self.take()
        self.assertEqual((status, bool(told["message"])), (422, True))
        self.assertEqual(self.client.get(f"/api/jobs/{self.job.pk}/taken").json(), [])
