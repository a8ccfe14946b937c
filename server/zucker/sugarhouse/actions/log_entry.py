"""Write a line in the run's log, and undo it."""

from __future__ import annotations

from ... import clock
from ...config.errors import Refused
from ...people.models import Person
from ..models import Entry, EntryKind, Run
from .start_run import require_open


def log_entry(run: Run, person: Person, kind: str, text: str) -> Entry:
    """One line: fired, level checked, defoamer, or a note, which needs its text."""
    require_open(run)
    if kind == EntryKind.NOTE and not text:
        raise Refused("text", "a note needs some words", value="")
    return Entry.objects.create(run=run, at=clock.now(), by=person, kind=kind, text=text)


def undo_entry(entry: Entry) -> None:
    """Take a line back; its row and history stay."""
    require_open(entry.run)
    if entry.undone_at is not None:
        raise Refused("entry", "this line is undone already", status=409)
    entry.undone_at = clock.now()
    entry.save(update_fields=["undone_at"])
