"""Clients' bytes for the pipeline, decoded only within the guarded reader."""

from files import blobs
from files.reader import READER
from nibble_core.pipeline.client_files import Sources
from nibble_core.pipeline.read import keep_all_read
from nibble_core.pipeline.store import ResultStore
from nibble_core.ticket import Ticket


def safe_sources(ticket: Ticket, store: ResultStore) -> Sources:
    """Sources for ``work_out`` after making sure that no client's bytes will be decoded in this process."""
    keep_all_read(store, ticket.artworks, blobs.fetch, READER.read)
    return blobs.fetch
