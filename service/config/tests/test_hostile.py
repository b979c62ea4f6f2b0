"""What a hostile or broken client sends is answered in words and in one shape, and costs nothing."""

import errno
import io
import json
import os
import tempfile
from pathlib import Path
from unittest import mock

from django.contrib.auth import get_user_model
from django.contrib.sessions.backends.db import SessionStore
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError
from django.test import Client, SimpleTestCase, TestCase, override_settings

from demo.loose_files import draw_loose_file
from files.folders import BoundedFolder
from jobs import actions
from jobs.models import Job, Revision
from people.middleware import DEMO_USER

SHAPE = {"code", "message", "what_to_do", "where"}
LINE = "pieces/p1/layers/l1/lines/k1"


class HostileTest(TestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        cls.user = get_user_model().objects.create_user("ada")
        cls.job = actions.start_job(cls.user, draw_loose_file("lighthouse.jpg"), "a.jpg")

    def setUp(self) -> None:
        self.client = Client(raise_request_exception=False)
        self.client.force_login(self.user)

    def changed(self, *changes: object, seen: object = 1) -> tuple[int, dict]:
        body = json.dumps({"seen": seen, "changes": list(changes)})
        answer = self.client.post(f"/api/jobs/{self.job.id}/changes", body, "application/json")
        return answer.status_code, answer.json()

    def test_changes_that_make_no_ticket_are_refused_and_nothing_is_kept(self) -> None:
        far = 10**400
        for change in (
            {"path": "artworks/a1/file", "value": "0" * 64}, {"path": f"{LINE}/offset/distance", "value": far},
            {"path": f"{LINE}/name", "value": "\ud800"},
            {"path": f"{LINE}/offset/distance/x", "value": 1, "operation": "add"},
            {"path": "nothing/at/all", "value": {"id": "x"}, "operation": "add"},
            {"path": f"{LINE}/source", "value": {"kind": "chosen colours", "colours": [{"id": "c1", "colour": ""}]}},
            {"path": "artworks", "value": {"id": "a9"}, "operation": "add"},
            {"path": "sheets/s1/machine/spots/0/cmyk", "value": [0, 0, 0, float("nan")]},
            {"path": "sheets/s1/machine/spots",
             "value": [{"process": "score", "ink": "x", "cmyk": [float("nan"), 0, 0, 0]}]},
            {"path": "sheets", "value": {"id": "s9"}, "operation": "add"}, {"path": "", "value": far},
            {"path": "pieces/p1/quantity", "value": far}, {"path": "due", "value": far},
            {"path": "x" * 60_000, "value": 1}, {"path": f"{LINE}/id", "value": {"a": [[[[]]]]}},
        ):  # fmt: skip
            with self.subTest(str(change)[:80]):
                code, told = self.changed(change)
                self.assertEqual((code, set(told)), (422, SHAPE))
        for seen in (2, 10**6, -1, 0):
            self.assertEqual(self.changed({"path": f"{LINE}/offset/distance", "value": 3}, seen=seen)[0], 422)
        self.assertEqual(self.job.revisions.count(), 1)

    def test_odd_requests_are_answered_in_the_one_shape(self) -> None:
        files = {f"f{n}": SimpleUploadedFile("a.png", b"x") for n in range(200)}
        many = self.client.post("/api/jobs", files)
        unbounded = self.client.post("/api/jobs", b"--x", content_type="multipart/form-data")
        long_name = self.client.post("/api/jobs", {"file": SimpleUploadedFile("n" * 4000 + ".png", b"x")})
        large = self.client.post(
            f"/api/jobs/{self.job.id}/changes", b" " * 20_500_000, content_type="application/json"
        )  # fmt: skip
        searched = self.client.get("/api/jobs", {"search": "% _" * 20_000})
        host = self.client.get("/api/session", HTTP_HOST="elsewhere.example")
        for answer, codes in (
            (many, {400}), (unbounded, {400, 422}), (long_name, {422}), (large, {413}), (host, {400}),
        ):  # fmt: skip
            with self.subTest(codes=codes):
                self.assertIn(answer.status_code, codes)
                self.assertEqual(set(answer.json()), SHAPE)
        self.assertEqual((searched.status_code, searched.json()["cards"]), (200, []))

    def test_a_kept_ticket_that_cannot_be_read_opens_one_revision_earlier(self) -> None:
        self.changed({"path": f"{LINE}/offset/distance", "value": 4.0})
        Revision.objects.create(
            job=self.job, number=3, kind=Revision.Kind.CHANGE, words="spoilt", whole={"schema": 4, "pieces": 7},
            state=3, parent=2,
        )  # fmt: skip
        opened = self.client.get(f"/api/jobs/{self.job.id}").json()
        self.assertEqual(opened["ticket"]["pieces"][0]["layers"][0]["lines"][0]["offset"]["distance"], 4.0)
        self.assertIn("before “spoilt”", opened["revision"]["words"])
        self.assertEqual(self.changed({"path": f"{LINE}/offset/distance", "value": 5.0}, seen=4)[0], 200)

    def test_a_full_disk_is_named(self) -> None:
        for error in (OSError(errno.ENOSPC, "No space left on device"), OperationalError("database or disk is full")):
            with (
                mock.patch.object(actions, "_append", side_effect=error),
                mock.patch("files.results.give_up") as results, mock.patch("files.pictures.give_up") as pictures,
            ):  # fmt: skip
                code, told = self.changed({"path": f"{LINE}/offset/distance", "value": 3.0})
            self.assertEqual((code, told["code"]), (507, "disk-full"))
            self.assertTrue(results.called and pictures.called)
        self.assertEqual(Job.objects.get().revisions.count(), 1)


class FolderTest(SimpleTestCase):
    def test_drafts_never_stay_and_the_bound_holds_over_processes(self) -> None:
        with tempfile.TemporaryDirectory() as place:
            folders = [BoundedFolder(Path(place), 100_000) for _ in range(2)]
            names = [f"{n:064x}" for n in range(40)]
            for n, name in enumerate(names):
                self.assertTrue(folders[n % 2].write(name, bytes(5_000)))
                os.utime(folders[0].place(name), (n, n))
            self.assertIsNone(folders[0].read(names[0]))
            held = sum(file.stat().st_size for file in Path(place).glob("*/*"))
            self.assertLessEqual(held, 110_000)
            with mock.patch.object(Path, "replace", side_effect=OSError(errno.ENOSPC, "full")):
                self.assertFalse(folders[0].write("f" * 64, b"half"))
            self.assertEqual([file.name for file in Path(place).glob("*/*") if "." in file.name], [])


class AddressTest(TestCase):
    def test_no_address_of_the_api_answers_in_another_shape_or_is_cached(self) -> None:
        self.client.force_login(get_user_model().objects.create_user("ada"))
        for method, path, status in (
            ("get", "/api/nonsense", 404), ("get", "/api/", 404), ("post", "/api/jobs/1/nonsense/at/all", 404),
            ("put", "/api/jobs", 405), ("delete", "/api/jobs", 405),
        ):  # fmt: skip
            answer = getattr(self.client, method)(path)
            self.assertEqual((answer.status_code, set(answer.json())), (status, SHAPE), path)
            self.assertEqual(answer["Cache-Control"], "no-store")
        self.assertEqual(self.client.get("/api/jobs")["Cache-Control"], "no-store")


class FullDiskTest(TestCase):
    def test_signing_in_says_so_and_so_does_the_key_of_the_demo(self) -> None:
        get_user_model().objects.create_user("ada", password="a long enough word")
        get_user_model().objects.create_user(DEMO_USER)
        client = Client(raise_request_exception=False)
        good = {"name": "ada", "password": "a long enough word"}
        for error, code in (("database or disk is full", "disk-full"), ("readonly database", "disk-read-only")):
            with mock.patch.object(SessionStore, "save", side_effect=OperationalError(error)):
                answer = client.post("/api/session", good, "application/json")
                self.assertEqual((answer.status_code, answer.json()["code"]), (507, code))
                with override_settings(DEMO=True, DEMO_KEY="printed"):
                    page = client.get("/?key=printed")
                self.assertEqual(page.status_code, 507)
                self.assertRegex(page.content.decode(), "disk is full|cannot be written")


class AnswerTest(SimpleTestCase):
    def test_a_guarded_child_s_answer_makes_values_only(self) -> None:
        import pickle

        import numpy as np

        from nibble_core.errors import UnreadableFile
        from nibble_core.geometry import Path as Outline
        from nibble_core.pipeline.guarded import OwnValuesOnly

        def loaded(value: object) -> object:
            return OwnValuesOnly(io.BytesIO(pickle.dumps(value, protocol=5))).load()

        kind, words = loaded((UnreadableFile, ("a", "b")))  # type: ignore[misc]
        self.assertEqual((kind, words), (UnreadableFile, ("a", "b")))
        circle = loaded(Outline.circle(1, 2, 3))
        self.assertTrue(np.array_equal(circle.rows, Outline.circle(1, 2, 3).rows))  # type: ignore[attr-defined]

        class Acts:
            def __reduce__(self) -> tuple:
                return os.getcwd, ()

        for hostile in (Acts(), os.system, json.loads):
            with self.assertRaises(pickle.UnpicklingError):
                loaded(hostile)
