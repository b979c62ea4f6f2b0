"""A whole Nibble of its own for a test: fresh data, the real command, killed as hard as asked."""

from __future__ import annotations

import atexit
import contextlib
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from functools import cache
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


def environment(data: str) -> dict[str, str]:
    """What the launcher would set for a demo over ``data``."""
    return {
        **os.environ, "NIBBLE_DEMO": "1", "NIBBLE_DATA": data, "OPENBLAS_NUM_THREADS": "1",
        "PYTHONPATH": f"{ROOT / 'core'}{os.pathsep}{ROOT}",
    }  # fmt: skip


@cache
def prepared_data(with_jobs: bool) -> str:
    """A data folder with the demo shop, made once a run and copied for every server."""
    folder = tempfile.mkdtemp()
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    for words in (["migrate", "--verbosity", "0"], ["load_demo", *([] if with_jobs else ["--without-jobs"])]):
        command = [sys.executable, str(ROOT / "service/manage.py"), *words]
        subprocess.run(command, env=environment(folder), check=True, stdout=subprocess.DEVNULL)
    return folder


class RunningNibble:
    """Serves the demo shop, with or without its jobs, on a free port."""

    def __init__(self, *, with_jobs: bool = False, **settings: str) -> None:
        self._folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        shutil.copytree(prepared_data(with_jobs), self._folder.name, dirs_exist_ok=True)
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self._environment = environment(self._folder.name) | settings
        self._log = open(Path(self._folder.name) / "server.log", "wb")  # noqa: SIM115 - lives as long as the server
        self.start()

    @property
    def pid(self) -> int:
        """Of the server itself."""
        return self._process.pid

    @property
    def folder(self) -> str:
        """Its data."""
        return self._folder.name

    @property
    def key(self) -> str:
        """What the printed address of the demo carries; whoever opens it is signed in."""
        return (Path(self._folder.name) / "demo-key").read_text()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, str(ROOT / "service/manage.py"), "run_nibble", "--port", str(self.port)],
            env=self._environment, stdout=self._log, stderr=self._log, start_new_session=True,
        )  # fmt: skip
        for _ in range(200):
            try:
                with urllib.request.urlopen(f"{self.address}/api/session", timeout=2):
                    return
            except OSError:
                time.sleep(0.1)
        raise RuntimeError((Path(self._folder.name) / "server.log").read_text())

    def second(self) -> subprocess.CompletedProcess[str]:
        """What comes of another server over the same data."""
        command = [sys.executable, str(ROOT / "service/manage.py"), "run_nibble", "--port", str(self.port + 1)]
        return subprocess.run(command, env=self._environment, capture_output=True, text=True, timeout=60)

    def processes(self) -> list[int]:
        """Every process that was started for this data folder and still runs."""
        found = []
        for folder in Path("/proc").iterdir():
            if folder.name.isdigit():
                with contextlib.suppress(OSError):
                    told = (folder / "environ").read_bytes()
                    if (
                        f"NIBBLE_DATA={self._folder.name}".encode() in told
                        and b" Z " not in (folder / "stat").read_bytes()
                    ):
                        found.append(int(folder.name))
        return found

    def kill_server_alone(self) -> None:
        """The server itself only; its children are left to end by themselves."""
        os.kill(self._process.pid, signal.SIGKILL)
        self._process.wait()

    def kill(self) -> None:
        """As by a power cut: no chance to finish anything."""
        os.killpg(self._process.pid, signal.SIGKILL)
        self._process.wait()

    def stop(self) -> None:
        self._process.terminate()
        try:
            self._process.wait(10)
        except subprocess.TimeoutExpired:
            self.kill()
        self._log.close()
        self._folder.cleanup()
