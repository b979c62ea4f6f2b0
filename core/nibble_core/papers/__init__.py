"""Papers of a job, one page each: the ticket that hangs beside the machine, the proof and the quote for the client.

A paper is drawn in mm from the top left by a general PDF library with the fonts that ship; its words can be searched.
What is drawn comes from the same results as the screen and the files.
"""

from nibble_core.papers.page import SIZES
from nibble_core.papers.proof import proof
from nibble_core.papers.quote import Priced, priced, quote
from nibble_core.papers.ticket import printed_ticket

__all__ = ["SIZES", "Priced", "priced", "printed_ticket", "proof", "quote"]
