"""Files by hash, the guarded reader, and what a browser is given."""

import os
import tempfile
from pathlib import Path

import numpy as np
from django.contrib.auth import get_user_model
from django.test import SimpleTestCase, TestCase

from demo.loose_files import draw_loose_file
from files import blobs
from files.reader import Reader
from files.results import DiskStore
from jobs import actions
from nibble_core.errors import FileTooLarge, UnreadableFile
from nibble_core.pipeline.packing import packed


class BlobTest(SimpleTestCase):
    def test_files_are_kept_once_by_their_hash(self) -> None:
        content = os.urandom(1000)
        sha256 = blobs.keep(content)
        self.assertEqual(blobs.keep(content), sha256)
        self.assertEqual(blobs.fetch(sha256), content)
        self.assertEqual([p.name for p in blobs.path(sha256).parent.iterdir() if p.name.startswith("tmp")], [])

    def test_only_hashes_name_files(self) -> None:
        for name in ("../secret", "0" * 63, "A" * 64, ""):
            with self.subTest(name), self.assertRaises(FileNotFoundError):
                blobs.path(name)


class ReaderTest(SimpleTestCase):
    def test_pictures_come_back_from_the_child_and_errors_keep_their_words(self) -> None:
        reader = Reader()
        picture = reader.read(draw_loose_file("crossed-oars.png"), "crossed-oars.png")
        self.assertEqual(picture.facts.width_px, 240)
        with self.assertRaises(UnreadableFile) as caught:
            reader.read(b"", "logo.png")
        self.assertIn("“logo.png” is empty", caught.exception.message)

    def test_a_bomb_is_refused_by_a_warmed_child(self) -> None:
        reader = Reader()
        reader.warm_up()
        header = draw_loose_file("crossed-oars.png")[:16] + (60_000).to_bytes(4, "big") * 2
        with self.assertRaises((FileTooLarge, UnreadableFile)):
            reader.read(header + draw_loose_file("crossed-oars.png")[24:], "huge.png")

    def test_a_child_that_died_while_it_waited_is_no_fault_of_the_next_file(self) -> None:
        reader = Reader()
        reader.warm_up()
        assert reader._spare is not None
        reader._spare[0].kill()
        reader._spare[0].join()
        self.assertEqual(reader.read(draw_loose_file("crossed-oars.png"), "a.png").facts.width_px, 240)


class ResultTest(SimpleTestCase):
    def test_results_outlive_the_memory_and_the_oldest_go_first(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            store = DiskStore(Path(folder), most_bytes=200_000, in_memory=1000)
            keys = [f"{n:064x}" for n in range(60)]
            for n, key in enumerate(keys):
                store.put(key, bytes(10_000))
                os.utime(next(Path(folder).glob(f"*/{key}")), (n, n))
            again = DiskStore(Path(folder), most_bytes=200_000, in_memory=1000)
            self.assertIsNone(again.get(keys[0]))
            self.assertEqual(again.get(keys[-1]), bytes(10_000))

    def test_a_spoilt_result_is_no_result(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder) / "ab" / ("ab" + "0" * 62)
            place.parent.mkdir()
            whole = b"".join(packed([np.arange(100), "a"]))
            for spoilt in (whole[:-1], whole[: len(whole) // 2], whole + bytes(64), bytes(8), b"", b"\xff" * 400):
                place.write_bytes(spoilt)
                self.assertIsNone(DiskStore(Path(folder), 10**6, 10**6).get(place.name))


class DownloadTest(TestCase):
    def test_a_client_s_file_is_a_download_never_a_page(self) -> None:
        user = get_user_model().objects.create_user("ada")
        self.client.force_login(user)
        content = draw_loose_file("lighthouse.jpg")
        job = actions.start_job(user, content, '<b>light"house.jpg')
        answer = self.client.get(f"/api/jobs/{job.id}/artworks/a1")
        self.assertEqual(b"".join(answer.streaming_content), content)
        self.assertTrue(answer["Content-Disposition"].startswith("attachment"))
        self.assertEqual(answer["Content-Type"], "application/octet-stream")
        self.assertIn("sandbox", answer["Content-Security-Policy"])
        self.assertEqual(self.client.get("/api/pictures/..%2f..%2fsecret").status_code, 404)
        self.assertEqual(self.client.get("/api/pictures/" + "0" * 64).status_code, 404)
