"""A busy shop: twenty clients that drag and edit for a minute (five by night) beside a heavy job, a board of 50,000
jobs, a job whose results are kept.

Times of the busy service stand beside those of the same service at rest, in one run on one machine.
"""

from __future__ import annotations

import contextlib
import http.client
import json
import multiprocessing
import os
import random
import sqlite3
import statistics
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from http.cookies import SimpleCookie
from pathlib import Path

from e2e.server import RunningNibble

CLIENTS = 20
ALONE = 8.0  # seconds of one client
SECONDS = 300.0 if os.environ.get("NIBBLE_NIGHT") == "1" else 60.0
MANY = 50_000
DISTANCE = "pieces/p1/layers/l1/lines/k1/offset/distance"


class Desk:
    """A signed-in client over one connection."""

    def __init__(self, port: int, key: str) -> None:
        self._connection = http.client.HTTPConnection("127.0.0.1", port, timeout=120)
        self._cookies: dict[str, str] = {}
        self.ask("GET", f"/?key={key}")
        self.ask("GET", "/")

    def ask(self, method: str, path: str, body: object = None) -> tuple[int, bytes]:
        return self._asked(method, path, None if body is None else json.dumps(body).encode(), "application/json")

    def send(self, path: str, name: str, content: bytes) -> tuple[int, bytes]:
        """A file, as a form sends it."""
        edge = "nibble-benchmark"
        head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
        body = head + content + f"\r\n--{edge}--\r\n".encode()
        return self._asked("POST", path, body, f"multipart/form-data; boundary={edge}")

    def _asked(self, method: str, path: str, body: bytes | None, kind: str) -> tuple[int, bytes]:
        headers = {"Cookie": "; ".join(f"{k}={v}" for k, v in self._cookies.items())}
        headers |= {"X-CSRFToken": self._cookies.get("csrftoken", ""), "Content-Type": kind}
        self._connection.request(method, path, body, headers)
        answer = self._connection.getresponse()
        for one in answer.headers.get_all("Set-Cookie") or []:
            self._cookies |= {name: morsel.value for name, morsel in SimpleCookie(one).items()}
        return answer.status, answer.read()


def timed(act: Callable[[], object]) -> float:
    start = time.perf_counter()
    act()
    return time.perf_counter() - start


def run() -> None:
    nibble = RunningNibble(with_jobs=True)
    try:
        desk = Desk(nibble.port, nibble.key)
        kept(desk, nibble)
        jobs = [json.loads(desk.ask("POST", "/api/jobs/1/duplicate", {})[1])["id"] for _ in range(CLIENTS)]
        asset = next(f"/static/assets/{f.name}" for f in Path("web/dist/assets").glob("index-*.js"))
        watched = {"board": "/api/jobs", "static file": asset}
        idle = {name: statistics.median(timed(lambda p=path: desk.ask("GET", p)) for _ in range(20))
                for name, path in watched.items()}  # fmt: skip
        alone = spread(nibble.port, nibble.key, jobs[:1], ALONE)()
        others = spread(nibble.port, nibble.key, jobs, SECONDS)
        busy: dict[str, list[float]] = {name: [] for name in watched}
        memory: list[tuple[float, float]] = []
        start, before = time.monotonic(), server_cpu(nibble)
        heavy = threading.Thread(target=made_again, args=(nibble, start + SECONDS))
        heavy.start()
        while time.monotonic() < start + SECONDS:
            for name, path in watched.items():
                busy[name].append(timed(lambda p=path: desk.ask("GET", p)))
            memory.append((time.monotonic() - start, resident_mb(nibble)))
            time.sleep(0.2)
        used = server_cpu(nibble)
        told = others()
        heavy.join()
        print(f"{CLIENTS} clients for {SECONDS:.0f} s beside files made again and again: {len(told.edits)} edits, "
              f"{len(told.drafts)} drafts, {len(told.faults)} faults {told.faults[:3]}")  # fmt: skip
        print(f"  the server itself used {used - before:.0f} s of processor")
        for name, times in busy.items():
            now = statistics.median(times)
            print(f"  {name}: {1000 * now:.0f} ms, {now / idle[name]:.1f} times its idle time (3 wanted)")
        for name, many, single in (("an edit acknowledged", told.edits, alone.edits),
                                   ("a draft", told.drafts, alone.drafts)):  # fmt: skip
            half, most = statistics.median(many), p95(many)
            print(f"  {name}: p50 {1000 * half:.0f} ms, {half / statistics.median(single):.1f} times one client's; "
                  f"p95 {1000 * most:.0f} ms, {most / p95(single):.1f} times (3 wanted)")  # fmt: skip
        early = max(mb for second, mb in memory if second < 60)
        print(
            f"  all processes: at most {early:.0f} MB in the first minute, {max(mb for _, mb in memory):.0f} MB in all"
        )
        board(desk, nibble)
    finally:
        nibble.stop()


def p95(times: list[float]) -> float:
    return sorted(times)[int(0.95 * (len(times) - 1))]


@dataclass
class Met:
    """What clients met: seconds of edits and drafts, and what went wrong."""

    edits: list[float] = field(default_factory=list)
    drafts: list[float] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


def made_again(nibble: RunningNibble, until: float) -> None:
    """The heavy job beside the others: the files of the banner, made again and again."""
    desk = Desk(nibble.port, nibble.key)
    cards = json.loads(desk.ask("GET", "/api/jobs")[1])["cards"]
    banner = next(card["id"] for card in cards if "banner" in card["name"].lower())
    while time.monotonic() < until:
        task = json.loads(desk.ask("POST", f"/api/jobs/{banner}/files", {})[1])
        while task["state"] in ("waiting", "working") and time.monotonic() < until:
            time.sleep(0.5)
            task = json.loads(desk.ask("GET", f"/api/tasks/{task['id']}")[1])


def resident_mb(nibble: RunningNibble) -> float:
    """What all its processes hold, what they share counted for each of them by its part."""
    held = 0
    for process in nibble.processes():
        with contextlib.suppress(OSError):
            told = Path(f"/proc/{process}/smaps_rollup").read_text()
            held += int(next(line for line in told.splitlines() if line.startswith("Pss:")).split()[1])
    return held / 1000


def spread(port: int, key: str, jobs: list[int], seconds: float) -> Callable[[], Met]:
    """Clients in processes of their own, so that they do not wait for each other; when called, what they met."""
    pool = multiprocessing.get_context("spawn").Pool(min(4, len(jobs)))
    waiting = pool.map_async(
        clients, [(port, key, jobs[n :: min(4, len(jobs))], seconds) for n in range(min(4, len(jobs)))]
    )

    def met() -> Met:
        told = waiting.get(seconds + 120)
        pool.close()
        every = Met()
        for one in told:
            every.edits += one.edits
            every.drafts += one.drafts
            every.faults += one.faults
        return every

    return met


def clients(given: tuple[int, str, list[int], float]) -> Met:
    port, key, jobs, seconds = given
    met = Met()
    threads = [threading.Thread(target=client, args=(port, key, job, seconds, met)) for job in jobs]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return met


def client(port: int, key: str, job: int, seconds: float, met: Met) -> None:
    """Drags a value for a while, lets go, and so on; the last preview of every drag must arrive. Each client begins at
    another value and pauses as long as it likes, so that they do not all act at once."""
    whim = random.Random(job)
    desk, dragging = Desk(port, key), Desk(port, key)
    seen = json.loads(desk.ask("GET", f"/api/jobs/{job}")[1])["revision"]["number"]
    until = time.monotonic() + seconds
    value = 1.0 + whim.random()
    time.sleep(min(whim.uniform(0, 4), seconds / 4))
    while time.monotonic() < until:
        for step in range(6):
            value = 1.0 + (value * 10 + 1) % 40 / 10
            body = {"seen": seen, "changes": [{"path": DISTANCE, "value": round(value, 2)}], "station": "lines"}
            start = time.perf_counter()
            code, told = dragging.ask("POST", f"/api/jobs/{job}/preview", body)
            met.drafts.append(time.perf_counter() - start)
            if code not in (200, 409) or (code == 409 and step == 5):
                met.faults.append(f"preview {code} {told[:80]!r}")
        start = time.perf_counter()
        code, told = desk.ask("POST", f"/api/jobs/{job}/changes", {"seen": seen, "changes": body["changes"]})
        met.edits.append(time.perf_counter() - start)
        if code != 200:
            met.faults.append(f"change {code} {told[:80]!r}")
            return
        seen = json.loads(told)["revision"]["number"]
        time.sleep(whim.uniform(0.2, 0.8))


def kept(desk: Desk, nibble: RunningNibble) -> None:
    """Processor time of the whole service for opening a job whose results are kept."""
    desk.ask("GET", "/api/jobs/1/work")
    spent = []
    for _ in range(5):
        before = cpu(nibble)
        for path in ("/api/jobs/1", "/api/jobs/1/work", "/api/jobs/1/files"):
            desk.ask("GET", path)
        spent.append(cpu(nibble) - before)
    print(f"a kept job opened: {1000 * statistics.median(spent):.0f} ms of processor (300 wanted)")


def cpu(nibble: RunningNibble) -> float:
    """Seconds of processor that the service's processes have used."""
    ticks = 0
    for pid in nibble.processes():
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
        ticks += int(fields[11]) + int(fields[12])
    return ticks / 100


def board(desk: Desk, nibble: RunningNibble) -> None:
    add_jobs(nibble, 100 - CLIENTS)
    few = statistics.median(timed(lambda: desk.ask("GET", "/api/jobs")) for _ in range(20))
    add_jobs(nibble, MANY)
    many = statistics.median(timed(lambda: desk.ask("GET", "/api/jobs")) for _ in range(20))
    sought = statistics.median(timed(lambda: desk.ask("GET", "/api/jobs?search=job%2049999")) for _ in range(5))
    print(f"board of {MANY:,} jobs: {1000 * many:.0f} ms, {many / few:.1f} times that of 100 (2 wanted); "
          f"one found among them in {1000 * sought:.0f} ms")  # fmt: skip


def add_jobs(nibble: RunningNibble, count: int) -> None:
    """Rows of the board, written beside the service."""
    with sqlite3.connect(Path(nibble.folder) / "nibble.sqlite3", timeout=30) as database:
        card = database.execute("SELECT card FROM jobs_job WHERE id = 1").fetchone()[0]
        database.executemany(
            "INSERT INTO jobs_job (created, archived, name, client, due, card, done, taken, sought, sizes, waits) "
            "VALUES (?, 0, ?, ?, ?, ?, '[]', '[]', '', '', '')",
            [("2026-01-01 00:00:00", f"Job {n}", f"Client {n % 700}", f"2027-{n % 12 + 1:02}-{n % 28 + 1:02}", card)
             for n in range(count)],
        )  # fmt: skip


def server_cpu(nibble: RunningNibble) -> float:
    """Seconds of processor that the server's own process has used."""
    fields = Path(f"/proc/{nibble.pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / 100
