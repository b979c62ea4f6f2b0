"""Changes, undo and redo over a job's whole history, and two people at once."""

import io
import random
import threading
import zipfile

from django.contrib.auth import get_user_model
from django.db import connection
from django.test import TestCase, TransactionTestCase
from django.utils import timezone

from demo.loose_files import draw_loose_file
from jobs import actions
from jobs.keeping import ticket_of
from jobs.models import Job, Revision
from nibble_core.errors import InvalidTicket, NibbleError
from nibble_core.ticket import Change, first_ticket, to_plain
from nibble_core.ticket.model import Placed

DISTANCE = "pieces/p1/layers/l1/lines/k1/offset/distance"


class RevisionTest(TestCase):
    def setUp(self) -> None:
        users = get_user_model().objects
        self.ada, self.ben = users.create_user("ada"), users.create_user("ben")
        ticket = first_ticket(name="Badge", file="0" * 64, file_name="badge.png")
        self.job = actions.keep_new_job(self.ada, ticket, "started")

    def newest(self) -> Revision:
        newest = self.job.revisions.last()
        assert newest is not None
        return newest

    def set(self, path: str, value: object, seen: int | None = None, author: object = None) -> Revision:
        number = self.newest().number if seen is None else seen
        return actions.change_job(author or self.ada, self.job.id, number, [Change(path, value)])  # type: ignore[arg-type]

    def test_an_accepted_note_bears_who_accepted_it_whatever_is_sent_and_is_undone_like_anything(self) -> None:
        sent = {"id": "n1", "said": "Thin.", "by": "Somebody else", "on": "1999-01-01"}
        made = actions.change_job(self.ben, self.job.id, 1, [Change("accepted", sent, "add")])
        (kept,) = made.ticket["accepted"]
        self.assertEqual((kept["by"], kept["on"]), ("ben", timezone.localdate().isoformat()))
        self.assertIn("Thin.", made.words)
        self.assertEqual(actions.undo(self.ada, self.job.id, made.number).ticket["accepted"], [])

    def test_what_is_done_after_the_files_is_ticked_with_a_name_and_taken_back(self) -> None:
        actions.tick_job(self.ben, self.job.id, "weeded", True)
        done = actions.tick_job(self.ada, self.job.id, "printed", True).done
        self.assertEqual([(one["step"], one["by"]) for one in done], [("printed", "ada"), ("weeded", "ben")])
        self.assertEqual(
            [one["step"] for one in actions.tick_job(self.ada, self.job.id, "weeded", False).done], ["printed"]
        )
        with self.assertRaises(InvalidTicket):
            actions.tick_job(self.ada, self.job.id, "eaten", True)

    def test_a_piece_of_another_job_is_brought_and_its_later_change_offered(self) -> None:
        ticket = first_ticket(name="Other", file="0" * 64, file_name="other.png", quantity=3)
        other = actions.keep_new_job(self.ben, ticket, "started")
        self.client.force_login(self.ada)
        here = f"/api/jobs/{self.job.id}"
        told = self.client.post(
            f"{here}/sheets/s1/bring", {"seen": 1, "job": other.id, "piece": "p1"}, content_type="application/json"
        ).json()
        piece = told["ticket"]["pieces"][1]
        self.assertEqual((piece["origin"][0]["job"], told["moved_on"]), (other.id, []))
        actions.change_job(self.ben, other.id, 1, [Change(DISTANCE, 6.0)])
        told = self.client.get(here).json()
        self.assertEqual([(one["piece"], one["of"]) for one in told["moved_on"]], [(piece["id"], "Other")])
        again = self.client.post(
            f"{here}/pieces/{piece['id']}/bring-again", {"seen": 2}, content_type="application/json"
        ).json()
        self.assertEqual(again["moved_on"], [])
        self.assertEqual(again["ticket"]["pieces"][1]["layers"][0]["lines"][0]["offset"]["distance"], 6.0)
        self.assertIn("brought anew", again["revision"]["words"])
        for body in ({"seen": 3, "job": self.job.id, "piece": "p1"}, {"seen": 3, "job": other.id, "piece": "p9"}):
            answer = self.client.post(f"{here}/sheets/s1/bring", body, content_type="application/json")
            self.assertEqual(answer.status_code, 422)

    def test_files_join_a_job_as_pieces_and_so_do_the_parts_of_a_zip(self) -> None:
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as files:
            files.writestr("oars_logo.png", draw_loose_file("crossed-oars.png"))
            files.writestr("sign.svg", draw_loose_file("boat-sign.svg"))
            files.writestr("spoilt.png", b"nothing")
        job = actions.start_job(self.ada, packed.getvalue(), "from client.zip")
        ticket = ticket_of(actions.add_parts(self.ada, job.id, 1, "a1"))
        first = ticket.artworks[0].part or "oars_logo.png"
        self.assertEqual({first, *(one.part for one in ticket.artworks[1:])}, {"oars_logo.png", "sign.svg"})
        self.assertIn("1 cannot be read", job.revisions.last().words)
        with self.assertRaisesRegex(NibbleError, "spoilt.png"):  # all that is left of it
            actions.add_parts(self.ada, job.id, 2, "a1")
        made = ticket_of(actions.add_piece(self.ada, job.id, 2, draw_loose_file("boat-sign.svg"), "boat_sign-2.svg"))
        self.assertEqual(made.pieces[-1].name, "boat sign 2")
        self.assertEqual([held.layer for held in made.sheets[0].holds], ["l1", "l2", "l3"])
        self.assertEqual([made.wanted(piece) for piece in made.pieces], [1, 1, 1])
        placed = to_plain((Placed("n1", "l1", 10, 10),))
        by_hand = actions.change_job(self.ada, job.id, 3, [
            Change("sheets/s1/placed", placed), Change("sheets/s1/arrangement", "as placed"),
            Change("sheets/s1/own_quantity", 6),
        ])  # fmt: skip
        self.assertEqual([ticket_of(by_hand).wanted(piece) for piece in made.pieces], [6, 6, 6])
        beside = ticket_of(actions.add_piece(self.ada, job.id, 4, draw_loose_file("crossed-oars.png"), "oars.png"))
        self.assertEqual(
            [[held.layer for held in sheet.holds] for sheet in beside.sheets], [["l1", "l2", "l3"], ["l4"]]
        )

    def test_undo_and_redo_walk_the_whole_history(self) -> None:
        tickets = [self.newest().ticket]
        for distance in (3.0, 4.0, 5.0):
            tickets.append(self.set(DISTANCE, distance).ticket)
        for ticket in reversed(tickets[:-1]):
            self.assertEqual(actions.undo(self.ada, self.job.id, self.newest().number).ticket, ticket)
        with self.assertRaises(actions.NothingToUndo):
            actions.undo(self.ada, self.job.id, self.newest().number)
        for ticket in tickets[1:]:
            self.assertEqual(actions.redo(self.ada, self.job.id, self.newest().number).ticket, ticket)
        with self.assertRaises(actions.NothingToUndo):
            actions.redo(self.ada, self.job.id, self.newest().number)

    def test_any_walk_matches_a_plain_stack(self) -> None:
        rng = random.Random(4)
        done, undone = [self.newest().ticket], []
        for step in range(80):
            act = rng.choice(["change", "undo", "redo"])
            number = self.newest().number
            if act == "change":
                done.append(self.set(DISTANCE, step / 10 + 1).ticket)
                undone = []
            elif act == "undo" and len(done) > 1:
                undone.append(done.pop())
                actions.undo(self.ada, self.job.id, number)
            elif act == "redo" and undone:
                done.append(undone.pop())
                actions.redo(self.ada, self.job.id, number)
            self.assertEqual(self.newest().ticket, done[-1])
        self.assertEqual(
            list(self.job.revisions.values_list("number", flat=True)), list(range(1, self.newest().number + 1))
        )

    def test_undo_says_whose_change_it_takes_back(self) -> None:
        self.set(DISTANCE, 3.0, author=self.ben)
        undone = actions.undo(self.ada, self.job.id, self.newest().number)
        self.assertIn("ben’s through cut: distance to 3.0 mm", undone.words)

    def test_changes_to_different_values_both_stand(self) -> None:
        seen = self.newest().number
        self.set(DISTANCE, 3.0, seen, self.ada)
        merged = self.set("sheets/s1/spacing", 9.0, seen, self.ben).ticket
        self.assertEqual(merged["pieces"][0]["layers"][0]["lines"][0]["offset"]["distance"], 3.0)
        self.assertEqual(merged["sheets"][0]["spacing"], 9.0)

    def test_changes_to_the_same_value_are_refused_with_both_sentences(self) -> None:
        seen = self.newest().number
        self.set(DISTANCE, 3.0, seen, self.ada)
        for change in (Change(DISTANCE, 4.0), Change("pieces/p1/layers/l1/lines/k1", operation="remove")):
            with self.assertRaises(actions.ChangedMeanwhile) as caught:
                actions.change_job(self.ben, self.job.id, seen, [change])
            self.assertIn("ada has meanwhile: through cut: distance to 3.0 mm", caught.exception.message)
        self.assertEqual(self.newest().number, 2)

    def test_an_undo_counts_as_touching_what_it_takes_back(self) -> None:
        self.set(DISTANCE, 3.0)
        seen = self.newest().number
        actions.undo(self.ada, self.job.id, seen)
        with self.assertRaises(actions.ChangedMeanwhile):
            self.set(DISTANCE, 5.0, seen, self.ben)
        with self.assertRaises(actions.ChangedMeanwhile):
            actions.undo(self.ben, self.job.id, seen)

    def test_a_refused_change_writes_nothing(self) -> None:
        with self.assertRaises(InvalidTicket):
            self.set(DISTANCE, 1e9)
        self.assertEqual(self.newest().number, 1)

    def test_duplicate_starts_a_history_of_its_own(self) -> None:
        self.set(DISTANCE, 3.0)
        copied = actions.duplicate_job(self.ben, self.job.id)
        newest = copied.revisions.get()
        self.assertEqual(newest.ticket["pieces"], self.newest().ticket["pieces"])
        self.assertEqual((newest.ticket["name"], newest.ticket["due"]), ("Badge, again", None))


class AtOnceTest(TransactionTestCase):
    def test_changes_made_at_once_all_stand_but_those_to_one_value(self) -> None:
        ada = get_user_model().objects.create_user("ada")
        job = actions.keep_new_job(ada, first_ticket(name="Badge", file="0" * 64, file_name="badge.png"), "started")
        spread: list[tuple[str, object]] = [
            ("name", "Crest"), ("client", "Harbour"), ("pieces/p1/quantity", 7), ("sheets/s1/spacing", 9.0),
            ("sheets/s1/mark_gap", 8.0),
        ]  # fmt: skip
        asked = spread + [(DISTANCE, 3.0 + k) for k in range(4)]
        together = threading.Barrier(len(asked))
        stood: list[tuple[str, object]] = []
        refused: list[str] = []

        def ask(path: str, value: object) -> None:
            together.wait()
            try:
                actions.change_job(ada, job.id, 1, [Change(path, value)])
                stood.append((path, value))
            except actions.ChangedMeanwhile:
                refused.append(path)
            finally:
                connection.close()

        threads = [threading.Thread(target=ask, args=one) for one in asked]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(refused, [DISTANCE] * 3)
        numbers = list(job.revisions.order_by("number").values_list("number", flat=True))
        self.assertEqual(numbers, list(range(1, 2 + len(stood))))
        newest = job.revisions.last()
        assert newest is not None
        ticket = ticket_of(newest)
        line = ticket.pieces[0].layers[0].lines[0]
        now = [
            ticket.name,
            ticket.client,
            ticket.pieces[0].quantity,
            ticket.sheets[0].spacing,
            ticket.sheets[0].mark_gap,
        ]
        self.assertEqual(now, [value for _, value in spread])
        self.assertIn((DISTANCE, line.offset.distance), stood)


class StartTest(TestCase):
    def setUp(self) -> None:
        self.user = get_user_model().objects.create_user("ada")
        self.client.force_login(self.user)

    def upload(self, name: str, content: bytes) -> tuple[int, dict]:
        from django.core.files.uploadedfile import SimpleUploadedFile

        answer = self.client.post("/api/jobs", {"file": SimpleUploadedFile(name, content)})
        return answer.status_code, answer.json()

    def test_a_picture_starts_a_job_that_can_be_found_duplicated_and_put_away(self) -> None:
        code, told = self.upload("crossed-oars.png", draw_loose_file("crossed-oars.png"))
        self.assertEqual(code, 200)
        job = self.client.get(f"/api/jobs/{told['id']}").json()
        self.assertEqual(job["ticket"]["name"], "Crossed oars")
        self.client.post(
            f"/api/jobs/{told['id']}/changes",
            {
                "seen": 1,
                "changes": [{"path": "client", "value": "North Mole Rowers"}, {"path": "due", "value": "2027-01-09"}],
            },
            "application/json",
        )
        found = self.client.get("/api/jobs?search=mole oars").json()["cards"]
        self.assertEqual([(card["client"], card["due"]) for card in found], [("North Mole Rowers", "2027-01-09")])
        self.assertEqual(self.client.get("/api/jobs?search=kite").json()["cards"], [])
        self.client.post(f"/api/jobs/{told['id']}/duplicate", {}, "application/json")
        self.client.post(f"/api/jobs/{told['id']}/archive", {"archived": True}, "application/json")
        names = lambda query: [card["name"] for card in self.client.get(f"/api/jobs?{query}").json()["cards"]]  # noqa: E731
        self.assertEqual((names(""), names("archived=true")), (["Crossed oars, again"], ["Crossed oars"]))

    def test_bad_files_are_refused_in_words_and_start_nothing(self) -> None:
        good = draw_loose_file("lighthouse.jpg")
        for name, content in (
            ("empty.png", b""), ("cut.jpg", good[: len(good) // 2]), ("page.png", b"<html><script>1</script>"),
            ("logo.png", good), ("tool.exe", b"MZ\x90"),
        ):  # fmt: skip
            with self.subTest(name):
                code, told = self.upload(name, content)
                self.assertEqual(code, 422)
                self.assertTrue(told["message"] and told["what_to_do"])
        self.assertEqual(Job.objects.count(), 0)

    def test_errors_have_one_shape_and_no_traces(self) -> None:
        missing = self.client.get("/api/jobs/999")
        self.assertEqual((missing.status_code, set(missing.json())), (404, {"code", "message", "what_to_do", "where"}))
        odd = self.client.post("/api/jobs/1/changes", {"seen": "x"}, "application/json")
        self.assertEqual((odd.status_code, odd.json()["code"]), (422, "misshapen"))

    def test_the_core_s_errors_are_all_told_with_words(self) -> None:
        kinds = NibbleError.__subclasses__()
        codes = [kind.__dict__.get("code") for kind in kinds]
        self.assertNotIn(None, codes, kinds)
        self.assertEqual(len(set(codes)), len(codes), codes)
