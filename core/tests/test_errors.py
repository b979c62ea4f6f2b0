"""The error tree: every error can be told to an operator."""

import unittest

from nibble_core import errors
from nibble_core.errors import NibbleError


def tree(kind: type[NibbleError]) -> list[type[NibbleError]]:
    return [kind, *(below for sub in kind.__subclasses__() for below in tree(sub))]


class ErrorTest(unittest.TestCase):
    def test_each_has_a_code_of_its_own_and_stands_in_the_drawn_tree(self):
        own = [kind for kind in tree(NibbleError) if kind.__module__ == errors.__name__]
        self.assertEqual(len({kind.code for kind in own}), len(own))
        for kind in own:
            self.assertIn(kind.__name__, errors.__doc__ or "")

    def test_the_sentence_is_one_line(self):
        error = NibbleError("It is\nbroken.", " Mend  it. ", where="a/b")
        self.assertEqual((error.sentence, error.where), ("It is broken. Mend it.", "a/b"))
        self.assertEqual(NibbleError("Only this.").sentence, "Only this.")
