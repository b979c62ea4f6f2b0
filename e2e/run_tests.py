"""Every check and every test; ends with ``N passed, N failed``. A check counts as one."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import threading
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
WEB = ROOT / "web"
GROUPS = (["e2e"], ["core/tests"], ["service"])
"""Labels of tests that run in one process, the longest first."""
LANES = 2


@dataclass
class Group:
    """Test labels running in a process of their own, with data and a count of their own."""

    process: subprocess.Popen[bytes]
    folder: Path

    def finish(self) -> tuple[int, int]:
        """Wait, show what was said, and tell how many passed and failed."""
        self.process.wait()
        print((self.folder / "said.log").read_text(errors="replace"), flush=True)
        counts = self.folder / "counts.json"
        told = json.loads(counts.read_text()) if counts.exists() else {"passed": 0, "failed": 1}
        shutil.rmtree(self.folder, ignore_errors=True)
        return told["passed"], told["failed"]


def start(labels: list[str]) -> Group:
    folder = Path(tempfile.mkdtemp())
    environment = {**os.environ, "NIBBLE_DATA": str(folder), "NIBBLE_TEST_COUNTS": str(folder / "counts.json")}
    environment.pop("NIBBLE_DEMO", None)
    command = [sys.executable, "-W", "error", "-W", "ignore::ResourceWarning", "service/manage.py", "test", "--noinput"]
    with (folder / "said.log").open("wb") as said:
        process = subprocess.Popen([*command, *labels], cwd=ROOT, env=environment, stdout=said, stderr=said)
    return Group(process, folder)


def main(words: list[str]) -> int:
    """Run what the words name; with none everything."""
    counts = [start(words).finish()] if words else everything()
    passed, failed = sum(good for good, _ in counts), sum(bad for _, bad in counts)
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed else 0


def everything() -> list[tuple[int, int]]:
    """Two lanes: one begins with the browser's tests, the other with the core's; whichever is free takes what is left,
    the longest first."""
    waiting = [lambda labels=labels: [start(labels).finish()] for labels in GROUPS] + [run_checks]
    counts: list[tuple[int, int]] = []
    lock = threading.Lock()

    def lane() -> None:
        while True:
            with lock:
                if not waiting:
                    return
                work = waiting.pop(0)
            try:
                counts.extend(work())
            except BaseException:
                counts.append((0, 1))  # what was not run has not passed
                raise

    lanes = [threading.Thread(target=lane) for _ in range(LANES)]
    for one in lanes:
        one.start()
    for one in lanes:
        one.join()
    return counts


def run_checks() -> list[tuple[int, int]]:
    counts = [run_check(name, check) for name, check in checks().items()]
    drift = types_drift()
    print(f"FAILED: {drift}" if drift else "fine: generated types", flush=True)
    return [*counts, (not drift, bool(drift))]


def run_check(name: str, check: list[str]) -> tuple[int, int]:
    done = subprocess.run(check, cwd=WEB if check[0] == "node" else ROOT, capture_output=True, text=True)
    print(f"{'fine' if done.returncode == 0 else 'FAILED'}: {name}", flush=True)
    if done.returncode:
        print(done.stdout + done.stderr, flush=True)
    return done.returncode == 0, done.returncode != 0


def checks() -> dict[str, list[str]]:
    """Formatting, lint, types and who may import whom."""
    python = [sys.executable, "-m"]
    lint_imports = str(Path(sys.executable).parent / "lint-imports")
    return {
        "Python formatting": [*python, "ruff", "format", "--check", "."],
        "Python lint": [*python, "ruff", "check", "."],
        "core types": [*python, "mypy"],
        "service types": [*python, "mypy", "--config-file", "service/mypy.ini"],
        "import rules": ["env", os.pathsep.join(["PYTHONPATH=core", "service", "."]), lint_imports],
        "migrations are complete": [sys.executable, "service/manage.py", "makemigrations", "--check", "--dry-run"],
        "front end formatting and lint": ["node", "node_modules/@biomejs/biome/bin/biome", "check", "."],
        "front end types": ["node", "node_modules/typescript/bin/tsc", "--noEmit"],
    }


def types_drift() -> str:
    """What is wrong with the generated types of the API, if anything."""
    described = subprocess.run(
        [sys.executable, "service/manage.py", "export_openapi"], cwd=ROOT, capture_output=True, text=True
    )
    if described.returncode:
        return described.stderr
    if json.loads(described.stdout) != json.loads((WEB / "src/api/openapi.json").read_text()):
        return "web/src/api/openapi.json is not what the service offers; run ./nibble types"
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "types.ts"
        generator = "node_modules/openapi-typescript/bin/cli.js"
        subprocess.run(["node", generator, "src/api/openapi.json", "-o", str(made)], cwd=WEB, capture_output=True)
        if not made.exists() or made.read_text() != (WEB / "src/api/types.gen.ts").read_text():
            return "web/src/api/types.gen.ts is not made from openapi.json; run ./nibble types"
    return ""


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
