"""Whether a shop is whole: its database, every revision, every stored file."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path
from typing import Any

from django.db import connection

from files.models import ShopFont
from jobs.keeping import read_through, told_by
from jobs.models import Revision
from library.models import Record
from nibble_core.errors import InvalidTicket, NibbleError
from nibble_core.ticket import ticket_from_plain
from production.models import MachineRun, Task

_HELD = ("file", "own_font", "profile")
"""Fields of a ticket or a record that name a stored file."""


@dataclass(frozen=True)
class Checked:
    """How many revisions were read, how many files hashed, and what is wrong, in sentences."""

    revisions: int
    files: int
    faults: list[str]


def checked(files: Path) -> Checked:
    """files: the folder of stored files. Nothing is altered; the service may run meanwhile."""
    faults = [f"The database is not whole: {said}." for said in _integrity() if said != "ok"]
    revisions = 0
    rows = Revision.objects.order_by("job_id", "number").iterator(chunk_size=200)
    for _, of_job in groupby(rows, lambda row: row.job_id):
        for revision, plain in read_through(of_job):
            revisions += 1
            try:
                if isinstance(plain, InvalidTicket):
                    raise plain
                ticket_from_plain(plain)
            except NibbleError as error:
                where = f"revision {revision.number} of job {revision.job_id}"
                faults.append(f"The ticket of {where} cannot be read: {error.message}")
    named = named_files()
    stored = set()
    for file in sorted(files.glob("??/*")):
        if len(file.name) != 64:
            continue  # a draft of a file that was never stored whole
        stored.add(file.name)
        with file.open("rb") as content:
            if hashlib.file_digest(content, "sha256").hexdigest() != file.name:
                used = named.get(file.name)
                faults.append(f"The stored file {file.name[:12]}… is damaged{f'; {used} uses it' if used else ''}.")
    faults += [
        f"A stored file of {where} is missing: {sha256[:12]}…"
        for sha256, where in named.items()
        if sha256 not in stored
    ]
    return Checked(revisions, len(stored), faults)


def named_files() -> dict[str, str]:
    """Every stored file that something in the shop names, by its SHA-256, and what names it first."""
    named: dict[str, str] = {}
    for revision in Revision.objects.order_by("pk").iterator(chunk_size=200):
        for sha256 in _named_in(revision):
            named.setdefault(sha256, f"revision {revision.number} of job {revision.job_id}")
    for task in Task.objects.iterator():
        for file in task.files:
            named.setdefault(file["sha256"], f"the files made of job {task.job_id}")
    for run in MachineRun.objects.exclude(program="").iterator():
        named.setdefault(run.program, f"what was sent of job {run.job_id}")
    for font in ShopFont.objects.all():
        named.setdefault(font.sha256, f"the font {font.name}")
    for record in Record.objects.all():
        for sha256 in _held(record.value):
            named.setdefault(sha256, f"the library’s record {record.key}")
    return named


def _integrity() -> list[str]:
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA integrity_check")
        said = [str(row[0]) for row in cursor.fetchall()]
        cursor.execute("PRAGMA foreign_key_check")
        return said + [f"a row of {row[0]} points nowhere" for row in cursor.fetchall()]


def _named_in(revision: Revision) -> Iterator[str]:
    """Files that a row names: all of its ticket that those before it did not."""
    try:
        yield from _held(told_by(revision))
    except InvalidTicket:
        return  # it is a fault of its own


def _held(node: Any) -> Iterator[str]:
    """Hashes of stored files anywhere in plain values, or in what made some of others."""
    if isinstance(node, dict):
        for name, value in node.items():
            value = value[0] if isinstance(value, list) and len(value) == 1 and name in _HELD else value
            if name in _HELD and isinstance(value, str) and len(value) == 64:
                yield value
            else:
                yield from _held(value)
    elif isinstance(node, list):
        for value in node:
            yield from _held(value)
