"""Who gets in, and who does not."""

import json
import threading

from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session
from django.test import SimpleTestCase, TestCase, override_settings

from people.middleware import DEMO_USER
from people.throttle import SIGN_INS, Throttle


class SignInTest(TestCase):
    def setUp(self) -> None:
        get_user_model().objects.create_user("ada", password="a long enough word")
        SIGN_INS.forget()

    def test_nothing_is_told_to_strangers(self) -> None:
        for path in ("/api/jobs", "/api/jobs/1", "/api/jobs/1/work", "/api/pictures/" + "0" * 64, "/api/tasks/1"):
            with self.subTest(path):
                answer = self.client.get(path)
                self.assertEqual((answer.status_code, answer.json()["code"]), (401, "signed-out"))
        self.assertEqual(self.client.post("/api/jobs/1/changes", "{}", "application/json").status_code, 401)

    def test_the_right_password_opens_and_signing_out_closes(self) -> None:
        wrong = self.client.post("/api/session", {"name": "ada", "password": "x"}, "application/json")
        self.assertEqual((wrong.status_code, wrong.json()["code"]), (422, "not-known"))
        right = self.client.post("/api/session", {"name": "ada", "password": "a long enough word"}, "application/json")
        self.assertTrue(right.json()["signed_in"])
        self.assertEqual(self.client.get("/api/jobs").status_code, 200)
        self.client.delete("/api/session")
        self.assertEqual(self.client.get("/api/jobs").status_code, 401)

    def test_changes_need_the_token_of_this_site(self) -> None:
        from django.test import Client

        strict = Client(enforce_csrf_checks=True)
        strict.force_login(get_user_model().objects.get(username="ada"))
        answer = strict.post("/api/jobs/loose-files", {"name": "lighthouse.jpg"}, "application/json")
        self.assertEqual(answer.status_code, 403)

    def test_every_page_carries_its_policy(self) -> None:
        answer = self.client.get("/api/session")
        self.assertIn("default-src 'self'", answer["Content-Security-Policy"])
        self.assertEqual((answer["X-Frame-Options"], answer["X-Content-Type-Options"]), ("DENY", "nosniff"))

    def test_signing_in_needs_the_token_and_is_slowed_down(self) -> None:
        from django.test import Client

        good = {"name": "ada", "password": "a long enough word"}
        strict = Client(enforce_csrf_checks=True)
        for kind in ("application/json", "text/plain"):
            answer = strict.post("/api/session", good, kind) if kind.endswith("json") else strict.post(
                "/api/session", json.dumps(good), kind, HTTP_ORIGIN="https://elsewhere.example"
            )  # fmt: skip
            self.assertEqual((answer.status_code, answer.json()["code"]), (403, "from-elsewhere"))
        for _ in range(5):
            wrong = self.client.post("/api/session", {**good, "password": "x"}, "application/json")
            self.assertEqual(wrong.json()["code"], "not-known")
        shut = self.client.post("/api/session", good, "application/json")
        self.assertEqual((shut.status_code, shut.json()["code"]), (429, "too-many-tries"))
        SIGN_INS.forget()
        self.assertEqual(self.client.post("/api/session", good, "application/json").status_code, 200)


class ThrottleTest(SimpleTestCase):
    def test_tries_made_at_once_count_each(self) -> None:
        throttle, start = Throttle(), threading.Barrier(12)
        let_in: list[bool] = []

        def attempt() -> None:
            start.wait()
            let_in.append(throttle.lets_in("ada", "10.0.0.1"))

        threads = [threading.Thread(target=attempt) for _ in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sum(let_in), 5)

    def test_an_address_is_counted_whatever_names_it_tries_and_right_ones_are_not(self) -> None:
        throttle = Throttle()
        self.assertEqual(sum(throttle.lets_in(f"name {k}", "10.0.0.1") for k in range(40)), 20)
        self.assertTrue(throttle.lets_in("ada", "10.0.0.2"))
        for _ in range(30):
            throttle.worked("ada", "10.0.0.2")
            self.assertTrue(throttle.lets_in("ada", "10.0.0.2"))


@override_settings(DEMO=True, DEMO_KEY="the-key-that-was-printed")
class DemoSignInTest(TestCase):
    def setUp(self) -> None:
        get_user_model().objects.create_user(DEMO_USER)

    def test_only_the_printed_address_signs_in(self) -> None:
        for headers in ({}, {"HTTP_HOST": "127.0.0.1:8370"}, {"HTTP_X_FORWARDED_FOR": "127.0.0.1"}):
            for key in ("", "?key=", "?key=another", "?key=é"):
                self.client.get(f"/{key}", **headers)  # type: ignore[arg-type]
                self.assertFalse(self.client.get("/api/session").json()["signed_in"])
        opened = self.client.get("/jobs/3?station=lines&key=the-key-that-was-printed")
        self.assertEqual((opened.status_code, opened["Location"]), (302, "/jobs/3?station=lines"))
        self.assertTrue(self.client.get("/api/session").json()["signed_in"])
        self.assertEqual(Session.objects.count(), 1)

    @override_settings(DEMO=False)
    def test_never_outside_the_demo(self) -> None:
        self.client.get("/?key=the-key-that-was-printed")
        self.assertFalse(self.client.get("/api/session").json()["signed_in"])
