"""A shop that is killed at random moments, amid edits, uploads, files and backups: what it acknowledged is there.

Seeded. ``NIBBLE_NIGHT=1`` kills 200 times, else 6. Every other time the server alone is killed and its children are
left to end by themselves; the other times everything goes at once, as by a power cut.
"""

from __future__ import annotations

import contextlib
import http.client
import json
import os
import random
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from dataclasses import dataclass, field
from pathlib import Path

from benchmarks.shop import DISTANCE, Desk
from demo.loose_files import draw_loose_file
from e2e.server import ROOT, RunningNibble, environment

NIGHT = os.environ.get("NIBBLE_NIGHT") == "1"
KILLS = 200 if NIGHT else 6
LONGEST = 15.0  # s between a start and its kill: a first upload takes three or four


@dataclass
class Acknowledged:
    """What the service has said is kept: by job its newest revision and the distance in it, jobs of uploaded files."""

    revisions: dict[int, tuple[int, float]] = field(default_factory=dict)
    uploads: list[int] = field(default_factory=list)
    edits: int = 0
    backups: list[Path] = field(default_factory=list)


def run() -> None:
    whim = random.Random(200)
    nibble = RunningNibble(with_jobs=True)
    known, lost, left_over = Acknowledged(), [], 0
    content = draw_loose_file("bracket.dxf")
    with tempfile.TemporaryDirectory() as aside:
        try:
            jobs = [
                card["id"] for card in json.loads(Desk(nibble.port, nibble.key).ask("GET", "/api/jobs")[1])["cards"]
            ]
            editable = [job for job in jobs if has_distance(nibble, job)][:3]
            for number in range(KILLS):
                over = threading.Event()
                busy = [threading.Thread(target=edits, args=(nibble, job, known, over)) for job in editable]
                busy.append(threading.Thread(target=uploads, args=(nibble, content, known, over)))
                busy.append(threading.Thread(target=makes_files, args=(nibble, editable[0], over)))
                for thread in busy:
                    thread.start()
                backup = begun_backup(nibble, Path(aside) / f"{number}.tar") if number % 4 == 0 else None
                time.sleep(whim.uniform(0.1, LONGEST))
                if number % 2:
                    nibble.kill_server_alone()
                else:
                    nibble.kill()
                over.set()
                for thread in busy:
                    thread.join()
                if backup is not None:
                    settled_backup(backup, known, killed=whim.random() < 0.5)
                if number % 2:
                    left_over += len(after(nibble, 15.0))
                nibble.start()
                lost += missing(nibble, known)
            desk = Desk(nibble.port, nibble.key)
            closed = [job for job in [*jobs, *known.uploads] if desk.ask("GET", f"/api/jobs/{job}")[0] != 200]
            whole = checked(nibble.folder)
            with sqlite3.connect(Path(nibble.folder) / "nibble.sqlite3") as database:
                integrity = database.execute("PRAGMA integrity_check").fetchone()[0]
            unfinished = [file for file in Path(nibble.folder).rglob("tmp*") if file.is_file()]
            restored = sum(restores(file) for file in known.backups)
            print(f"{KILLS} kills: {len(lost)} of {known.edits:,} edits and {len(known.uploads)} uploads that were "
                  f"acknowledged are lost (0 wanted) {lost[:3]}")  # fmt: skip
            print(f"  {len(closed)} jobs that do not open, integrity {integrity}, check: {whole}")
            print(f"  processes left after 15 s: {left_over}, unfinished files: {len(unfinished)}")
            print(f"  backups finished meanwhile: {len(known.backups)}, whole again in an empty place: {restored}")
        finally:
            nibble.stop()


def has_distance(nibble: RunningNibble, job: int) -> bool:
    ticket = json.loads(Desk(nibble.port, nibble.key).ask("GET", f"/api/jobs/{job}")[1])["ticket"]
    return any(
        line["id"] == "k1" for piece in ticket["pieces"] if piece["id"] == "p1"
        for layer in piece["layers"] if layer["id"] == "l1" for line in layer["lines"]
    )  # fmt: skip


def edits(nibble: RunningNibble, job: int, known: Acknowledged, over: threading.Event) -> None:
    """One change after the other, each noted once it is acknowledged."""
    with contextlib.suppress(OSError, http.client.HTTPException, ValueError, KeyError):
        desk = Desk(nibble.port, nibble.key)
        seen = json.loads(desk.ask("GET", f"/api/jobs/{job}")[1])["revision"]["number"]
        while not over.is_set():
            value = round(1 + (known.edits % 700) / 100, 2)
            code, told = desk.ask(
                "POST", f"/api/jobs/{job}/changes", {"seen": seen, "changes": [{"path": DISTANCE, "value": value}]}
            )
            if code != 200:
                return
            seen = json.loads(told)["revision"]["number"]
            known.revisions[job] = (seen, value)
            known.edits += 1


def uploads(nibble: RunningNibble, content: bytes, known: Acknowledged, over: threading.Event) -> None:
    """Jobs of files that nobody has sent before."""
    with contextlib.suppress(OSError, http.client.HTTPException, ValueError, KeyError):
        desk = Desk(nibble.port, nibble.key)
        while not over.is_set():
            code, told = desk.send("/api/jobs", "bracket.dxf", content + f"999\n{uuid.uuid4()}\n".encode())
            if code == 200:
                known.uploads.append(json.loads(told)["id"])


def makes_files(nibble: RunningNibble, job: int, over: threading.Event) -> None:
    with contextlib.suppress(OSError, http.client.HTTPException):
        desk = Desk(nibble.port, nibble.key)
        while not over.is_set():
            desk.ask("POST", f"/api/jobs/{job}/files", {})
            time.sleep(0.5)


def begun_backup(nibble: RunningNibble, file: Path) -> tuple[subprocess.Popen[bytes], Path]:
    command = [sys.executable, str(ROOT / "service/manage.py"), "backup", str(file)]
    quiet = subprocess.DEVNULL
    return subprocess.Popen(command, env=environment(nibble.folder), stdout=quiet, stderr=quiet), file


def settled_backup(
    begun: tuple[subprocess.Popen[bytes], Path], known: Acknowledged, *, killed: bool
) -> None:  # fmt: skip
    """Whether a backup came to its end is noted; a killed one must not look like a whole one."""
    process, file = begun
    if killed:
        process.kill()
    if process.wait() == 0 or file.exists():
        known.backups.append(file)


def after(nibble: RunningNibble, seconds: float) -> list[int]:
    """Processes of a killed server that are still there after a while."""
    until = time.monotonic() + seconds
    while (there := nibble.processes()) and time.monotonic() < until:
        time.sleep(0.2)
    return there


def missing(nibble: RunningNibble, known: Acknowledged) -> list[str]:
    """What was acknowledged and is not there."""
    desk, gone = Desk(nibble.port, nibble.key), []
    for job, (number, value) in known.revisions.items():
        now = json.loads(desk.ask("GET", f"/api/jobs/{job}")[1])
        there = now["revision"]["number"]
        line = next(one for one in now["ticket"]["pieces"][0]["layers"][0]["lines"] if one["id"] == "k1")
        if there < number or (there == number and line["offset"]["distance"] != value):
            gone.append(f"job {job}: {number} at {value}, found {there}")
    return gone + [f"upload {job}" for job in known.uploads[-3:] if desk.ask("GET", f"/api/jobs/{job}")[0] != 200]


def checked(data: str) -> str:
    command = [sys.executable, str(ROOT / "service/manage.py"), "check_shop"]
    done = subprocess.run(command, env=environment(data), capture_output=True, text=True)
    return (done.stdout.strip() or done.stderr.strip()).splitlines()[-1] + f" ({done.returncode})"


def restores(file: Path) -> bool:
    """Whether a backup becomes a whole shop in an empty place."""
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, str(ROOT / "service/manage.py"), "restore", str(file)]
        done = subprocess.run(command, env=environment(folder), capture_output=True)
        return done.returncode == 0 and checked(folder).endswith("(0)")
