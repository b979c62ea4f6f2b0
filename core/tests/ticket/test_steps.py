"""What one press does to pieces, layers and sheets."""

import unittest
from dataclasses import replace

from nibble_core.errors import InvalidTicket
from nibble_core.ticket import Change, apply, sentences
from nibble_core.ticket.line import AS_THEY_ARE, FoldLines, line_of
from nibble_core.ticket.model import Placed
from nibble_core.ticket.piece import Printed
from nibble_core.ticket.steps import (
    AddLayer,
    BringLayer,
    CopyLine,
    CopyPiece,
    DrawFold,
    GiveOwnSheet,
    GiveSecondSide,
    MoreOfTheSame,
    RemoveLayer,
    RemovePiece,
    SplitByColour,
    TakeSecondSide,
)
from tests.sample import badge_ticket

NAVY, TEAL, RED = "#112244", "#118888", "#cc2222"


def taken(step, ticket):
    return apply(ticket, step.changes(ticket))


def with_lines(*lines):
    ticket = badge_ticket()
    piece = ticket.pieces[0]
    return replace(ticket, pieces=(replace(piece, layers=(replace(piece.layers[0], lines=lines),)),))


def held(ticket):
    """The layers on every sheet."""
    return [[one.layer for one in sheet.holds] for sheet in ticket.sheets]


class LineTest(unittest.TestCase):
    def test_a_copy_comes_right_after_and_is_the_same(self):
        ticket = with_lines(line_of("k1", distance=2.5), line_of("k2", "kiss cut"))
        made = taken(CopyLine("l1", "k1"), ticket).layer("l1").lines
        self.assertEqual([line.id for line in made], ["k1", "k3", "k2"])
        self.assertEqual(replace(made[1], id="k1"), made[0])
        self.assertEqual(taken(CopyLine("l1", "k2"), ticket).layer("l1").lines[-1].id, "k3")

    def test_folds_gather_on_the_line_in_hand_or_make_one(self):
        first = taken(DrawFold("l1", 0.1, 0.2, 0.9, 0.2), with_lines(line_of("k1")))
        made = first.layer("l1").lines[-1]
        self.assertEqual((made.process.kind, len(made.source.folds)), ("score", 1))
        other = line_of("k9", "perforate", source="fold lines")
        both = replace(first.layer("l1"), lines=(*first.layer("l1").lines, other))
        ticket = replace(first, pieces=(replace(first.pieces[0], layers=(both,)),))
        counts = []
        for line in ("", "k9"):
            ticket = taken(DrawFold("l1", 0.1, 0.4, 0.9, 0.4, line), ticket)
            counts.append(
                [len(own.source.folds) for own in ticket.layer("l1").lines if isinstance(own.source, FoldLines)]
            )
        self.assertEqual(counts, [[2, 0], [2, 1]])


class LayerTest(unittest.TestCase):
    def test_one_more_begins_with_the_uppermost_colour_that_is_free(self):
        ticket = badge_ticket()
        colours = (NAVY, TEAL, RED)
        for wanted in (RED, TEAL, NAVY):
            ticket = taken(AddLayer("p1", colours), ticket)
            self.assertEqual(ticket.pieces[0].layers[-1].colours[0].colour, wanted)
        self.assertEqual(held(ticket), [["l1"], ["l2"], ["l3"], ["l4"]])
        last = taken(AddLayer("p1", colours), ticket).pieces[0].layers[-1]
        self.assertEqual((last.shows, last.colours, last.name), ("chosen regions", (), "no. 5"))
        self.assertEqual(taken(AddLayer("p1", (RED,)), badge_ticket()).pieces[0].layers[-1].shows, "chosen regions")

    def test_a_colour_nearly_the_same_as_one_taken_is_taken(self):
        ticket = taken(AddLayer("p1", (NAVY, TEAL, RED)), badge_ticket())
        self.assertEqual(
            taken(AddLayer("p1", (NAVY, TEAL, "#c83030")), ticket).pieces[0].layers[-1].colours[0].colour, TEAL
        )

    def test_a_piece_is_split_into_a_layer_and_a_sheet_for_each_colour(self):
        ticket = taken(SplitByColour("p1", (NAVY, TEAL, RED)), badge_ticket())
        piece = ticket.pieces[0]
        self.assertEqual([[own.colour for own in layer.colours] for layer in piece.layers], [[NAVY], [TEAL], [RED]])
        self.assertEqual([layer.overlap for layer in piece.layers], [0.5, 0.0, 0.0])
        self.assertEqual((held(ticket), piece.alignment), ([["l1"], ["l2"], ["l3"]], "three triangles"))
        with self.assertRaisesRegex(InvalidTicket, "one colour"):
            SplitByColour("p1", (NAVY,)).changes(badge_ticket())

    def test_layers_that_were_split_print_nothing_and_are_cut_along_their_shapes(self):
        before = with_lines(line_of("k1", "score"), line_of("k2"), line_of("k3", "perforate", 6.0))
        ticket = taken(SplitByColour("p1", (NAVY, TEAL)), before)
        low, high = ticket.pieces[0].layers
        self.assertEqual({low.prints.kind, high.prints.kind}, {"nothing"})
        self.assertEqual([line.id for line in low.lines], ["k2", "k1", "k3"])
        self.assertEqual([(line.process.kind, line.source.kind, line.offset) for line in high.lines],
                         [("kiss cut", "the shapes", AS_THEY_ARE)])  # fmt: skip
        self.assertEqual((low.lines[0], low.lines[2]), (high.lines[0], before.layer("l1").lines[2]))
        board = apply(before, [Change("sheets/s1/stock", "birch-3mm")])
        self.assertEqual(taken(SplitByColour("p1", (NAVY, TEAL)), board).layer("l2").lines[0].process.kind,
                         "through cut")  # fmt: skip
        said = sentences(ticket)
        self.assertEqual(len({sentence.id for sentence in said}), len(said))

    def test_a_layer_goes_with_its_sheet_and_what_lies_behind_it(self):
        ticket = taken(SplitByColour("p1", (NAVY, TEAL)), badge_ticket())
        for gone, left in (("l1", "l2"), ("l2", "l1")):
            made = taken(RemoveLayer(gone), ticket)
            self.assertEqual(([layer.id for layer in made.pieces[0].layers], held(made)), ([left], [[left]]))
        with self.assertRaisesRegex(InvalidTicket, "at least one layer"):
            RemoveLayer(left).changes(made)
        both = taken(GiveSecondSide("s2"), ticket)
        made = taken(RemoveLayer("l2"), both)
        self.assertEqual(([layer.id for layer in made.pieces[0].layers], held(made)), (["l1"], [["l1"]]))
        with self.assertRaisesRegex(InvalidTicket, "behind this one"):
            RemoveLayer("l1").changes(taken(GiveSecondSide("s1"), badge_ticket()))


class PieceTest(unittest.TestCase):
    def test_a_copy_is_whole_with_sheets_of_its_own_and_goes_with_them(self):
        before = with_lines(line_of("k1"), line_of("k2", source="another line", of="k1"))
        ticket = taken(CopyPiece("p1"), before)
        copy = ticket.pieces[1]
        self.assertEqual((copy.id, copy.layers[0].id, held(ticket)), ("p2", "l2", [["l1"], ["l2"]]))
        self.assertEqual(copy.layers[0].lines, before.pieces[0].layers[0].lines)
        self.assertEqual(taken(RemovePiece("p2"), ticket), before)
        long = replace(before, pieces=(replace(before.pieces[0], name="k" * 80),))
        self.assertTrue(taken(CopyPiece("p1"), long).pieces[1].name.endswith(" 2"))

    def test_a_copy_of_what_has_two_sides_has_two_sides(self):
        ticket = taken(CopyPiece("p1"), taken(GiveSecondSide("s1"), badge_ticket()))
        self.assertEqual([sheet.behind for sheet in ticket.sheets], ["", "s1", "", "s3"])
        self.assertEqual(held(ticket), [["l1"], ["l2"], ["l3"], ["l4"]])


class SheetTest(unittest.TestCase):
    def setUp(self):
        self.two = taken(CopyPiece("p1"), badge_ticket())

    def test_more_of_the_same_are_one_of_each_laid_anew(self):
        placed = replace(self.two.sheets[0], arrangement="as placed", placed=(Placed("n1", "l1", 5, 5),), spares=4)
        ticket = taken(MoreOfTheSame("s1"), replace(self.two, sheets=(placed, self.two.sheets[1])))
        made = ticket.sheets[-1]
        self.assertEqual((made.own_quantity, made.spares, made.placed, made.stock), (1, 0, (), placed.stock))
        self.assertEqual(held(ticket), [["l1"], ["l2"], ["l1"]])

    def test_a_layer_is_brought_whole_and_given_its_own_sheet_again(self):
        shared = taken(BringLayer("s1", "l2"), self.two)
        self.assertEqual(held(shared), [["l1", "l2"]])
        placed = replace(shared.sheets[0], arrangement="as placed", placed=(Placed("n1", "l2"), Placed("n2", "l1")))
        apart = taken(GiveOwnSheet("s1", "l2"), replace(shared, sheets=(placed,)))
        self.assertEqual((held(apart), [one.id for one in apart.sheets[0].placed]), ([["l1"], ["l2"]], ["n2"]))
        for step, why in (
            (BringLayer("s1", "l1"), "already"), (TakeSecondSide("s1"), "no second side"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidTicket, why):
                step.changes(self.two)
        with self.assertRaisesRegex(InvalidTicket, "at least one piece"):
            RemovePiece("p1").changes(badge_ticket())

    def test_a_second_side_lies_behind_each_piece_prints_nothing_and_goes_whole(self):
        shared = taken(BringLayer("s1", "l2"), self.two)
        ticket = taken(GiveSecondSide("s1"), shared)
        behind = ticket.sheets[-1]
        self.assertEqual((behind.behind, [one.layer for one in behind.holds]), ("s1", ["l3", "l4"]))
        self.assertFalse(any(isinstance(piece.layers[-1].prints, Printed) for piece in ticket.pieces))
        self.assertEqual(taken(TakeSecondSide(behind.id), ticket), shared)


class GoneTest(unittest.TestCase):
    def test_what_is_gone_is_said(self):
        for step in (
            CopyLine("l1", "k99"), DrawFold("l9", 0, 0, 1, 1), AddLayer("p9"), SplitByColour("p9", (NAVY, TEAL)),
            CopyPiece("p9"), RemovePiece("p9"), MoreOfTheSame("s9"), GiveSecondSide("s9"), TakeSecondSide("s9"),
            BringLayer("s1", "l9"), GiveOwnSheet("s9", "l1"),
        ):  # fmt: skip
            with self.subTest(step.kind), self.assertRaisesRegex(InvalidTicket, "not there any more"):
                step.changes(badge_ticket())
