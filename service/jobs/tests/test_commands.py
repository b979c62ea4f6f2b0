"""What the launcher calls, and how the database keeps things."""

import io
import json
from unittest.mock import patch

from django.contrib.auth import authenticate, get_user_model
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import TransactionTestCase


class CommandTest(TransactionTestCase):
    def test_a_user_is_added_and_weak_passwords_are_not(self) -> None:
        out = io.StringIO()
        with patch("sys.stdin", io.StringIO("a long enough word\n")):
            call_command("add_user", "ada", stdout=out)
        self.assertIsNotNone(authenticate(username="ada", password="a long enough word"))
        with patch("sys.stdin", io.StringIO("short\n")), self.assertRaises(CommandError):
            call_command("add_user", "ben", stdout=out)
        self.assertFalse(get_user_model().objects.filter(username="ben").exists())

    def test_the_api_describes_itself(self) -> None:
        out = io.StringIO()
        call_command("export_openapi", stdout=out)
        described = json.loads(out.getvalue())
        calls = {call["operationId"] for path in described["paths"].values() for call in path.values()}
        self.assertLessEqual({"change_job", "undo", "redo", "preview", "work", "make_files", "stop_task"}, calls)
        pointed = {one.split('"')[0] for one in out.getvalue().split("#/components/schemas/")[1:]}
        self.assertLessEqual(pointed, described["components"]["schemas"].keys())
        self.assertLessEqual({"Ticket", "Line", "ThroughCut", "Machine", "CopyPiece"}, pointed)

    def test_the_database_writes_through(self) -> None:
        with connection.cursor() as cursor:
            told = {
                name: cursor.execute(f"PRAGMA {name}").fetchone()[0]
                for name in ("synchronous", "foreign_keys", "journal_mode")
            }
        self.assertEqual((told["synchronous"], told["foreign_keys"], told["journal_mode"]), (2, 1, "wal"))


class ApplicationPageTest(TransactionTestCase):
    def test_every_address_of_the_application_gives_its_page(self) -> None:
        for path in ("/", "/jobs/1", "/jobs/1?station=lines"):
            answer = self.client.get(path)
            self.assertEqual(answer.status_code, 200)
            self.assertIn(b'id="root"', answer.content)
            self.assertIn("csrftoken", answer.cookies)
            self.assertIn("no-store", answer["Cache-Control"])
        self.assertEqual(self.client.get("/api/nowhere").status_code, 404)
