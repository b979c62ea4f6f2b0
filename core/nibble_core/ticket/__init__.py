"""The ticket is the document: what the operator asked for, in typed values that say themselves in sentences.

Nobody edits geometry. ``model`` holds the values, ``fields`` their limits, ``changes`` what an edit is,
``sentences`` how it reads, ``serial`` its JSON, ``library`` the stocks and machines that are copied in.
"""

from nibble_core.ticket.bringing import brought, brought_again
from nibble_core.ticket.changes import Change, apply, overlap, scaled_distances, words
from nibble_core.ticket.differences import changed_by, difference, joined
from nibble_core.ticket.json_schema import json_schema
from nibble_core.ticket.library import STARTING, Library, Outdated, outdated
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.sentences import Sentence, Slot, sentences, sought_by
from nibble_core.ticket.serial import fingerprint, from_plain, ticket_from_plain, to_plain
from nibble_core.ticket.start import added_piece, first_ticket
from nibble_core.ticket.upgrading import upgrade

__all__ = [
    "STARTING", "Change", "Library", "Outdated", "Sentence", "Slot", "Ticket", "added_piece", "apply", "brought",
    "brought_again", "changed_by", "difference", "fingerprint", "first_ticket", "from_plain", "joined", "json_schema",
    "outdated", "overlap", "scaled_distances", "sentences", "sought_by", "ticket_from_plain", "to_plain", "upgrade",
    "words",
]  # fmt: skip
