"""A log that says the same thing once a minute."""

import logging
from unittest import mock

from django.test import SimpleTestCase

from config.seldom import Seldom


class SeldomTest(SimpleTestCase):
    def test_the_same_words_are_said_once_a_minute_with_how_often(self) -> None:
        seldom, said = Seldom(), []

        def log(words: str, number: int = 1) -> None:
            record = logging.LogRecord("queue", logging.ERROR, "consumer.py", 9, words, (number,), None)
            if seldom.filter(record):
                said.append(record.getMessage())

        with mock.patch("config.seldom.time.monotonic") as now:
            for now.return_value in range(0, 150):
                log("job %d failed")
                if now.return_value % 70 == 0:
                    log("another %d")
        self.assertEqual(said[0], "job 1 failed")
        self.assertEqual(len([one for one in said if one.startswith("job")]), 3)
        self.assertEqual(len([one for one in said if one.startswith("another")]), 3)
        self.assertIn("and 59 times in the minute before", said[-2] + said[-1] + said[2])
