"""Every tolerance of the core, by name, with its reason. Millimetres unless said."""

FLATTEN = 0.002
"""Curve to chord when curves become polygons: a fifth of the 0.01 mm a contour promises."""

SIMPLIFY = 0.001
"""Vertices closer than this to their chord go before a buffer: over-dense rings make the buffer stray."""

ARC_CHORD = 0.0015
"""Sagitta of the chords in a buffered round corner."""

REFIT = 0.004
"""Polygon back to lines, arcs and cubics; with the three above still within 0.01 mm."""

POSITION = 0.001
"""Positions in files: what reading back may differ by."""

TRACE_PX = 0.1
"""Default deviation of a traced outline from its grey iso-line, in pixels, on a clean picture."""

ARC_CUBIC = 0.002
"""What a cubic that stands for a circular or elliptical arc may lie off, where a format knows none of those."""
