"""Everything that changes a job: one function a mutation, used by the API, tasks and commands alike."""

import logging
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from pathlib import PurePath
from typing import Any, NamedTuple

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from config.writing import writing
from files import blobs
from files.reader import READER
from files.results import STORE
from jobs import keeping
from jobs.keeping import ticket_of
from jobs.models import STEPS, Job, Revision
from jobs.queries import newest_revision
from jobs.signals import revised
from jobs.waiting import waits_for
from library.queries import library
from nibble_core.errors import InvalidTicket, NibbleError
from nibble_core.pipeline.read import DEEPER, ITS_PATHS, Picture, keep_read
from nibble_core.ticket import (
    Change,
    Ticket,
    added_piece,
    apply,
    brought,
    brought_again,
    first_ticket,
    overlap,
    scaled_distances,
    sought_by,
    words,
)
from nibble_core.ticket.artwork import Artwork, Trace
from nibble_core.ticket.piece import Lettering
from nibble_core.ticket.steps import Step

Author = User | None
SENSIBLE_WIDTHS = (10.0, 600.0)
USUAL_WIDTH = 100.0
PHOTO_SMOOTHING = 0.6
AGAIN = ", again"


class ChangedMeanwhile(NibbleError):
    """Somebody settled the same value since the revision this change was made on."""

    code = "changed-meanwhile"


class NothingToUndo(NibbleError):
    code = "nothing-to-undo"


def start_job(author: Author, content: bytes, file_name: str) -> Job:
    """A new job of a client's file. The file is looked at before anything is written; raises what reading raises."""
    name, sha256, picture = _taken_in(content, file_name)
    called = _called_after(name)
    ticket = first_ticket(
        name=(called[:1].upper() + called[1:])[:120], file=sha256, file_name=name, width=_first_width(picture),
        mode=_first_mode(picture), quantity=1, piece=called[:80], library=library(),
    )  # fmt: skip
    if picture.verdict.kind == "photo":  # hair and grain are not to be cut one by one
        ticket = apply(ticket, [Change("artworks/a1/trace/smooth", PHOTO_SMOOTHING)])
    return keep_new_job(author, ticket, f"started from {name}")


def keep_new_job(author: Author, ticket: Ticket, said: str) -> Job:
    """Write a job with its first revision."""
    with writing():
        job = Job.objects.create(
            name=ticket.name, client=ticket.client, due=_date(ticket.due), sought=sought_by(ticket)
        )
        Revision.objects.create(
            job=job, number=1, kind=Revision.Kind.CHANGE, author=author, words=said, state=1, **keeping.whole(ticket)
        )
    return job


def change_job(
    author: Author, job_id: int, seen: int, changes: Sequence[Change], *, said: str | None = None
) -> Revision:
    """Apply changes made on revision ``seen`` to the newest one, unless somebody settled the same values since.

    Raises ChangedMeanwhile with both sentences, InvalidTicket, Job.DoesNotExist.
    """
    changes = [_signed(change, author) for change in changes]
    newest = newest_revision(job_id)
    job = newest.job
    made = _changed(newest, seen, changes, said)  # while nobody waits for it
    with writing():
        if job.revisions.values_list("number", flat=True).last() != made.on.number:  # somebody was quicker
            made = _changed(_newest(job), seen, changes, said)
        return _append(
            job, made.on, author, kind=Revision.Kind.CHANGE, words=made.words, ticket=made.ticket, before=made.before,
            touched=[change.touched for change in changes], state=made.on.number + 1, parent=made.on.state,
        )  # fmt: skip


class _Made(NamedTuple):
    """What changes make of a revision: words, and the ticket, with the one before."""

    on: Revision
    words: str
    ticket: Ticket
    before: Ticket


def _changed(newest: Revision, seen: int, changes: Sequence[Change], said: str | None) -> _Made:
    _refuse_unborn(newest, seen)
    ticket, held = ticket_of(newest), library()
    said = said or _told_together([words(ticket, change, held) for change in changes])
    if newest.number > seen:
        _refuse_overlap(newest.job, seen, changes, said)
    changed = apply(ticket, changes, held)
    _require_files(changed, ticket)
    return _Made(newest, said, changed, ticket)


def _told_together(said: Sequence[str]) -> str:
    """Words of several changes: what is said more than once is said how often."""
    counts = Counter(said)
    return ", ".join(one if count == 1 else f"{one} ({count} times)" for one, count in counts.items())


def _signed(change: Change, author: Author) -> Change:
    """A note that is accepted bears who did so, and the day."""
    if change.path != "accepted" or change.operation != "add" or not isinstance(change.value, dict):
        return change
    own = {"by": _name(author), "on": timezone.localdate().isoformat()}
    return replace(change, value={**change.value, **own})


def bring_piece(author: Author, job_id: int, seen: int, sheet_id: str, other_id: int, piece_id: str) -> Revision:
    """A piece of another job brought onto a sheet, with its artworks. Raises Job.DoesNotExist, InvalidTicket."""
    there = _newest(Job.objects.get(id=other_id))
    if other_id == job_id:
        raise InvalidTicket("That piece is of this job.", "Raise its quantity, or bring it from another sheet.")
    here = ticket_of(_newest(Job.objects.get(id=job_id)))
    other = ticket_of(there)
    changes = brought(here, sheet_id, other, piece_id, job=other_id, revision=there.number)
    name = next(piece.name for piece in other.pieces if piece.id == piece_id)
    return change_job(author, job_id, seen, changes, said=f"{name} of “{other.name}” brought onto a sheet"[:400])


def bring_again(author: Author, job_id: int, seen: int, piece_id: str) -> Revision:
    """A brought piece made what it is now in its own job. Raises InvalidTicket."""
    here = ticket_of(_newest(Job.objects.get(id=job_id)))
    origin = next((piece.origin[0] for piece in here.pieces if piece.id == piece_id and piece.origin), None)
    home = Job.objects.filter(id=origin.job).first() if origin else None
    if home is None:
        raise InvalidTicket("The job it came from is not there any more.", "It stays as it was brought.")
    there = _newest(home)
    changes = brought_again(here, piece_id, ticket_of(there), revision=there.number)
    return change_job(author, job_id, seen, changes, said=f"brought anew from “{home.name}”")


def take_step(author: Author, job_id: int, seen: int, step: Step) -> Revision:
    """What one press does, to the newest revision. Raises Job.DoesNotExist, InvalidTicket, ChangedMeanwhile."""
    ticket = ticket_of(newest_revision(job_id))
    return change_job(author, job_id, seen, step.changes(ticket), said=step.said)


def tick_job(author: Author, job_id: int, step: str, done: bool) -> Job:
    """Write down that a step after the files is done, or is not. Raises InvalidTicket for an unknown one."""
    if step not in STEPS:
        raise InvalidTicket(f"“{step}” is no step of a job.", f"Choose among {', '.join(STEPS)}.")
    with writing():
        job = Job.objects.select_for_update().get(id=job_id)
        rest = [one for one in job.done if one["step"] != step]
        own = [{"step": step, "by": _name(author), "at": timezone.now().isoformat()}] if done else []
        job.done = sorted(rest + own, key=lambda one: STEPS.index(one["step"]))
        job.waits = waits_for(job.card or {}, job.done)
        job.save(update_fields=["done", "waits"])
    return job


def undo(author: Author, job_id: int, seen: int) -> Revision:
    """Take back the newest change that is not yet taken back, whoever made it; says whose it was."""
    with writing():
        job = Job.objects.get(id=job_id)
        newest = _newest(job)
        _refuse_unseen(newest, seen)
        undone = job.revisions.get(number=newest.state)
        if undone.parent is None:
            raise NothingToUndo("This is where the job began.", "")
        before = job.revisions.get(number=undone.parent)
        return _append(
            job, newest, author, kind=Revision.Kind.UNDO, words=f"took back {_whose(undone, author)}{undone.words}",
            ticket=ticket_of(before), touched=undone.touched, state=before.state,
            redo_from=newest.number,
        )  # fmt: skip


def redo(author: Author, job_id: int, seen: int) -> Revision:
    """Make the change again that the last undo took back."""
    with writing():
        job = Job.objects.get(id=job_id)
        newest = _newest(job)
        _refuse_unseen(newest, seen)
        if newest.redo_from is None:
            raise NothingToUndo("There is nothing to make again.", "")
        again = job.revisions.get(number=newest.redo_from)
        made = job.revisions.get(number=again.state)
        return _append(
            job, newest, author, kind=Revision.Kind.REDO, words=f"made again: {_whose(made, author)}{made.words}",
            ticket=ticket_of(again), touched=made.touched, state=again.state,
            redo_from=again.redo_from,
        )  # fmt: skip


def replace_artwork(
    author: Author, job_id: int, seen: int, artwork_id: str, content: bytes, file_name: str
) -> Revision:
    """Another file in an artwork's place; the ticket stays, and touch-ups that lose their place are listed by the
    work that follows. Raises what reading raises."""
    name, sha256, picture = _taken_in(content, file_name)
    here = f"artworks/{artwork_id}"
    changes = [Change(f"{here}/file", sha256), Change(f"{here}/name", name), Change(f"{here}/part", "")]
    with writing():
        newest = _newest(Job.objects.get(id=job_id))
        mode = ticket_of(newest).artwork(artwork_id).trace.mode
        if mode == "paths" and picture.drawing is None:
            changes.append(Change(f"{here}/trace/mode", _first_mode(picture)))
        return change_job(author, job_id, seen, changes, said=f"artwork replaced by {name}")


def add_artwork(author: Author, job_id: int, seen: int, piece_id: str, content: bytes, file_name: str) -> Revision:
    """One more client's file, as an element to the right of a piece's last one. Raises what reading raises."""
    name, sha256, picture = _taken_in(content, file_name)
    ticket = ticket_of(_newest(Job.objects.get(id=job_id)))
    taken = {artwork.id for artwork in ticket.artworks}
    taken |= {element.id for piece in ticket.pieces for element in piece.elements}
    number = next(n for n in range(2, 10_000) if f"a{n}" not in taken and f"e{n}" not in taken)
    artwork = {
        "id": f"a{number}", "file": sha256, "name": name, "width": _first_width(picture),
        "trace": {"mode": _first_mode(picture)},
    }  # fmt: skip
    piece = next((one for one in ticket.pieces if one.id == piece_id), None)
    element = {
        "id": f"e{number}",
        "content": {"kind": "artwork", "artwork": f"a{number}"},
        "way": "apart",
        "beside": piece.elements[-1].id if piece and piece.elements else "",
        "across": "right of it",
        "down": "centred",
        "x": 5.0,
    }
    changes = [
        Change("artworks", artwork, "add"),
        Change(f"pieces/{piece_id}/elements", element, "add"),
    ]
    return change_job(author, job_id, seen, changes, said=f"{name} added to the piece")


def add_piece(author: Author, job_id: int, seen: int, content: bytes, file_name: str) -> Revision:
    """One more client's file as a piece of its own. Raises what reading raises."""
    name, sha256, picture = _taken_in(content, file_name)
    ticket = ticket_of(_newest(Job.objects.get(id=job_id)))
    changes = added_piece(ticket, _new_artwork(ticket, sha256, name, picture), _called_after(name)[:80])
    return change_job(author, job_id, seen, changes, said=f"{name} added as a piece")


def add_parts(author: Author, job_id: int, seen: int, artwork_id: str) -> Revision:
    """Each further file of an artwork's zip, or page of its document, as a piece of its own. What cannot be read is
    left out and said. Raises what reading raises where none can be, and InvalidTicket where there is nothing else."""
    before = ticket = ticket_of(_newest(Job.objects.get(id=job_id)))
    artwork = next((one for one in ticket.artworks if one.id == artwork_id), None)
    if artwork is None:
        raise InvalidTicket("That artwork is not there any more.", "Look again.")
    content = blobs.fetch(artwork.file)
    whole = READER.read(content, artwork.name, artwork.part)
    there = {(one.file, one.part.split(DEEPER)[0]) for one in ticket.artworks if one.part}
    shown = artwork.part or whole.part or next(iter(whole.parts), "")
    there.add((artwork.file, shown.split(DEEPER)[0]))
    others = [part for part in whole.parts if DEEPER not in part and (artwork.file, part) not in there]
    others = [part for part in others if part != ITS_PATHS]
    if not others:
        raise InvalidTicket("All that this file holds is in the job already.", "Look at its pieces.")
    changes: list[Change] = []
    refused: list[NibbleError] = []
    for part in others:
        try:
            picture = READER.read(content, artwork.name, part)
        except NibbleError as error:
            refused.append(error)
            continue
        made = replace(_new_artwork(ticket, artwork.file, artwork.name, picture), part=part)
        called = _called_after(part) if "." in part else f"{_called_after(artwork.name)}, {part}"
        changes += (more := added_piece(ticket, made, PurePath(called).name[:80]))
        ticket = apply(ticket, more)
    if not changes:
        raise refused[0]
    left = f"; {len(refused)} cannot be read" if refused else ""
    count = len(ticket.pieces) - len(before.pieces)
    said = f"{'1 part' if count == 1 else f'{count} parts'} of {artwork.name} added as pieces{left}"
    return change_job(author, job_id, seen, changes, said=said)


def _new_artwork(ticket: Ticket, sha256: str, name: str, picture: Picture) -> Artwork:
    """A client's file as an artwork that is still to be given its id."""
    smallest = ticket.artworks[0].trace.smallest if ticket.artworks else Trace().smallest
    smooth = PHOTO_SMOOTHING if picture.verdict.kind == "photo" else 0.0
    trace = Trace(_first_mode(picture), smallest=smallest, smooth=smooth)
    return Artwork("a", sha256, name, width=_first_width(picture), trace=trace)


def scale_distances(author: Author, job_id: int, seen: int, factor: float) -> Revision:
    """Every distance of every line, and what is measured with it, times ``factor``. Raises InvalidTicket beyond
    limits."""
    ticket = ticket_of(_newest(Job.objects.get(id=job_id)))
    changes = scaled_distances(ticket, factor)
    return change_job(author, job_id, seen, changes, said=f"distances scaled to {100 * factor:.0f} %")


def duplicate_job(author: Author, job_id: int) -> Job:
    """The same ticket as a job of its own, without its history and its due date."""
    original = Job.objects.get(id=job_id)
    ticket = ticket_of(_newest(original))
    again = f"{ticket.name.removesuffix(AGAIN)[: 120 - len(AGAIN)]}{AGAIN}"
    copied = keep_new_job(author, replace(ticket, name=again, due=None), f"copied from {ticket.name}")
    copied.card = original.card
    copied.save(update_fields=["card"])
    return copied


def archive_job(job_id: int, archived: bool) -> Job:
    """Put a job away, or back on the board."""
    job = Job.objects.get(id=job_id)
    job.archived = archived
    job.save(update_fields=["archived"])
    return job


def _newest(job: Job) -> Revision:
    newest = job.revisions.last()
    assert newest is not None
    return newest


def _append(
    job: Job, newest: Revision, author: Author, *, ticket: Ticket, words: str, before: Ticket | None = None,
    **rest: Any,
) -> Revision:  # fmt: skip
    """One more revision. before: the ticket that a change was made of; none where what is shown was kept before."""
    job.name, job.client, job.due, job.sought = ticket.name, ticket.client, _date(ticket.due), sought_by(ticket)
    job.save(update_fields=["name", "client", "due", "sought"])
    if before is not None:
        rest |= keeping.changed(ticket, before, job.revisions.get(number=newest.state))
    made = Revision.objects.create(job=job, number=newest.number + 1, author=author, words=words[:400], **rest)
    keeping.remember(made, ticket)
    transaction.on_commit(lambda: revised.send(Revision, job_id=job.pk, number=made.number))
    return made


def _refuse_overlap(job: Job, seen: int, changes: Sequence[Change], said: str) -> None:
    for revision in job.revisions.filter(number__gt=seen):
        if any(overlap(change.touched, path) for change in changes for path in revision.touched):
            raise ChangedMeanwhile(
                f"{_name(revision.author)} has meanwhile: {revision.words}. You wanted: {said}.",
                "Look at the new value, then decide.",
            )


def _refuse_unborn(newest: Revision, seen: int) -> None:
    """A revision that nobody has made yet cannot have been seen."""
    if not 0 < seen <= newest.number:
        raise NibbleError(f"This job has no revision {seen}.", "Reload the page, then try again.")


def _require_files(changed: Ticket, before: Ticket) -> None:
    """Every file a ticket newly names is there. Raises InvalidTicket."""
    known = _files_of(before)
    for sha256, where in _files_of(changed).items():
        if sha256 not in known and not blobs.is_kept(sha256):
            raise InvalidTicket("There is no such file here.", "Add the file itself.", where=where)


def _files_of(ticket: Ticket) -> dict[str, str]:
    """SHA-256 of every file a ticket names, with the place that names it."""
    named = {artwork.file: f"artworks/{artwork.id}/file" for artwork in ticket.artworks}
    for piece in ticket.pieces:
        for element in piece.elements:
            words = element.content
            if isinstance(words, Lettering) and words.own_font:
                named[words.own_font] = f"pieces/{piece.id}/elements/{element.id}/content/own_font"
    named |= {sheet.stock.profile: f"sheets/{sheet.id}/stock/profile" for sheet in ticket.sheets if sheet.stock.profile}
    return named


def reopened(revision: Revision) -> Revision:
    """A revision that can be shown: itself; or, where its ticket cannot be read, the newest that can be, as a new
    revision that says so."""
    try:
        ticket_of(revision)
        return revision
    except Exception:
        logging.getLogger("nibble").exception("job %s: revision %s cannot be read", revision.job_id, revision.number)
    with writing():
        job = Job.objects.get(id=revision.job_id)
        newest = _newest(job)
        for earlier in job.revisions.filter(number__lt=newest.number).order_by("-number"):
            try:
                ticket = ticket_of(earlier)
            except Exception:  # whatever is wrong with it
                continue
            words = f"opened as it was before “{newest.words}”, which cannot be read any more"
            return _append(
                job, newest, None, kind=Revision.Kind.CHANGE, words=words, ticket=ticket, touched=[],
                state=newest.number + 1, parent=earlier.state, **keeping.whole(ticket),
            )  # fmt: skip
    raise NibbleError("This job cannot be read any more.", "Its files are kept. Please report this.")


def _refuse_unseen(newest: Revision, seen: int) -> None:
    if seen != newest.number:
        raise ChangedMeanwhile(
            f"{_name(newest.author)} has meanwhile: {newest.words}.", "Press again to take that back."
        )


def _whose(revision: Revision, author: Author) -> str:
    own = revision.author_id is None or (author is not None and revision.author_id == author.pk)
    return "" if own else f"{_name(revision.author)}’s "


def _name(author: Author) -> str:
    return author.get_username() if author is not None else "Somebody"


def _taken_in(content: bytes, file_name: str) -> tuple[str, str, Picture]:
    """A client's file, looked at and then kept: its name, its SHA-256, and what it shows. Raises what reading
    raises."""
    name = PurePath(file_name.replace("\\", "/")).name[:200] or "artwork"
    picture = READER.read(content, name)
    sha256 = blobs.keep(content)
    keep_read(STORE, sha256, name, picture)
    return name, sha256, picture


def _called_after(file_name: str) -> str:
    """What a job or a piece is called after the file it was made of."""
    return PurePath(file_name).stem.replace("_", " ").replace("-", " ").strip() or "new piece"


def _first_mode(picture: Picture) -> str:
    """What the verdict says will work; a picture in colours is printed and cut round to begin with."""
    kind = picture.verdict.kind
    return "paths" if kind == "paths" else "two-tone" if kind in ("line drawing", "filled shapes") else "outer"


def _first_width(picture: Picture) -> float:
    """The size the file states, if that is a sensible one."""
    stated = picture.drawing is not None or picture.placed
    if stated and SENSIBLE_WIDTHS[0] <= picture.own_width <= SENSIBLE_WIDTHS[1]:
        return round(picture.own_width, 1)
    if picture.stated_ppi and picture.stated_ppi > 100:
        width = picture.facts.width_px / picture.stated_ppi * 25.4
        if SENSIBLE_WIDTHS[0] <= width <= SENSIBLE_WIDTHS[1]:
            return round(width, 1)
    return USUAL_WIDTH


def _date(due: str | None) -> date | None:
    return date.fromisoformat(due) if due else None
