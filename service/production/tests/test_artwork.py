"""Try-outs, deviation, outlines as files, and another file under the same ticket."""

import json

from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase

from demo.degrade import as_png
from demo.drawings import oars
from demo.loose_files import draw_loose_file
from jobs import actions
from nibble_core.formats.svg_reader import read_svg
from nibble_core.ticket import Change


class ArtworkTest(TransactionTestCase):
    def setUp(self) -> None:
        self.user = get_user_model().objects.create_user("ada")
        self.client.force_login(self.user)
        self.job = actions.start_job(self.user, draw_loose_file("crossed-oars.png"), "crossed-oars.png")
        self.here = f"/api/jobs/{self.job.id}/artworks/a1"

    def change(self, path: str, value: object) -> None:
        newest = self.job.revisions.last()
        assert newest is not None
        actions.change_job(self.user, self.job.id, newest.number, [Change(path, value)])

    def test_a_setting_can_be_tried_without_being_kept(self) -> None:
        settings = self.client.get(f"{self.here}/try-outs").json()
        self.assertGreaterEqual(len(settings), 6)
        body = {"changes": settings[0]["changes"]}
        tried = self.client.post(f"{self.here}/try-outs", body, "application/json").json()
        self.assertTrue(tried["shapes"][0]["d"].startswith("M"))
        self.assertGreater(tried["thinnest"], 0)
        self.assertEqual(self.job.revisions.count(), 1)
        wrong = {"changes": [{"path": "artworks/a1/trace/mode", "value": "scribble"}]}
        answer = self.client.post(f"{self.here}/try-outs", wrong, "application/json")
        self.assertEqual(answer.status_code, 422)

    def test_deviation_is_told_in_millimetres_and_pixels(self) -> None:
        told = self.client.get(f"{self.here}/deviation").json()
        self.assertEqual(told["classes"], sorted(told["classes"]))
        self.assertLess(told["worst_px"], 0.25)  # of clean straight edges
        self.assertTrue(all(run["level"] <= 1 and run["d"].startswith("M") for run in told["runs"]))
        self.change("artworks/a1/trace/smooth", 1.0)
        told = self.client.get(f"{self.here}/deviation").json()
        self.assertGreater(len(told["runs"]), 3)
        self.assertAlmostEqual(told["worst"][2] / told["worst_px"], 100 / 240, delta=0.01)

    def test_outlines_come_as_files_in_every_format(self) -> None:
        for ending in ("svg", "pdf", "dxf", "json"):
            answer = self.client.get(f"{self.here}/outlines.{ending}")
            self.assertEqual(answer.status_code, 200)
            self.assertIn("attachment", answer["Content-Disposition"])
        self.assertEqual(self.client.get(f"{self.here}/outlines.exe").status_code, 404)
        self.change("artworks/a1/trace/mode", "colours")
        drawing = read_svg(self.client.get(f"{self.here}/outlines.svg").content).drawing
        self.assertEqual(len({shape.colour for shape in drawing.shapes}), 2)

    def test_another_file_keeps_the_ticket(self) -> None:
        self.change("artworks/a1/width", 64.0)
        better = SimpleUploadedFile("oars-large.png", as_png(oars(900, "#ffffff")))
        answer = self.client.post(f"{self.here}/file?seen=2", {"file": better})
        self.assertEqual(answer.status_code, 200, answer.content)
        artwork = answer.json()["ticket"]["artworks"][0]
        self.assertEqual((artwork["name"], artwork["width"]), ("oars-large.png", 64.0))
        bad = SimpleUploadedFile("oars.png", b"not a picture")
        refused = self.client.post(f"{self.here}/file?seen=3", {"file": bad})
        self.assertEqual(refused.status_code, 422)
        self.assertEqual(self.job.revisions.count(), 3)

    def test_drawings_start_jobs_and_hostile_ones_do_not(self) -> None:
        sign = actions.start_job(self.user, draw_loose_file("boat-sign.svg"), "boat-sign.svg")
        work = self.client.get(f"/api/jobs/{sign.id}/work").json()
        self.assertEqual(work["artworks"]["a1"]["kind"], "paths")
        self.assertIn("Pierhead Sans", json.dumps(work["stations"]))
        bomb = b'<!DOCTYPE svg [<!ENTITY a "aaaa">]><svg xmlns="http://www.w3.org/2000/svg">&a;</svg>'
        answer = self.client.post("/api/jobs", {"file": SimpleUploadedFile("bomb.svg", bomb)})
        self.assertEqual(answer.status_code, 422)
        self.assertTrue(answer.json()["message"].endswith("."))
