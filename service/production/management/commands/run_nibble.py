"""Serve Nibble: the web server here, the task queue in a child process that ends with it."""

import os
import signal
import subprocess
import sys
import threading
import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser


class Command(BaseCommand):
    help = "Serve Nibble on this machine."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8370)

    def handle(self, *args: Any, **options: Any) -> None:
        from waitress import create_server

        from config.wsgi import application
        from files.reader import READER
        from production.workers import DESK, PREVIEWS

        server = create_server(
            application, host="127.0.0.1", port=options["port"], threads=48, ident="nibble",
            max_request_body_size=settings.MOST_UPLOAD_BYTES + 1_000_000,
        )  # fmt: skip
        queue = Queue()
        queue.start()
        READER.warm_up()
        PREVIEWS.warm_up()
        DESK.warm_up()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        self.stdout.write(f"Nibble is at http://127.0.0.1:{options['port']}/  (stop with Ctrl-C)")
        self.stdout.flush()
        try:
            server.run()
        finally:
            queue.stop()


class Queue:
    """The queue's child process, started again should it end by itself."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._stopping = False

    def start(self) -> None:
        threading.Thread(target=self._keep, name="queue", daemon=True).start()

    def stop(self) -> None:
        self._stopping = True
        if self._process is not None:
            self._process.terminate()

    def _keep(self) -> None:
        while not self._stopping:
            self._process = subprocess.Popen([sys.executable, sys.argv[0], "run_queue"], env=os.environ)
            self._process.wait()
            time.sleep(1)
