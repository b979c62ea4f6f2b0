"""Clients' bytes for the pipeline, decoded only within the guarded reader."""

from files import blobs
from files.reader import READER
from nibble_core.pipeline.client_files import Sources
from nibble_core.pipeline.read import keep_read, kept_read, unit_of
from nibble_core.pipeline.store import ResultStore
from nibble_core.ticket import Ticket


def safe_sources(ticket: Ticket, store: ResultStore) -> Sources:
    """Sources for ``work_out`` after making sure that no client's bytes will be decoded in this process."""
    for artwork in ticket.artworks:
        unit = unit_of(artwork)
        if not kept_read(store, artwork.file, artwork.name, part=artwork.part, unit=unit):
            picture = READER.read(blobs.fetch(artwork.file), artwork.name, artwork.part, unit)
            keep_read(store, artwork.file, artwork.name, picture, part=artwork.part, unit=unit)
    return blobs.fetch
