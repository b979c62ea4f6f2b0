"""Pieces over HTTP: more artworks, the shop's own fonts, scaled distances, what is remembered of a client, views."""

from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase

from demo.loose_files import draw_loose_file
from files import blobs
from jobs import actions, queries
from jobs.keeping import ticket_of
from jobs.models import Job
from nibble_core.text.fonts import FOLDER
from nibble_core.ticket import Change, ticket_from_plain, to_plain
from nibble_core.ticket.model import Ticket

LINE = "pieces/p1/layers/l1/lines/k1"


class PieceTest(TransactionTestCase):
    def setUp(self) -> None:
        self.user = get_user_model().objects.create_user("ada")
        self.client.force_login(self.user)
        self.job = actions.start_job(self.user, draw_loose_file("crossed-oars.png"), "crossed-oars.png")

    def ticket(self, job: Job | None = None) -> Ticket:
        return ticket_from_plain(queries.newest_revision((job or self.job).pk).ticket)

    def change(self, *changes: Change, job: Job | None = None) -> None:
        job = job or self.job
        actions.change_job(self.user, job.pk, queries.newest_revision(job.pk).number, changes)

    def layer(self) -> dict:
        work = self.client.get(f"/api/jobs/{self.job.pk}/work")
        self.assertEqual(work.status_code, 200)
        return work.json()["layers"]["l1"]

    def test_another_file_joins_the_piece(self) -> None:
        upload = SimpleUploadedFile("sign.svg", draw_loose_file("boat-sign.svg"))
        answer = self.client.post(f"/api/jobs/{self.job.pk}/pieces/p1/artworks?seen=1", {"file": upload})
        self.assertEqual(answer.status_code, 200)
        ticket = self.ticket()
        self.assertEqual([artwork.name for artwork in ticket.artworks], ["crossed-oars.png", "sign.svg"])
        self.assertEqual([element.artwork for element in ticket.pieces[0].elements], ["a1", "a2"])
        owners = {shape["element"] for shape in self.layer()["shapes"]}
        self.assertEqual(owners, {"e1", "e2"})

    def test_a_bad_file_leaves_the_piece_as_it_was(self) -> None:
        upload = SimpleUploadedFile("sign.svg", b"<svg")
        answer = self.client.post(f"/api/jobs/{self.job.pk}/pieces/p1/artworks?seen=1", {"file": upload})
        self.assertEqual(answer.status_code, 422)
        self.assertTrue(answer.json()["what_to_do"])
        self.assertEqual(len(self.ticket().artworks), 1)

    def test_a_font_of_the_shops_own_is_added_once_and_set(self) -> None:
        content = (FOLDER / "Oswald-SemiBold.ttf").read_bytes()
        for _ in range(2):
            font = self.client.post("/api/fonts", {"file": SimpleUploadedFile("house.ttf", content)}).json()
        self.assertEqual([one["sha256"] for one in self.client.get("/api/fonts").json()], [font["sha256"]])
        lettering = {"words": "Crew", "font": "the shop’s own", "own_font": font["sha256"]}
        self.change(Change("pieces/p1/elements", {"id": "e2", "content": {"kind": "text"} | lettering}, "add"))
        self.assertGreaterEqual(sum(1 for shape in self.layer()["shapes"] if shape["element"] == "e2"), 4)

    def test_what_is_no_font_is_answered_in_words(self) -> None:
        for content in (b"", b"\0\1\0\0" + b"\xff" * 999, draw_loose_file("crossed-oars.png")):
            answer = self.client.post("/api/fonts", {"file": SimpleUploadedFile("x.ttf", content)})
            self.assertEqual(answer.status_code, 422)
            self.assertIn("font", answer.json()["message"].lower())
        self.assertEqual(self.client.get("/api/fonts").json(), [])

    def test_a_font_that_is_gone_blocks_only_its_piece(self) -> None:
        font = blobs.keep(b"a font, once")
        lettering = {"words": "Crew", "font": "the shop’s own", "own_font": font}
        self.change(Change("pieces/p1/elements", {"id": "e2", "content": {"kind": "text"} | lettering}, "add"))
        blobs.path(font).unlink()
        work = self.client.get(f"/api/jobs/{self.job.pk}/work").json()
        lines = next(station for station in work["stations"] if station["key"] == "lines")
        self.assertEqual(lines["state"], "blocked")
        self.assertIn("font", lines["notes"][0]["text"])

    def test_distances_are_scaled_and_undone_as_one(self) -> None:
        address = f"/api/jobs/{self.job.pk}/scale-distances"
        answer = self.client.post(address, {"seen": 1, "factor": 2}, "application/json")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(self.ticket().pieces[0].layers[0].lines[0].offset.distance, 4.0)
        self.client.post(f"/api/jobs/{self.job.pk}/undo", {"seen": 2}, "application/json")
        self.assertEqual(self.ticket().pieces[0].layers[0].lines[0].offset.distance, 2.0)

    def test_what_can_be_added_is_told_for_a_layer(self) -> None:
        told = self.client.get(f"/api/jobs/{self.job.pk}/layers/l1/additions").json()
        self.assertIn("Engrave the shapes", [one["words"] for one in told["lines"]])
        self.assertEqual(told["elements"][0]["element"]["content"]["kind"], "text")
        self.assertEqual(self.client.get(f"/api/jobs/{self.job.pk}/layers/l9/additions").status_code, 404)

    def posted(self, way: str, **body: object) -> tuple[int, dict]:
        answer = self.client.post(f"/api/jobs/{self.job.pk}/{way}", {"seen": 1, **body}, "application/json")
        return answer.status_code, answer.json()

    def test_a_step_is_one_revision_with_its_words_and_is_undone_whole(self) -> None:
        code, told = self.posted("steps", step={"kind": "copy piece", "piece": "p1"})
        self.assertEqual((code, told["revision"]["words"]), (200, "a piece added, made of the same"))
        self.assertEqual([len(told["ticket"][name]) for name in ("pieces", "sheets")], [2, 2])
        actions.undo(self.user, self.job.pk, 2)
        self.assertEqual((len(self.ticket().pieces), len(self.ticket().sheets)), (1, 1))
        for step in (
            {"kind": "copy piece", "piece": "p7"}, {"kind": "fly"}, {"kind": "add layer"}, "copy piece",
            {"kind": "add layer", "piece": "p1", "colours": ["#12", "blue"]},
            {"kind": "split by colour", "piece": "p1", "colours": ["#112233"] * 5000},
            {"kind": "draw fold", "layer": "l1", "x": 1e300, "y": 0, "x2": 0, "y2": 0},
        ):  # fmt: skip
            with self.subTest(step):
                code, told = self.posted("steps", seen=3, step=step)
                self.assertEqual((code, set(told)), (422, {"code", "message", "what_to_do", "where"}))
        self.assertEqual(self.job.revisions.count(), 3)

    def test_a_click_is_one_change_and_means_what_lies_there(self) -> None:
        self.change(Change("pieces/p1/elements/e1/content", {"kind": "simple shape", "figure": "ring"}))
        hole = self.layer()["holes"][0]
        click = {"what": "hole", "x": hole["x"], "y": hole["y"]}
        code, told = self.posted("layers/l1/clicks", seen=2, **click)
        self.assertEqual((code, told["revision"]["words"]), (200, "hole set by hand"))
        code, told = self.posted("layers/l1/clicks", seen=3, **click)
        self.assertEqual((code, told["revision"]["words"]), (200, "hole taken back"))
        for way, more in (
            ("layers/l1/clicks", {"x": -0.9, "y": -0.9}), ("layers/l1/clicks", {"what": "moon"}),
            ("layers/l1/clicks", {"x": 7}), ("layers/l1/clicks", {"line": "k7"}),
        ):  # fmt: skip
            with self.subTest(more):
                self.assertEqual(self.posted(way, **{"seen": 4, **click, **more})[0], 422)
        self.assertEqual(self.posted("layers/l7/clicks", **click)[0], 404)
        self.assertEqual(self.job.revisions.count(), 4)

    def test_a_clients_inks_are_remembered(self) -> None:
        colours = [{"id": "c", "colour": "#ff0000", "named": "Crease"}]
        line = {"id": "ink0", "process": "score", "source": {"kind": "chosen colours", "colours": colours}}
        self.change(Change("client", "North Mole Rowers"), Change("pieces/p1/layers/l1/lines", line, "add"))
        other = actions.start_job(self.user, draw_loose_file("boat-sign.svg"), "boat-sign.svg")
        address = f"/api/jobs/{other.pk}/remembered"
        self.assertEqual(self.client.get(address).json(), [])
        self.change(Change("client", "north mole rowers"), job=other)
        remembered = self.client.get(address).json()
        self.assertEqual([(one["named"], one["process"]) for one in remembered], [("Crease", "score")])

    def test_the_view_holds_what_the_screen_shows(self) -> None:
        self.change(
            Change(f"{LINE}/process/ties", 3), Change("pieces/p1/layers/l1/prints/bleed", 1.0),
            Change("pieces/p1/hanger/kind", "a loop"),
        )  # fmt: skip
        layer = self.layer()
        self.assertEqual(len(layer["lines"][0]["ties"]), 3)
        self.assertEqual(layer["prints"][0]["kind"], "picture")
        self.assertIsNotNone(layer["hanging"])
        self.assertTrue(layer["looks"]["work"].startswith("M"))
        picture = self.client.get(layer["prints"][0]["url"])
        self.assertEqual(picture["Content-Type"], "image/png")

    def test_minutes_of_the_pieces_are_those_of_the_machine(self) -> None:
        for stock in ("matt-white-vinyl-1370", "birch-3mm"):
            self.change(
                Change("sheets/s1/stock", stock), Change("pieces/p1/quantity", 5),
                Change("pieces/p1/layers/l1/prints", "nothing"), Change(f"{LINE}/process/ties", 2),
            )  # fmt: skip
            work = self.client.get(f"/api/jobs/{self.job.pk}/work").json()
            whole = work["sheets"]["s1"]["minutes"]
            self.assertGreater(whole, 0.05)
            self.assertAlmostEqual(work["layers"]["l1"]["minutes"], whole, places=6)

    def test_a_layer_on_two_stocks_is_shown_as_the_weaker_holds_it(self) -> None:
        vinyl, wood = "matt-white-vinyl-1370", "birch-3mm"
        self.change(
            Change("artworks/a1/width", 20.0), Change(f"{LINE}/offset/distance", 0.1),
            Change(f"{LINE}/offset/close_gaps", 0.0), Change("pieces/p1/layers/l1/prints", "nothing"),
        )  # fmt: skip
        weak = {}
        for stock in (vinyl, wood):
            self.change(Change("sheets/s1/stock", stock))
            weak[stock] = len(self.layer()["looks"]["weak"])
        self.assertGreater(weak[wood], weak[vinyl])
        second = {**to_plain(ticket_of(queries.newest_revision(self.job.pk)).sheets[0]), "id": "s2"}
        self.change(Change("sheets", second, "add"), Change("sheets/s1/stock", vinyl))
        self.assertEqual(len(self.layer()["looks"]["weak"]), weak[wood])

    def test_signed_out_users_get_nothing(self) -> None:
        self.client.logout()
        for address in ("/api/fonts", f"/api/jobs/{self.job.pk}/remembered"):
            self.assertEqual(self.client.get(address).status_code, 401)
