"""Background work of the woods: watch every bush each minute, let its gauges teach each hour."""

from __future__ import annotations

from procrastinate.contrib.django import app

from .. import clock
from .actions.bring_back import bring_back
from .actions.learn_bush import learn_bush
from .actions.watch_bush import watch_bush
from .models import Bush


@app.periodic(cron="* * * * *")
@app.task(queueing_lock="watch", pass_context=False)
def watch_bushes(timestamp: int) -> None:
    """All bushes, up to the last whole minute."""
    now = clock.now().replace(second=0, microsecond=0)
    for bush in Bush.objects.filter(hauled=False, survey__gt=0):
        watch_bush(bush, now)
        bring_back(bush, now)


@app.periodic(cron="7 * * * *")
@app.task(queueing_lock="learn", pass_context=False)
def learn_bushes(timestamp: int) -> None:
    """All bushes, up to the last whole hour."""
    for bush in Bush.objects.filter(hauled=False, survey__gt=0):
        learn_bush(bush, clock.now().replace(minute=0, second=0, microsecond=0))
