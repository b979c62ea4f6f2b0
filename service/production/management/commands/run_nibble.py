"""Serve Nibble: the web server here, the task queue in a child process that ends with it."""

import contextlib
import fcntl
import os
import signal
import subprocess
import sys
import threading
import time
from typing import Any, TextIO

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import OperationalError

MOST_CONNECTIONS = 1000
DEMO_QUICK = 30.0  # times as fast as a real machine that the demo shop's laser is
THREADS = 168  # as many streams of events as are let in, and 48 for what is answered at once
IDLE_SECONDS = 60  # after which a connection that says nothing is closed


class Command(BaseCommand):
    help = "Serve Nibble on this machine."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8370)
        parser.add_argument(
            "--prepare", action="store_true", help="bring the data up to date first, load the demo shop"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        from waitress import create_server

        from config.wsgi import application
        from production.events import EXCHANGE
        from production.waiting_cards import WaitingCards

        held = only_server()
        if options["prepare"]:  # in this process: every further one would spend seconds on importing
            try:
                call_command("migrate", "--verbosity", "0", "--skip-checks")
                if settings.DEMO:
                    call_command("load_demo", "--work-later")
            except (OSError, OperationalError) as error:
                raise CommandError(
                    f"The data folder {settings.DATA} cannot be written: {error}. Make room, then start again."
                ) from error
        sys.setswitchinterval(0.0002)  # a short answer does not wait for many long ones
        behind = {
            "trusted_proxy": "127.0.0.1", "trusted_proxy_count": 1,
            "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"},
        } if settings.PROXY else {}  # fmt: skip
        server = create_server(
            application, host="127.0.0.1", port=options["port"], threads=THREADS, ident="nibble",
            max_request_body_size=settings.MOST_UPLOAD_BYTES + 1_000_000, connection_limit=MOST_CONNECTIONS,
            channel_timeout=IDLE_SECONDS, cleanup_interval=10, **behind,
        )  # fmt: skip
        queue = Queue()
        queue.start()
        cards = WaitingCards()
        for name, task in (("warm up", warm_up), ("waiting cards", cards.run)):
            threading.Thread(target=task, name=name, daemon=True).start()
        if settings.DEMO:
            threading.Thread(target=demo_laser, name="demo laser", daemon=True).start()
            threading.Thread(target=demo_router, name="demo router", daemon=True).start()
            threading.Thread(target=demo_offcut, name="demo offcut", daemon=True).start()

        def end(*_: Any) -> None:
            EXCHANGE.close()
            sys.exit(0)

        signal.signal(signal.SIGTERM, end)
        key = f"?key={settings.DEMO_KEY}" if settings.DEMO else ""
        self.stdout.write(f"Nibble is at http://127.0.0.1:{options['port']}/{key}  (stop with Ctrl-C)")
        self.stdout.flush()
        try:
            server.run()
        finally:
            cards.stop()
            queue.stop()
            held.close()


def warm_up() -> None:
    """Start the processes that read files and work, before they are asked for."""
    from files.reader import READER
    from production.workers import DESK, PREVIEWS

    READER.warm_up()
    PREVIEWS.warm_up()
    DESK.warm_up()


def demo_offcut() -> None:
    """The demo's job that is nested of the others' pieces, where loading it was left to the server: added once their
    cards are drawn."""
    from django.db import connection

    from jobs.models import Job
    from production.management.commands.load_demo import LEFT, add_offcut

    if not LEFT.exists():
        return
    while Job.objects.filter(card__isnull=True).exists():
        time.sleep(1.0)
    add_offcut()
    LEFT.unlink()
    connection.close()


def demo_laser() -> None:
    """The demo shop's laser, simulated; nothing where something else listens at its port."""
    from demo.jobs import LASER_PORT
    from nibble_core.simulators.in_time import Port
    from nibble_core.simulators.laser import Body
    from nibble_core.simulators.laser_port import Lies, Running

    askew = Lies((1.4, -0.8), 0.3, 1.001)  # as a printed sheet is put on a bed by hand
    with contextlib.suppress(OSError), Port(("127.0.0.1", LASER_PORT), Running(Body(), DEMO_QUICK, askew)) as port:
        port.serve_forever()


def demo_router() -> None:
    """The demo shop's router with its oak board, simulated; nothing where something else listens at its port."""
    from demo.jobs import ROUTER, ROUTER_PORT
    from nibble_core.simulators.in_time import Port
    from nibble_core.simulators.router import Cutter, Stage
    from nibble_core.simulators.router_port import Running
    from nibble_core.ticket.heads import RouterHead
    from nibble_core.ticket.library import STOCKS

    oak = STOCKS["oak-18mm"]
    stage = Stage(oak.usable_width, oak.usable_length, oak.thickness)
    rack = {
        number: Cutter(one.kind, one.diameter, one.angle, one.tip, feed=one.feed, plunge=one.plunge)
        for number, one in enumerate(ROUTER.head_as(RouterHead).cutters, 1)
    }
    with contextlib.suppress(OSError), Port(("127.0.0.1", ROUTER_PORT), Running(stage, rack, DEMO_QUICK)) as port:
        port.serve_forever()


def only_server() -> TextIO:
    """Hold the data folder for this process; two servers over one folder would work against each other. Raises
    CommandError when another holds it. The hold ends with the process, however that ends."""
    try:
        file = (settings.DATA / "server.lock").open("w")
    except OSError as error:
        raise CommandError(f"The data folder {settings.DATA} cannot be written: {error.strerror}.") from error
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        raise CommandError(
            "Another Nibble serves this data folder already. Stop that one first, or set NIBBLE_DATA to another folder."
        ) from None
    return file


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
            self._process = subprocess.Popen(
                [sys.executable, sys.argv[0], "run_queue"],
                env={**os.environ, "NIBBLE_PARENT": str(os.getpid())},
            )
            self._process.wait()
            time.sleep(1)
