"""Turns at the interpreter: one at a time, edits before drafts."""

import threading
import unittest

from config.turns import Turns


class TurnsTest(unittest.TestCase):
    def setUp(self) -> None:
        self.turns = Turns()
        self.order: list[str] = []
        self.threads: list[threading.Thread] = []

    def ask(self, name: str, *, hurried: bool = False) -> None:
        """A thread that takes a turn, tells so, and is waiting when this returns."""
        asking = threading.Event()

        def act() -> None:
            asking.set()
            with self.turns.taken(hurried=hurried):
                self.order.append(name)

        thread = threading.Thread(target=act)
        thread.start()
        self.threads.append(thread)
        asking.wait()
        thread.join(0.1)

    def finish(self) -> list[str]:
        for thread in self.threads:
            thread.join(5)
            self.assertFalse(thread.is_alive())
        return self.order

    def test_those_in_a_hurry_go_first_and_the_others_as_they_came(self) -> None:
        with self.turns.taken(hurried=False):
            for name, hurried in (("draft", False), ("second draft", False), ("edit", True), ("second edit", True)):
                self.ask(name, hurried=hurried)
            self.assertEqual(self.order, [])
        self.assertEqual(self.finish(), ["edit", "second edit", "draft", "second draft"])

    def test_one_that_waits_for_other_work_lets_the_next_begin(self) -> None:
        with self.turns.taken(hurried=False):
            self.ask("next")
            self.turns.given_up()
            self.assertEqual(self.finish(), ["next"])
        self.ask("last")  # what was given up is not given back twice
        self.assertEqual(self.finish(), ["next", "last"])

    def test_one_that_fails_gives_its_turn_back(self) -> None:
        with self.assertRaises(ZeroDivisionError), self.turns.taken(hurried=True):
            raise ZeroDivisionError
        self.ask("next")
        self.assertEqual(self.finish(), ["next"])
