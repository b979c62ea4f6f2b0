"""Clients' bytes for the pipeline, decoded only within the guarded reader."""

from files import blobs
from files.reader import READER
from nibble_core.pipeline.read import keep_read, kept_read
from nibble_core.pipeline.store import ResultStore
from nibble_core.pipeline.work import Sources
from nibble_core.ticket import Ticket


def safe_sources(ticket: Ticket, store: ResultStore) -> Sources:
    """Sources for ``work_out`` after making sure that no client's bytes will be decoded in this process."""
    for artwork in ticket.artworks:
        if not kept_read(store, artwork.file):
            keep_read(store, artwork.file, READER.read(blobs.fetch(artwork.file), artwork.name))
    return blobs.fetch
