"""Who gets in, and who does not."""

from django.contrib.auth import get_user_model
from django.test import TestCase, override_settings

from people.middleware import DEMO_USER


class SignInTest(TestCase):
    def setUp(self) -> None:
        get_user_model().objects.create_user("ada", password="a long enough word")

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


@override_settings(DEMO=True)
class DemoSignInTest(TestCase):
    def setUp(self) -> None:
        get_user_model().objects.create_user(DEMO_USER)

    def signed_in(self, **headers: str) -> bool:
        from django.test import Client

        return bool(Client().get("/api/session", **headers).json()["signed_in"])  # type: ignore[arg-type]

    def test_only_this_very_machine_is_signed_in_by_itself(self) -> None:
        local = {"HTTP_HOST": "127.0.0.1:8370"}
        self.assertTrue(self.signed_in(**local))
        self.assertTrue(self.signed_in(HTTP_HOST="localhost"))
        self.assertFalse(self.signed_in(**local, REMOTE_ADDR="192.168.0.9"))
        self.assertFalse(self.signed_in(**local, HTTP_X_FORWARDED_FOR="127.0.0.1"))
        self.assertFalse(self.signed_in(**local, HTTP_FORWARDED="for=127.0.0.1"))

    @override_settings(DEMO=False)
    def test_never_outside_the_demo(self) -> None:
        self.assertFalse(self.signed_in(HTTP_HOST="127.0.0.1"))
