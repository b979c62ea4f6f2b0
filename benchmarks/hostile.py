"""What damaged files and senseless changes do: no traceback, no server error, bounded memory and time, and words.

Seeded. ``NIBBLE_NIGHT=1`` takes 10,000 files and 5,000 changes, else 400 and 300. A file is read as the service and the
command line read it; every fourth that can be read is worked out to its report as well, every fiftieth is given to the
``trace`` command.
"""

from __future__ import annotations

import contextlib
import gzip
import hashlib
import io
import json
import multiprocessing
import os
import random
import re
import subprocess
import sys
import tempfile
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pikepdf
from PIL import Image

from benchmarks.shop import Desk
from demo.loose_files import draw_loose_file
from e2e.server import RunningNibble
from nibble_core.errors import NibbleError
from nibble_core.pipeline.guarded import answer_one, answered
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import first_ticket

NIGHT = os.environ.get("NIBBLE_NIGHT") == "1"
FILES, CHANGES = (10_000, 5_000) if NIGHT else (400, 300)
WORKED_OUT, TRACED = 4, 50
MOST_MB, MOST_SECONDS = 1500, 30
PIXELS = ("png", "jpeg", "gif", "webp", "tiff", "bmp", "avif")
NUMBERS = (b"1e308", b"-1", b"0", b"nan", b"99999999999", b"1e-320", b"0.0000001", b"-0")
VALUES: tuple[Any, ...] = (
    None, True, "", "x" * 100_000, "‮evil\n", [], {}, [[]], {"kind": "no such"}, -1, 0, 1e308, -1e308, 1e-308,
    10**400, "1e400", "nothing", ["a"], [{"id": "k1"}], {"id": "../../x"}, 3, 2.5, "12/0", "a1", "p1",
)  # fmt: skip


@dataclass(frozen=True)
class Cost:
    """What came of a file: its outcome in words, MB and seconds of processor that its process took."""

    outcome: str
    mb: float
    seconds: float


def run() -> None:
    files()
    changes()


def files() -> None:
    whim, sound = random.Random(26), sources()
    names = list(sound)
    damaged = [(name, broken(sound[name], whim)) for name in (whim.choice(names) for _ in range(FILES))]
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["benchmarks.hostile"])
    told: Counter[str] = Counter()
    dear: list[tuple[float, float, str]] = []
    work: Counter[str] = Counter()
    traces: Counter[str] = Counter()

    def tried(number: int) -> None:
        name, content = damaged[number]
        cost = spent_on(context, answer_one, ("picture", content, name, "", None))
        told[cost.outcome] += 1
        dear.append((cost.mb, cost.seconds, name))
        if cost.outcome == "read" and number % WORKED_OUT == 0:
            made = spent_on(context, work_alone, (content, name))
            work[made.outcome] += 1
            dear.append((made.mb, made.seconds, f"{name}, worked out"))
        if number % TRACED == 0:
            traces[traced(name, content)] += 1

    with ThreadPoolExecutor(os.cpu_count()) as pool:
        list(pool.map(tried, range(len(damaged))))
    faults = sum(count for what, count in (told + work + traces).items() if what.startswith("FAULT"))
    mb, seconds = max(one[0] for one in dear), max(one[1] for one in dear)
    print(
        f"{FILES:,} damaged files of {len(names)} kinds: {faults} tracebacks (0 wanted), "
        f"{mb:,.0f} MB ({MOST_MB:,} wanted) and {seconds:.1f} s ({MOST_SECONDS} wanted) a process at most"
    )
    for counts, called in ((told, "read"), (work, "worked out"), (traces, "by the trace command")):
        print(f"  {called}: " + "; ".join(f"{count} {what}" for what, count in counts.most_common(30)))


def sources() -> dict[str, bytes]:
    """Sound files of every kind that is taken, by name."""
    pixels = Image.open(io.BytesIO(draw_loose_file("crossed-oars.png"))).convert("RGB")
    made = {"boat.svg": draw_loose_file("boat-sign.svg"), "bracket.dxf": draw_loose_file("bracket.dxf")}
    for kind in PIXELS:
        out = io.BytesIO()
        pixels.save(out, kind)
        made[f"oars.{kind}"] = out.getvalue()
    made["boat.svgz"] = gzip.compress(made["boat.svg"])
    pdf, out = pikepdf.new(), io.BytesIO()
    page = pdf.add_blank_page(page_size=(300, 200))
    drawn = (
        b"q 1 0 0 RG 3 w 20 20 m 200 30 180 150 90 160 c s 0 0.4 0.2 rg 120 40 80 60 re f [4 2] 0 d 10 10 m 90 9 l S Q"
    )
    page.Contents = pdf.make_stream(drawn)
    pdf.save(out, compress_streams=False)
    made["page.pdf"] = out.getvalue()
    out = io.BytesIO()
    pixels.save(out, "PDF")
    made["scan.pdf"] = out.getvalue()
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name in ("boat.svg", "oars.png", "page.pdf"):
            archive.writestr(name, made[name])
    return made | {"several.zip": out.getvalue()}


def broken(content: bytes, whim: random.Random) -> bytes:
    """A file damaged in one of seven ways."""
    data, way = bytearray(content), whim.randrange(7)
    here = whim.randrange(len(data))
    there = min(len(data), here + whim.choice((1, 4, 30, 400)))
    if way == 0:
        for _ in range(whim.choice((1, 3, 30))):
            data[whim.randrange(len(data))] = whim.randrange(256)
    elif way == 1:
        del data[here:]
    elif way == 2:
        data[here:here] = data[here:there] * whim.choice((1, 2, 500))
    elif way == 3:
        data[here:there] = whim.randbytes(there - here)
    elif way == 4:
        data[here : here + 4] = whim.choice((b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff"))
    elif way == 5:
        del data[here:there]
    else:
        numbers = list(re.finditer(rb"(?<![\w.])-?\d+(\.\d+)?", content))
        if numbers:
            found = whim.choice(numbers)
            data[found.start() : found.end()] = whim.choice(NUMBERS)
    return bytes(data)


def spent_on(context: Any, act: Callable[[Any], None], task: tuple[Any, ...]) -> Cost:
    """A task given to a process of its own that answers one thing."""
    ours, theirs = multiprocessing.Pipe()
    process = context.Process(target=act, args=(theirs,), daemon=True)
    process.start()
    theirs.close()
    try:
        ours.send(task)
        answer = answered(ours)
        outcome = "read" if isinstance(answer, Picture) else str(answer)
    except NibbleError as error:
        outcome = sorted_out(f"{error.message} {error.what_to_do}")
    mb, seconds = measured(process.pid)
    process.kill()
    process.join()
    ours.close()
    return Cost(outcome, mb, seconds)


def measured(pid: int) -> tuple[float, float]:
    """Most memory, MB, and seconds of processor of a process that is still there; nothing of one that is not."""
    with contextlib.suppress(OSError, IndexError):
        peak = re.search(r"VmHWM:\s+(\d+)", Path(f"/proc/{pid}/status").read_text())
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
        return (int(peak[1]) / 1024 if peak else 0.0), (int(fields[11]) + int(fields[12])) / 100
    return 0.0, 0.0


def sorted_out(words: str) -> str:
    """Words about a file without what is its own, so that they can be counted."""
    return re.sub(r"“[^”]*”", "“…”", re.sub(r"\d[\d,.]*", "N", words))[:90]


def work_alone(pipe: Any) -> None:
    """A first ticket of a file, worked out to its report, in this process."""
    content, name = pipe.recv()
    sha256 = hashlib.sha256(content).hexdigest()
    try:
        ticket = first_ticket(name="hostile", file=sha256, file_name=name)
        stations(ticket, work_out(ticket, lambda _: content, MemoryStore()))
        answer: object = (NibbleError, ("worked out", ""))
    except NibbleError as error:
        answer = (NibbleError, (error.message, error.what_to_do))
    except Exception as error:
        answer = (NibbleError, (f"FAULT {type(error).__name__} {error}", ""))
    pipe.send(answer)


def traced(name: str, content: bytes) -> str:
    """What the command line makes of a file."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / name
        file.write_bytes(content)
        command = [sys.executable, "-m", "nibble_core.cli", "trace", str(file), "-o", str(Path(folder) / "out.svg")]
        done = subprocess.run(command, capture_output=True, text=True, timeout=300)
    if "Traceback" in done.stderr or done.returncode not in (0, 2):
        return f"FAULT {done.returncode} {done.stderr[-200:]}"
    return "traced" if done.returncode == 0 else sorted_out(done.stderr.strip())


def changes() -> None:
    """Values of every kind at every place of the demo's tickets, and previews of them, sent to a running service."""
    whim = random.Random(27)
    nibble = RunningNibble(with_jobs=True)
    try:
        desk = Desk(nibble.port, nibble.key)
        jobs = [card["id"] for card in json.loads(desk.ask("GET", "/api/jobs")[1])["cards"]]
        answers: Counter[str] = Counter()
        most = 0.0
        for number in range(CHANGES):
            job = whim.choice(jobs)
            now = json.loads(desk.ask("GET", f"/api/jobs/{job}")[1])
            change = senseless(now["ticket"], whim)
            body = {"seen": now["revision"]["number"], "changes": [change], "station": whim.choice(("lines", "sheet"))}
            way = "preview" if whim.random() < 0.5 else "changes"
            if way == "changes":
                del body["station"]
            code, told = desk.ask("POST", f"/api/jobs/{job}/{way}", body)
            answers[f"{way} {code}"] += 1
            if code >= 500 and code != 507:
                answers["FAULT"] += 1
                print(f"  {job} {str(change)[:200]} {code} {told[:200]!r}")
            if number % 20 == 0:
                most = max(most, *(measured(pid)[0] for pid in nibble.processes()))
        opened = sum(desk.ask("GET", f"/api/jobs/{job}")[0] == 200 for job in jobs)
        print(f"{CHANGES:,} senseless changes: {answers['FAULT']} server errors (0 wanted), {opened} of {len(jobs)} "
              f"jobs open, at most {most:,.0f} MB a process ({MOST_MB:,} wanted)")  # fmt: skip
        print("  " + "; ".join(f"{count} {what}" for what, count in answers.most_common()))
    finally:
        nibble.stop()


def senseless(ticket: dict[str, Any], whim: random.Random) -> dict[str, Any]:
    """A change that nobody would make, at a place that may exist."""
    path = whim.choice(list(places(ticket, "")))
    if whim.random() < 0.1:
        path += whim.choice(("/x", "/0", "/", "/kind", "/../name"))
    operation = whim.choice(("set", "set", "set", "set", "add", "remove", "move"))
    return {"path": path, "operation": operation, "value": whim.choice(VALUES)}


def places(value: Any, path: str) -> Iterator[str]:
    if path:
        yield path.lstrip("/")
    if isinstance(value, dict):
        for name, held in value.items():
            yield from places(held, f"{path}/{name}")
    elif isinstance(value, list):
        for held in value:
            if isinstance(held, dict) and "id" in held:
                yield from places(held, f"{path}/{held['id']}")
