"""Years of revisions: what a change of a large sheet keeps and costs, and how large the database of a shop grows.

The real service's models write the real rows, into a database of its own.
"""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from datetime import date
from pathlib import Path

COPIES = 19_999
JOBS, CHANGES, SHOP = 280, 40, 50_000


def run() -> None:
    """In a process of its own: Django is set up once a process."""
    with tempfile.TemporaryDirectory() as folder:
        given = {**os.environ, "NIBBLE_DATA": folder, "PYTHONPATH": os.pathsep.join(["core", ".", "service"])}
        for part in ("large", "shop"):
            subprocess.run([sys.executable, "-m", "benchmarks.revisions", part], env=given, check=True)


def _set_up() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)


def large() -> None:
    """One copy moved among twenty thousand."""
    from demo.jobs import demo_jobs
    from jobs import actions, keeping
    from jobs.api import job_out
    from jobs.models import Revision
    from nibble_core.ticket import Change, ticket_from_plain, to_plain
    from nibble_core.ticket.model import Placed

    ticket = demo_jobs(date(2026, 11, 30))[0].ticket
    (sheet,) = ticket.sheets
    layer = sheet.holds[0].layer
    copies = tuple(Placed(f"c{n}", layer, n % 150 * 8.123, n // 150 * 7.777) for n in range(COPIES))
    ticket = replace(ticket, sheets=(replace(sheet, arrangement="as placed", placed=copies),))
    job = actions.keep_new_job(None, ticket_from_plain(to_plain(ticket)), "started")
    took: list[float] = []
    for number in range(1, 101):
        start = time.process_time()
        actions.change_job(None, job.pk, number, [Change(f"sheets/s1/placed/c{97 * number}/x", number / 2)])
        took.append(time.process_time() - start)
    rows = Revision.objects.filter(job=job, base__isnull=False)
    sizes = sorted(len(row.packed) + len(json.dumps(row.touched)) + len(row.words) for row in rows)
    before = json.loads(job_out(Revision.objects.get(job=job, number=100)).content)
    sent = len(job_out(Revision.objects.get(job=job, number=101), before["answer"]).content)
    opened = []
    for number in (1, 50, 64, 101):
        row = Revision.objects.get(job=job, number=number)
        start = time.process_time()
        ticket_from_plain(keeping.plain_of(row))
        opened.append(time.process_time() - start)
    took.sort()
    print(
        f"{COPIES:,} copies, one moved: a row of {sizes[len(sizes) // 2]} bytes, {sizes[-1]} at most; kept in "
        f"{took[50]:.3f} s of processor, {took[-1]:.3f} at most; answered in {sent} bytes; "
        f"opened as of any revision in {max(opened):.2f} s"
    )


def shop() -> None:
    """A shop's jobs, each changed forty times."""
    from django.conf import settings
    from django.db import connection

    from demo.jobs import demo_jobs
    from jobs import actions
    from nibble_core.errors import NibbleError
    from nibble_core.ticket import Change

    def size() -> int:
        with connection.cursor() as cursor:
            cursor.execute("VACUUM")
        return Path(settings.DATABASES["default"]["NAME"]).stat().st_size

    chance = random.Random(3)
    tickets = [job.ticket for job in demo_jobs(date(2026, 11, 30))]
    before = size()
    for k in range(JOBS):
        ticket = tickets[k % len(tickets)]
        job = actions.keep_new_job(None, ticket, "started from artwork.png")
        (piece, *_), (sheet, *_) = ticket.pieces, ticket.sheets
        here = f"pieces/{piece.id}/layers/{piece.layers[0].id}/lines/{piece.layers[0].lines[0].id}"
        number = 1
        while number <= CHANGES:
            path, value = chance.choice([
                (f"{here}/offset/distance", round(chance.uniform(0.2, 9), 1)),
                (f"pieces/{piece.id}/quantity", chance.randint(1, 900)),
                (f"artworks/{ticket.artworks[0].id}/width", round(chance.uniform(20, 200), 1)) if ticket.artworks
                else ("client", f"Client {number}"),
                (f"sheets/{sheet.id}/spacing", round(chance.uniform(1, 9), 1)), ("name", f"Job {k}, {number}"),
                (f"{here}/offset/corners", chance.choice(["round", "mitred"])),
                (f"sheets/{sheet.id}/stock", chance.choice(["matt-white-vinyl-1370", "birch-plywood-3"])),
            ])  # fmt: skip
            try:
                number = actions.change_job(None, job.pk, number, [Change(path, value)]).number
            except NibbleError:
                continue
    each = (size() - before) / JOBS
    print(
        f"{JOBS} jobs of {CHANGES} changes each: {each / 1000:.1f} kB a job; {SHOP:,} such jobs take "
        f"{each * SHOP / 1e9:.2f} GB"
    )


if __name__ == "__main__":
    _set_up()
    {"large": large, "shop": shop}[sys.argv[1]]()
