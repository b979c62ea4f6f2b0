"""What a child answers that a client's bytes may have taken over."""

import multiprocessing
import os
import struct
import threading
from unittest import TestCase

import numpy as np

from nibble_core.errors import FileTooLarge, UnreadableFile
from nibble_core.graphics import Raster
from nibble_core.pipeline.guarded import MOST_ANSWER, PIECE, answered, send_answer
from nibble_core.pipeline.packing import packed


class GuardedTest(TestCase):
    def told(self, *messages: bytes) -> object:
        """What is made of messages after which the child ends."""
        ours, theirs = multiprocessing.Pipe()

        def child() -> None:
            try:
                for message in messages:
                    theirs.send_bytes(message)
            except OSError:
                pass  # nobody listens any more
            finally:
                theirs.close()

        speaking = threading.Thread(target=child)
        speaking.start()
        try:
            return answered(ours)
        finally:
            ours.close()
            speaking.join()

    def test_whatever_a_child_says_is_a_picture_or_a_sentence(self):
        whole = b"".join(packed({"a": np.arange(9)}))
        size = struct.pack("<Q", len(whole))
        hostile = {
            "nothing": (), "no size": (b"abc",), "a long size": (size + b"x",), "no bytes": (size,),
            "too few": (size, whole[:-1]), "too many": (size, whole + b"x"), 
            "other bytes": (size, os.urandom(len(whole))),
            "a size that no memory holds": (struct.pack("<Q", 2**62),),
            "a size beyond the largest answer": (struct.pack("<Q", MOST_ANSWER + 1),),
            "sizes of parts that go beyond": (size, struct.pack("<QQ", 1, 2**60) + whole[16:]),
            "more parts than there are": (size, struct.pack("<Q", 2**61) + whole[8:]),
        }  # fmt: skip
        for called, messages in hostile.items():
            with self.subTest(called), self.assertRaises(UnreadableFile):
                self.told(*messages)

    def test_an_answer_of_several_pieces_arrives_whole_and_an_error_as_one(self):
        ours, theirs = multiprocessing.Pipe()
        raster = Raster(np.random.default_rng(1).integers(0, 256, (1300, 2000, 4), np.uint8))
        self.assertGreater(raster.pixels.nbytes, 2 * PIECE)
        for answer in ((FileTooLarge, ("Too large.", "Ask for less.")), raster):
            speaking = threading.Thread(target=send_answer, args=(theirs, packed(answer)))
            speaking.start()
            if answer is raster:
                self.assertTrue(np.array_equal(answered(ours).pixels, raster.pixels))
            else:
                with self.assertRaises(FileTooLarge) as told:
                    answered(ours)
                self.assertEqual(told.exception.what_to_do, "Ask for less.")
            speaking.join()
        ours.close()
        theirs.close()
