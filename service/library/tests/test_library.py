"""The shop's own records: kept, refused in words, offered to jobs; a job's copy never changes by itself."""

import hashlib
import random

from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from PIL import ImageCms

from jobs import actions as jobs
from library import actions
from library.models import Record
from library.queries import library
from nibble_core.errors import InvalidTicket
from nibble_core.ticket import STARTING, Change, first_ticket, to_plain

VINYL = "matt-white-vinyl-1370"


class LibraryTest(TestCase):
    def setUp(self) -> None:
        self.user = get_user_model().objects.create_user("ada")
        self.client.force_login(self.user)

    def put(self, kind: str, key: str, value: object) -> tuple[int, dict]:
        answer = self.client.put(f"/api/library/{kind}/{key}", {"value": value}, content_type="application/json")
        return answer.status_code, answer.json()

    def test_begins_with_the_starting_set_and_keeps_what_is_changed(self) -> None:
        told = self.client.get("/api/library").json()
        self.assertEqual([one["name"] for one in told["stocks"]], [one.name for one in STARTING.stocks])
        value = to_plain(library().stock(VINYL)) | {"price": 9.5}
        status, told = self.put("stock", VINYL, value)
        self.assertEqual((status, told["stocks"][0]["price"]), (200, 9.5))
        self.assertEqual(library().stock(VINYL).price, 9.5)
        self.assertEqual(len(library().settings), len(STARTING.settings))
        added = self.client.post(
            "/api/library/stock", {"value": value | {"name": "matt white vinyl, cut to sheets"}},
            content_type="application/json",
        ).json()  # fmt: skip
        self.assertEqual(added["stocks"][-1]["key"], "matt-white-vinyl-cut-to-sheets")

    def test_values_that_cannot_be_are_refused_in_words_and_nothing_is_written(self) -> None:
        value = to_plain(STARTING.stock(VINYL))
        machine = to_plain(STARTING.machine("desk-cutter"))
        wrong = [
            ("stock", VINYL, value | {"usable_width": 1e300}), ("stock", VINYL, value | {"colour": "#zzzzzz"}),
            ("stock", VINYL, value | {"name": ""}), ("stock", VINYL, value | {"name": STARTING.stocks[1].name}),
            ("stock", VINYL, {"name": "x", "unknown": 1}), ("stock", "nowhere", value | {"name": "other"}),
            ("machine", "desk-cutter", machine | {"formats": ["xyz"]}),
            ("machine", "desk-cutter", machine | {"formats": []}),
            ("machine", "desk-cutter", machine | {"spots": machine["spots"] * 2}),
            ("machine", "desk-cutter", machine | {"spots": [{"process": "fly"}]}),
        ]  # fmt: skip
        before = self.client.get("/api/library").json()
        for kind, key, record in wrong:
            with self.subTest(kind=kind, record=str(record)[:60]):
                status, told = self.put(kind, key, record)
                self.assertEqual((status, told["code"]), (422, "invalid-ticket"))
                self.assertTrue(told["message"])
        self.assertEqual(self.client.get("/api/library").json(), before)
        self.assertEqual(self.client.put("/api/library/boat/x", "{}", content_type="application/json").status_code, 422)
        self.client.logout()
        self.assertEqual(self.client.get("/api/library").status_code, 401)

    def test_strange_values_never_do_harm(self) -> None:
        rng = random.Random(5)
        strange = [None, True, -1, 10**400, 1e308, "", "x" * 500, [], {}, [1], "\ud800", {"id": 1}]
        fields = list(to_plain(STARTING.machines[0]))
        for _ in range(150):
            value = to_plain(STARTING.machines[0])
            for name in rng.sample(fields, 3):
                value[name] = rng.choice(strange)
            try:
                actions.keep_record("machine", "wide-camera-cutter", value)
            except InvalidTicket:
                continue
        self.assertEqual(len(library().machines), len(STARTING.machines))

    def test_a_job_keeps_its_copy_and_is_offered_the_newer_record(self) -> None:
        job = jobs.keep_new_job(self.user, first_ticket(name="B", file="0" * 64, file_name="b.png"), "started")
        self.assertEqual(self.client.get(f"/api/jobs/{job.pk}").json()["outdated"], [])
        actions.keep_record("stock", VINYL, to_plain(library().stock(VINYL)) | {"usable_width": 1111.0})
        told = self.client.get(f"/api/jobs/{job.pk}").json()
        self.assertEqual([one["path"] for one in told["outdated"]], ["sheets/s1/stock"])
        self.assertEqual(told["ticket"]["sheets"][0]["stock"]["usable_width"], 1340.0)
        jobs.change_job(self.user, job.pk, 1, [Change("sheets/s1/stock", VINYL)])
        told = self.client.get(f"/api/jobs/{job.pk}").json()
        self.assertEqual((told["outdated"], told["ticket"]["sheets"][0]["stock"]["usable_width"]), ([], 1111.0))

    def test_settings_come_with_stock_and_machine(self) -> None:
        actions.keep_settings(
            "desk-cutter", VINYL, [{"id": "a", "process": "kiss cut", "how": {"kind": "by knife", "force": 77}}]
        )
        job = jobs.keep_new_job(self.user, first_ticket(name="B", file="0" * 64, file_name="b.png"), "started")
        told = jobs.change_job(self.user, job.pk, 1, [Change("sheets/s1/machine", "desk-cutter")]).ticket
        self.assertEqual([one["how"]["force"] for one in told["sheets"][0]["settings"]], [77])
        for machine, rows in (("desk-cutter", [{"id": "a"}, {"id": "b"}]), ("boat", [{"id": "a"}])):
            with self.assertRaises(InvalidTicket):
                actions.keep_settings(machine, VINYL, rows)

    def test_a_stock_that_is_called_as_a_machine_takes_no_settings_of_it_along(self) -> None:
        stock = actions.keep_record("stock", "", to_plain(STARTING.stocks[0]) | {"name": "Small laser"}).key
        self.assertEqual(stock, "small-laser")
        held = Record.objects.filter(kind="settings", key="small-laser").count()
        actions.keep_settings(
            "small-laser",
            stock,
            [{"id": "a", "process": "engrave", "how": {"kind": "by beam", "power": 0.2, "speed": 100}}],
        )
        actions.remove_record("stock", stock)
        self.assertEqual(Record.objects.filter(kind="settings", key="small-laser").count(), held)

    def test_the_last_record_of_a_kind_stays(self) -> None:
        for machine in STARTING.machines[1:]:
            actions.remove_record("machine", machine.key)
        with self.assertRaises(InvalidTicket):
            actions.remove_record("machine", STARTING.machines[0].key)
        self.assertEqual(Record.objects.filter(kind="settings", key="desk-cutter").count(), 0)

    def test_a_colour_profile_is_looked_at_before_it_is_kept_and_goes_with_its_stock(self) -> None:
        made = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        for content, status in ((made, 200), (b"no profile at all", 422), (b"", 422)):
            file = SimpleUploadedFile("gloss.icc", content)
            answer = self.client.post("/api/profiles", {"file": file})
            self.assertEqual(answer.status_code, status, answer.content)
            self.assertTrue(answer.json().get("name") or answer.json().get("message"))
        sha256 = hashlib.sha256(made).hexdigest()
        value = to_plain(library().stock(VINYL))
        status, told = self.put("stock", VINYL, value | {"profile": "0" * 64})
        self.assertEqual((status, told["where"]), (422, "profile"))
        status, _ = self.put(
            "stock", VINYL, value | {"profile": sha256, "profile_name": "gloss", "rendering": "saturation"}
        )
        self.assertEqual((status, library().stock(VINYL).profile), (200, sha256))

    def test_how_the_shop_calls_its_files_is_checked_before_it_is_kept(self) -> None:
        rates = to_plain(library().rates)
        for pattern, status in (("{rev} {job} {purpose}", 200), ("{job}", 422), ("../{purpose}", 422)):
            body = {"value": rates | {"file_names": pattern}}
            answer = self.client.put("/api/library/rates", body, content_type="application/json")
            self.assertEqual(answer.status_code, status, answer.content)
        self.assertEqual(library().rates.file_names, "{rev} {job} {purpose}")
