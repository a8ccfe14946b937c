"""Write a line in the run's log, and undo it."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from ... import clock
from ...config.errors import Refused
from ...people.models import Operation, Person
from ..models import Entry, EntryKind, Run
from .kept import written_at
from .record_draw import true_brix
from .start_run import require_open


def log_entry(
    run: Run,
    person: Person,
    kind: str,
    text: str = "",
    *,
    at: datetime | None = None,
    token: uuid.UUID | None = None,
    facts: dict[str, Any] | None = None,
) -> Entry:
    """One line: lit, fired, level checked, defoamer, an alarm seen, or a note, which needs its text.

    A token that is known already returns the line it made, so that it may be sent again.
    """
    token = token or uuid.uuid4()
    known = run.entries.filter(token=token).first()
    if known is not None:
        return known
    require_open(run)
    if kind == EntryKind.NOTE and not text:
        raise Refused("text", "a note needs some words", value="")
    when = written_at(at, run.started_at)
    entry, _ = Entry.objects.get_or_create(
        run=run, token=token, defaults={"at": when, "by": person, "kind": kind, "text": text, "facts": facts or {}}
    )
    return entry


def log_cup(
    operation: Operation,
    run: Run,
    person: Person,
    *,
    instrument: str,
    reading: float,
    temp_c: float,
    set_c: float,
    at: datetime | None = None,
    token: uuid.UUID | None = None,
) -> Entry:
    """A cup's density, made true, without a draw: it moves the draw-off as a draw's does. Raises OutOfRange or Refused."""
    brix, sd = true_brix(operation, instrument, reading, temp_c)
    facts = {"instrument": instrument, "reading": reading, "temp_c": temp_c, "set_c": set_c, "true_brix": brix, "brix_sd": sd}
    return log_entry(run, person, EntryKind.CUP, at=at, token=token, facts=facts)


def undo_entry(entry: Entry) -> None:
    """Take a line back; its row and history stay."""
    require_open(entry.run)
    if entry.undone_at is not None:
        raise Refused("entry", "this line is undone already", status=409)
    entry.undone_at = clock.now()
    entry.save(update_fields=["undone_at"])
