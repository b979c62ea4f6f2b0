"""An edit answers with what it made different, from the very answer that whoever asks still has."""

from typing import Any

from django.contrib.auth import get_user_model
from django.test import TestCase

from jobs import actions
from library.models import Record
from library.queries import library
from nibble_core.ticket import changed_by, first_ticket, to_plain

DISTANCE = "pieces/p1/layers/l1/lines/k1/offset/distance"


class DifferingTest(TestCase):
    def setUp(self) -> None:
        ticket = first_ticket(name="Badge", file="0" * 64, file_name="badge.png")
        self.here = f"/api/jobs/{actions.keep_new_job(None, ticket, 'started').pk}"
        self.client.force_login(get_user_model().objects.create_user("ada"))
        self.told = self.client.get(self.here).json()

    def post(self, what: str, since: str, **body: object) -> Any:
        sent = {"seen": self.told["revision"]["number"], **body}
        return self.client.post(f"{self.here}/{what}?since={since}", sent, content_type="application/json").json()

    def change(self, value: float, since: str) -> Any:
        return self.post("changes", since, changes=[{"path": DISTANCE, "value": value}])

    def shown(self) -> Any:
        """The job as it is told whole, but for the answer's own name."""
        return {**self.client.get(self.here).json(), "answer": ""}

    def test_edits_undos_and_redos_say_little_and_lead_to_what_is_told_whole(self) -> None:
        whole = len(str(self.told))
        for act in (lambda since: self.change(4.5, since), lambda since: self.change(6.5, since),
                    lambda since: self.post("undo", since), lambda since: self.post("redo", since)):  # fmt: skip
            answer = act(self.told["answer"])
            self.assertEqual(answer["since"], self.told["answer"])
            self.assertLess(len(str(answer)), whole / 10)
            self.told = changed_by(self.told, answer["difference"])
            self.assertNotEqual(self.told["answer"], answer["since"])
            self.assertEqual({**self.told, "answer": ""}, self.shown())
        looked = self.client.get(f"{self.here}?since={self.told['answer']}").json()["difference"]
        self.assertEqual(list(looked), ["answer"])  # nothing else became different

    def test_a_record_that_the_shop_changed_meanwhile_is_in_the_difference(self) -> None:
        stock = next(one for one in library().stocks if one.key == self.told["ticket"]["sheets"][0]["stock"]["key"])
        Record.objects.create(kind="stock", key=stock.key, value={**to_plain(stock), "name": "Another name"})
        answer = self.change(4.5, self.told["answer"])
        self.assertIn("outdated", answer["difference"])
        self.told = changed_by(self.told, answer["difference"])
        self.assertEqual({**self.told, "answer": ""}, self.shown())

    def test_from_an_answer_that_is_not_known_here_or_of_another_job_the_whole_is_told(self) -> None:
        copied = self.client.post(f"{self.here}/duplicate").json()["id"]
        other = self.client.get(f"/api/jobs/{copied}").json()["answer"]
        for value, since in ((4.5, "0" * 16), (5.5, ""), (6.5, other)):
            answer = self.change(value, since)
            self.assertNotIn("difference", answer)
            self.told = answer
            self.assertEqual({**answer, "answer": ""}, self.shown())
