"""Background work: next month's partition, rollups."""

from __future__ import annotations

from datetime import timedelta

from procrastinate.contrib.django import app

from .. import clock
from .actions.roll_up import roll_up
from .partitions import ensure_months


@app.periodic(cron="17 * * * *")
@app.task(queueing_lock="partitions", pass_context=False)
def make_partitions(timestamp: int) -> None:
    """This month's and next month's partitions."""
    now = clock.now()
    ensure_months(now, now + timedelta(days=31))


@app.periodic(cron="*/5 * * * *")
@app.task(queueing_lock="rollups", pass_context=False)
def make_rollups(timestamp: int) -> None:
    """The last two hours, or as much as a demo's clock runs between two calls."""
    now = clock.now()
    roll_up(now - timedelta(hours=2) - timedelta(minutes=10 * clock.pace()), now + timedelta(minutes=10))
