"""A busy shop: twenty clients that drag and edit for a minute, a board of 50,000 jobs, a job whose results are kept.

Times of the busy service stand beside those of the same service at rest, in one run on one machine.
"""

from __future__ import annotations

import http.client
import json
import multiprocessing
import random
import sqlite3
import statistics
import threading
import time
from collections.abc import Callable
from http.cookies import SimpleCookie
from pathlib import Path

from e2e.server import RunningNibble

CLIENTS = 20
SECONDS = 60.0
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
        alone, _ = spread(nibble.port, nibble.key, jobs[:1], 8.0)()
        others = spread(nibble.port, nibble.key, jobs, SECONDS)
        busy: dict[str, list[float]] = {name: [] for name in watched}
        until, before = time.monotonic() + SECONDS, server_cpu(nibble)
        while time.monotonic() < until:
            for name, path in watched.items():
                busy[name].append(timed(lambda p=path: desk.ask("GET", p)))
            time.sleep(0.2)
        used = server_cpu(nibble)
        edits, faults = others()
        print(f"{CLIENTS} clients for {SECONDS:.0f} s: {len(edits)} edits, {len(faults)} faults {faults[:3]}")
        print(f"  the server itself used {used - before:.0f} s of processor")
        for name, times in busy.items():
            now = statistics.median(times)
            print(f"  {name}: {1000 * now:.0f} ms, {now / idle[name]:.1f} times its idle time (3 wanted)")
        ratio = p95(edits) / p95(alone)
        print(f"  an edit acknowledged: p95 {1000 * p95(edits):.0f} ms, {ratio:.1f} times one client's (3 wanted)")
        board(desk, nibble)
    finally:
        nibble.stop()


def p95(times: list[float]) -> float:
    return sorted(times)[int(0.95 * (len(times) - 1))]


def spread(port: int, key: str, jobs: list[int], seconds: float) -> Callable[[], tuple[list[float], list[str]]]:
    """Clients in processes of their own, so that they do not wait for each other; when called, what they met."""
    pool = multiprocessing.get_context("spawn").Pool(min(4, len(jobs)))
    waiting = pool.map_async(
        clients, [(port, key, jobs[n :: min(4, len(jobs))], seconds) for n in range(min(4, len(jobs)))]
    )

    def met() -> tuple[list[float], list[str]]:
        told = waiting.get(seconds + 120)
        pool.close()
        return [one for edits, _ in told for one in edits], [one for _, faults in told for one in faults]

    return met


def clients(given: tuple[int, str, list[int], float]) -> tuple[list[float], list[str]]:
    port, key, jobs, seconds = given
    edits: list[float] = []
    faults: list[str] = []
    threads = [threading.Thread(target=client, args=(port, key, job, seconds, edits, faults)) for job in jobs]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return edits, faults


def client(port: int, key: str, job: int, seconds: float, edits: list[float], faults: list[str]) -> None:
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
            code, told = dragging.ask("POST", f"/api/jobs/{job}/preview", body)
            if code not in (200, 409) or (code == 409 and step == 5):
                faults.append(f"preview {code} {told[:80]!r}")
        start = time.perf_counter()
        code, told = desk.ask("POST", f"/api/jobs/{job}/changes", {"seen": seen, "changes": body["changes"]})
        edits.append(time.perf_counter() - start)
        if code != 200:
            faults.append(f"change {code} {told[:80]!r}")
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
            "INSERT INTO jobs_job (created, archived, name, client, due, card, done, taken) "
            "VALUES (?, 0, ?, ?, ?, ?, '[]', '[]')",
            [("2026-01-01 00:00:00", f"Job {n}", f"Client {n % 700}", f"2027-{n % 12 + 1:02}-{n % 28 + 1:02}", card)
             for n in range(count)],
        )  # fmt: skip


def server_cpu(nibble: RunningNibble) -> float:
    """Seconds of processor that the server's own process has used."""
    fields = Path(f"/proc/{nibble.pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / 100
