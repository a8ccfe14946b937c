"""Record a draw of syrup, and undo it."""

from __future__ import annotations

import uuid
from datetime import datetime

import structlog
from zucker_core import sugar

from ... import clock
from ...config.errors import Refused
from ...people.models import Operation, Person
from ..models import Draw, Instrument, Run
from .kept import written_at
from .start_run import require_open

log = structlog.get_logger()
REFRACTOMETER_SD = 0.2


def true_brix(operation: Operation, instrument: str, reading: float, temp_c: float) -> tuple[float, float]:
    """True °Brix and its standard deviation by the operation's own instruments. Raises OutOfRange."""
    if instrument == Instrument.HYDROMETER:
        brix = sugar.hydrometer_true_brix(reading, temp_c, operation.hydrometer_graduated_c)
        return float(brix), float(sugar.hydrometer_uncertainty(temp_c))
    return float(sugar.refractometer_true_brix(reading, temp_c, operation.refractometer_compensated)), REFRACTOMETER_SD


def record_draw(
    operation: Operation,
    run: Run,
    person: Person,
    *,
    volume_m3: float,
    instrument: str,
    reading: float,
    temp_c: float,
    set_c: float,
    at: datetime | None = None,
    token: uuid.UUID | None = None,
) -> Draw:
    """One draw with its density made true; a known token returns the draw it made. Raises OutOfRange or Refused."""
    token = token or uuid.uuid4()
    known = run.draws.filter(token=token).first()
    if known is not None:
        return known
    require_open(run)
    when = written_at(at, run.started_at)
    brix, sd = true_brix(operation, instrument, reading, temp_c)
    draw, _ = Draw.objects.get_or_create(
        run=run,
        token=token,
        defaults={
            "at": when,
            "by": person,
            "volume_m3": volume_m3,
            "instrument": instrument,
            "reading": reading,
            "temp_c": temp_c,
            "set_c": set_c,
            "true_brix": brix,
            "brix_sd": sd,
        },
    )
    log.info("draw", run=run.pk, draw=draw.pk, brix=round(brix, 2))
    return draw


def undo_draw(draw: Draw) -> None:
    """Take a draw back; its row and history stay."""
    require_open(draw.run)
    if draw.undone_at is not None:
        raise Refused("draw", "this draw is undone already", status=409)
    draw.undone_at = clock.now()
    draw.save(update_fields=["undone_at"])
