"""Runs: a program sent to a machine by a thread of the server, watched, held, taken up again where it broke off."""

import threading
import time

import numpy as np
from django.db import close_old_connections, models

from files import blobs
from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine
from nibble_core.machines import Driver, Lost, SocketDriver, State, resumed, send
from production.models import MachineRun

HOST = "127.0.0.1"  # machines are reached on this computer only
WRITES = 0.5  # seconds between two notes of how far it is


class Runner:
    """One program on its way to one machine."""

    def __init__(self, run: MachineRun, program: bytes, driver: Driver) -> None:
        self.run_id, self.driver, self.program = run.pk, driver, program
        self.state = State("running")
        self._stop = False
        self._written = 0.0
        self.thread = threading.Thread(target=self._go, name=f"run {run.pk}", daemon=True)

    def stop(self) -> None:
        """Hold and stop, before anything else is asked; what was done is kept, to go on from."""
        self._stop = True
        if not self.driver.halt():
            raise Lost("The machine could not be told to stop.", "Use its own switch.")

    def _go(self) -> None:
        try:
            sent = send(self.program, self.driver, self._watch)
            state = MachineRun.State.BROKEN if sent.why else MachineRun.State.DONE
            message = "Stopped." if sent.why and self._stop and not sent.may_move else sent.why
            _tell(self.run_id, state=state, done=sent.done, message=message, may_move=sent.may_move)
        finally:
            self.driver.close()
            with _LOCK:
                _RUNNERS.pop(self.run_id, None)
            close_old_connections()

    def _watch(self, taken: int, state: State) -> bool:
        self.state = state
        now = time.monotonic()
        if now - self._written > WRITES:
            self._written = now
            held = MachineRun.State.PAUSED if state.doing == "paused" else MachineRun.State.RUNNING
            _tell(self.run_id, state=held, done=state.line, x=state.x, y=state.y)
        return not self._stop


_LOCK = threading.Lock()
_BEGINNING = threading.Lock()
"""One run begins at a time, so that no two begin on one machine."""
_RUNNERS: dict[int, Runner] = {}


def begin(
    job_id: int, sheet: str, revision: int, port: int, program: bytes, *, moves_before: int = 0,
    lies: list[float] | None = None,
) -> MachineRun:  # fmt: skip
    """Send a program to the machine at a port. lies: where the sheet's marks were found, see ``MachineRun``. Raises
    CannotMake while another runs there, Lost where nobody listens."""
    with _BEGINNING:
        _require_free(port)
        driver = SocketDriver(HOST, port)
        run = MachineRun.objects.create(
            job_id=job_id, sheet=sheet, revision=revision, port=port, program=blobs.keep(program),
            lines=len(program.splitlines()), moves_before=moves_before, lies=lies,
        )  # fmt: skip
        _start(run, program, driver)
    return run


def seen(port: int, meant: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Where the camera of the machine at a port sees marks. Raises CannotMake while it runs, Lost."""
    _require_free(port)
    driver = SocketDriver(HOST, port)
    try:
        return [driver.seen(x, y) for x, y in meant]
    finally:
        driver.close()


def go_on(run: MachineRun) -> MachineRun:
    """Take a broken run up again at its last finished path, as a run of its own. Raises CannotMake, Lost."""
    if run.state != MachineRun.State.BROKEN:
        raise CannotMake("This run did not break off.", "Send the sheet again.")
    program = blobs.fetch(run.program)
    rest = resumed(program, run.done)
    before = run.moves_before + moves_in(program) - moves_in(rest)
    return begin(run.job_id, run.sheet, run.revision, run.port, rest, moves_before=max(before, 0), lies=run.lies)


def moves_in(program: bytes, lines: int | None = None) -> int:
    """How many moves its first lines are, or all of them."""
    return sum(line.startswith((b"G0 ", b"G1 ", b"G2 ", b"G3 ", b"PU")) for line in program.splitlines()[:lines])


def moves_made(run: MachineRun) -> int:
    """Moves of the sheet that were made by now."""
    return run.moves_before + moves_in(blobs.fetch(run.program), run.done)


def command(run: MachineRun, what: str, length: float = 0.0) -> None:
    """Pause, resume, back (mm), stop, or “it stands still” of a machine that somebody has looked at. Raises CannotMake
    for a run that is over, Lost where the machine cannot be told."""
    if what == "it stands still":
        _tell(run.pk, may_move=False)
        return
    with _LOCK:
        runner = _RUNNERS.get(run.pk)
    if runner is None and what == "stop" and _as_it_is(run).may_move:
        _stop_unwatched(run)
        return
    if runner is None:
        raise CannotMake("This run is over.", "Send the sheet again, or go on from where it broke off.")
    acts = {
        "pause": runner.driver.pause, "resume": runner.driver.resume, "stop": runner.stop,
        "back": lambda: runner.driver.back(length),
    }  # fmt: skip
    acts[what]()
    if what in ("pause", "resume"):
        state = MachineRun.State.PAUSED if what == "pause" else MachineRun.State.RUNNING
        _tell(run.pk, state=state)


def newest(job_id: int, sheet: str) -> MachineRun | None:
    """The last run of a sheet, as far as it is by now, its head where it is on the sheet; one that no thread runs any
    more has broken off."""
    run = MachineRun.objects.filter(job_id=job_id, sheet=sheet).order_by("-id").first()
    return None if run is None else _as_it_is(run)


def moving() -> list[MachineRun]:
    """Runs whose machines move, or may: of each machine the newest."""
    going = models.Q(state__in=(MachineRun.State.RUNNING, MachineRun.State.PAUSED)) | models.Q(may_move=True)
    found = {run.port: _as_it_is(run) for run in MachineRun.objects.filter(going).select_related("job").order_by("id")}
    return list(found.values())


def _stop_unwatched(run: MachineRun) -> None:
    """Hold and stop a machine that no thread watches any more."""
    driver = SocketDriver(HOST, run.port, answers_within=3.0)
    try:
        if not driver.halt():
            raise Lost("The machine could not be told to stop.", "Use its own switch.")
        if driver.state().doing == "stopped":
            _tell(run.pk, may_move=False, message="Stopped.")
    finally:
        driver.close()


def _as_it_is(run: MachineRun) -> MachineRun:
    """A run as far as it is by now."""
    with _LOCK:
        runner = _RUNNERS.get(run.pk)
    if runner is not None:
        run.x, run.y, run.done = runner.state.x, runner.state.y, max(run.done, runner.state.line)
    elif run.state in (MachineRun.State.RUNNING, MachineRun.State.PAUSED):
        run.refresh_from_db()  # it may have ended in between
        if run.state in (MachineRun.State.RUNNING, MachineRun.State.PAUSED):
            _tell(
                run.pk, state=MachineRun.State.BROKEN, may_move=True,
                message="Nibble was stopped while this ran: the machine may still be moving.",
            )  # fmt: skip
            run.refresh_from_db()
    if run.lies is not None:
        run.x, run.y = Affine(*run.lies).inverse().map(np.array([[run.x, run.y]]))[0].tolist()
    return run


def _require_free(port: int) -> None:
    with _LOCK:
        busy = [runner.run_id for runner in _RUNNERS.values()]
    if MachineRun.objects.filter(id__in=busy, port=port).exists():
        raise CannotMake("This machine is at work.", "Wait until its run is done, or stop it.")
    if MachineRun.objects.filter(port=port, may_move=True).exists():
        raise CannotMake(
            "This machine may still be moving.", "Stop it first, or look at it and say that it stands still."
        )


def _start(run: MachineRun, program: bytes, driver: Driver) -> None:
    runner = Runner(run, program, driver)
    with _LOCK:
        _RUNNERS[run.pk] = runner
    runner.thread.start()


def _tell(run_id: int, **values: object) -> None:
    MachineRun.objects.filter(id=run_id).update(**values)


__all__ = ["Lost", "begin", "command", "go_on", "moves_made", "moving", "newest", "seen"]
