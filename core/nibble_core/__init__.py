"""The rules and the computation of Nibble.

Everything here is a pure function: specification and geometry in, geometry and facts out. Nothing imports
the web service, reads settings or touches a request. Lengths are millimetres and floats unless a name says
otherwise; y grows downward; the origin is the top left of the artwork, piece or sheet.
"""

import os

# Many small systems are solved here; threads waiting for each other made them a hundred times slower. Said before
# numpy is loaded, and only where nobody has said otherwise. See docs/decisions/compiled-loops.md.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
