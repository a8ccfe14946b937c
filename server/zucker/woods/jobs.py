"""Background work of the woods: watch every bush and tell of it each minute, let its gauges teach each hour."""

from __future__ import annotations

from procrastinate.contrib.django import app

from .. import clock
from .actions.ask_station import give_up_waiting
from .actions.bring_back import bring_back
from .actions.learn_bush import learn_bush
from .actions.send_notices import send_notices
from .actions.watch_bush import watch_bush
from .models import Bush
from .tables import make


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


@app.periodic(cron="* * * * *")
@app.task(queueing_lock="notices", pass_context=False)
def tell(timestamp: int) -> None:
    """Contacts of alarms and of people overdue; requests that no station answered."""
    give_up_waiting(clock.now())
    send_notices(clock.now())


@app.task(pass_context=False)
def make_table(bush: int, rate_m3_s: float) -> None:
    """The leak table of a bush for a sap flow, for hunts to come."""
    found = Bush.objects.filter(pk=bush, survey__gt=0).first()
    if found is not None:
        make(found, rate_m3_s)
