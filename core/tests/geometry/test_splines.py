"""Paths as splines, read by a general library; and cubics that are as good as arcs."""

import unittest

import numpy as np
from ezdxf.math import BSpline
from hypothesis import given
from hypothesis import strategies as st

from nibble_core.geometry import ARC, CUBIC, LINE, Bundle, Path
from nibble_core.geometry.arcing import single_arcs
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.geometry.splines import FINER, controls_of, knots_of, path_of

place = st.tuples(st.floats(-200, 200), st.floats(-200, 200))


@st.composite
def a_path(draw) -> Path:
    """Lines, arcs and cubics that follow each other."""
    kinds, rows, at = [], [], np.array(draw(place))
    for kind in draw(st.lists(st.sampled_from([LINE, ARC, CUBIC]), min_size=1, max_size=6)):
        if kind == ARC:
            centre, sweep = np.array(draw(place)), draw(st.floats(0.2, 6.0)) * draw(st.sampled_from([-1, 1]))
            spoke, c, s = at - centre, np.cos(sweep), np.sin(sweep)
            to = centre + np.array([spoke[0] * c - spoke[1] * s, spoke[0] * s + spoke[1] * c])
            rows.append([*at, *centre, sweep, 0, *to])
        else:
            to = np.array(draw(place))
            rows.append([*at, *((draw(place) + draw(place)) if kind == CUBIC else (0,) * 4), *to])
        kinds.append(kind)
        at = to
    return Path(np.array(kinds, np.uint8), np.array(rows, float), closed=False)


class SplinesTest(unittest.TestCase):
    @given(a_path())
    def test_another_reader_finds_the_path(self, path):
        controls = controls_of(path)
        spline = BSpline([(x, y, 0) for x, y in controls], order=4, knots=knots_of(controls).tolist())
        pieces = (len(controls) - 1) // 3
        read = np.array([(v.x, v.y) for v in spline.points(np.linspace(0, pieces, 24 * pieces + 1).tolist())])
        line = path.flattened(0.0005)
        self.assertLess(distances_to_lines(read, [line]).max(), 0.003)
        self.assertLess(np.hypot(*(read[[0, -1]] - line[[0, -1]]).T).max(), 1e-6)
        again = path_of(controls, closed=False)
        self.assertEqual(len(again), len(path.as_cubics(scale=FINER)))
        self.assertLess(distances_to_lines(again.flattened(0.0005), [line]).max(), 0.004)

    @given(a_path())
    def test_what_becomes_an_arc_lies_where_the_cubic_lay(self, path):
        for own in (path, path.as_cubics()):
            (made,) = single_arcs(Bundle.of([own]))
            one, other = own.flattened(0.0002), made.flattened(0.0002)
            self.assertLess(max(distances_to_lines(one, [other]).max(), distances_to_lines(other, [one]).max()), 0.004)

    def test_a_circle_by_cubics_is_one_again_and_a_wave_is_not(self):
        circle = Path.circle(0, 0, 3).as_cubics()
        self.assertEqual(set(single_arcs(Bundle.of([circle])).kinds.tolist()), {ARC})
        wave = Path(np.array([CUBIC], np.uint8), np.array([[0, 0, 3.0, 4, 6, -4, 9, 0]]), closed=False)
        self.assertEqual(single_arcs(Bundle.of([wave])).kinds.tolist(), [CUBIC])


if __name__ == "__main__":
    unittest.main()
