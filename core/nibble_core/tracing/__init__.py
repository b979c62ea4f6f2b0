"""Pixels to shapes.

Nothing is made black and white first. The grey picture is a surface; its iso-line at the threshold gives
outlines with sub-pixel places (``iso``). How the picture was made (``making``) tells how far its edges were moved
(``jitter``). Each ring is cut at its true corners and fitted with the fewest
lines and cubics that stay within a stated deviation (``outline``, on the loops of geometry.kernels), polished
as a whole (``polish``) and measured against the iso-line (``deviation``).
"""

from nibble_core.artwork.threshold import edge_noise, suggested_threshold
from nibble_core.tracing.two_tone import Traced, TracedRegion, measured_noise, trace_two_tone

__all__ = ["Traced", "TracedRegion", "edge_noise", "measured_noise", "suggested_threshold", "trace_two_tone"]
