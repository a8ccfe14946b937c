"""The leak tables of a bush (`vacuum.signatures`): made by the worker, kept on disk until the survey changes, held in memory by
each process that asks. While one is being made, the nearest that there is serves, an older survey's too."""

from __future__ import annotations

import contextlib
import hashlib
import os
import threading
from collections import OrderedDict
from pathlib import Path

import numpy as np
import structlog
from django.conf import settings
from django.db import transaction
from procrastinate.exceptions import AlreadyEnqueued
from zucker_core import vacuum
from zucker_core.units import M3_PER_GALLON

from .models import Bush, GaugeState
from .networks import network_of

log = structlog.get_logger()
RATES_M3_S = tuple(gph * M3_PER_GALLON / 3600 for gph in (0.0, 0.02, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4))
"""Sap flows of a tap for which tables are made; the nearest serves."""
KEPT = 12
TAUGHT_HOURS = 48.0
TAUGHT_ERROR = 0.12
"""What a branch's resistance may still be off by when its gauges have taught it for two days of pumping."""
LEAST_TAUGHT, MOST_TAUGHT = 0.3, 3.0
"""A branch that seems to be further off than this is not believed: something else is wrong there."""
MADE_AS = 1
"""Counts up whenever the core makes tables otherwise, so that old files are not read."""
Key = tuple[int, int, int, tuple[float, ...]]
_tables: OrderedDict[Key, vacuum.Signatures] = OrderedDict()
_lock = threading.Lock()


def table_of(bush: Bush, rate_m3_s: float) -> vacuum.Signatures:
    """The table for the bush as surveyed and taught, about this sap flow. Only a bush that has none at all, in memory or on
    disk, has it made here (a second or two for 460 nodes)."""
    key, taught = _key(bush, rate_m3_s)
    with _lock:
        if key in _tables:
            _tables.move_to_end(key)
            return _tables[key]
    if _file(key).exists():
        return _read(bush, key, taught)
    with _lock:
        near = [k for k in _tables if k[0] == key[0]]
    if near:
        ask(bush, rate_m3_s)
        return _tables[min(near, key=lambda k: (k[1] != key[1], k[3] != key[3], abs(k[2] - key[2])))]
    return make(bush, rate_m3_s)


def warm(bush: Bush, rate_m3_s: float) -> None:
    """See to it that the bush's table will be there when a hunt begins."""
    key, _ = _key(bush, rate_m3_s)
    if key not in _tables and not _file(key).exists():
        ask(bush, rate_m3_s)


def ask(bush: Bush, rate_m3_s: float) -> None:
    """Have the worker make it; asking twice is harmless."""
    from .jobs import make_table

    key, _ = _key(bush, rate_m3_s)
    # a savepoint: being asked already must not spoil the transaction that this may stand in
    with contextlib.suppress(AlreadyEnqueued), transaction.atomic():
        make_table.configure(queueing_lock=f"table {_file(key).stem}").defer(bush=bush.pk, rate_m3_s=rate_m3_s)


def make(bush: Bush, rate_m3_s: float) -> vacuum.Signatures:
    """Make the table and keep it."""
    key, taught = _key(bush, rate_m3_s)
    table = _table(bush, key, taught, None)
    _write(key, table.falls)
    return _hold(key, table)


def _key(bush: Bush, rate_m3_s: float) -> tuple[Key, dict[str, float]]:
    step = min(range(len(RATES_M3_S)), key=lambda i: abs(RATES_M3_S[i] - rate_m3_s))
    taught = _taught(bush)
    return (bush.pk, bush.survey, step, tuple(taught.values())), taught


def _file(key: Key) -> Path:
    """Where a table is kept. The database's name is in it, so that two never share one."""
    told = hashlib.sha256(repr((settings.DATABASES["default"]["NAME"], key, MADE_AS)).encode()).hexdigest()[:20]
    return Path(settings.TABLES) / f"{key[0]}-{key[1]}-{key[2]}-{told}.npz"


def _read(bush: Bush, key: Key, taught: dict[str, float]) -> vacuum.Signatures:
    try:
        with np.load(_file(key), allow_pickle=False) as kept:
            falls = vacuum.Falls(kept["fall"], kept["shared"], kept["pipes"])
    except (OSError, ValueError, KeyError) as error:  # torn or gone: make it anew
        log.warning("leak table unreadable", bush=bush.pk, error=str(error))
        return _hold(key, _table(bush, key, taught, None))
    return _hold(key, _table(bush, key, taught, falls))


def _write(key: Key, falls: vacuum.Falls) -> None:
    """Whole or not at all: another process may read at any moment. Tables of surveys before the last are thrown away."""
    folder = Path(settings.TABLES)
    folder.mkdir(parents=True, exist_ok=True)
    part = folder / f"{_file(key).stem}.{os.getpid()}.part"
    with part.open("wb") as out:
        np.savez(out, fall=falls.fall, shared=falls.shared, pipes=falls.pipes)
    part.replace(_file(key))
    for old in folder.glob(f"{key[0]}-*.npz"):
        if int(old.stem.split("-")[1]) < key[1]:
            old.unlink(missing_ok=True)


def _hold(key: Key, table: vacuum.Signatures) -> vacuum.Signatures:
    with _lock:
        _tables[key] = table
        while len(_tables) > KEPT:
            _tables.popitem(last=False)
    return table


def _taught(bush: Bush) -> dict[str, float]:
    """Resistance of each mainline as its gauges have taught it, in tenths, so that the table is not made anew for
    every small change; empty until all that teach have done so for two days."""
    network = network_of(bush)
    names = vacuum.branches_of(network)
    factors: dict[str, list[float]] = {}
    for row in GaugeState.objects.filter(sensor__nodes__bush=bush).select_related("sensor"):
        node = network.sensors.get(row.sensor.tag)
        if not node or not row.learned:
            continue
        known = vacuum.Learned.from_json(row.learned)
        if known.weight >= TAUGHT_HOURS:
            factors.setdefault(str(names[node]), []).append(known.resistance)
    means = {main: sum(found) / len(found) for main, found in sorted(factors.items()) if main}
    return {main: round(min(max(mean, LEAST_TAUGHT), MOST_TAUGHT), 1) for main, mean in means.items()}


def _table(bush: Bush, key: Key, taught: dict[str, float], falls: vacuum.Falls | None) -> vacuum.Signatures:
    network = network_of(bush)
    resistance = np.array([taught.get(str(name), 1.0) for name in vacuum.branches_of(network)])
    all_taught = bool(taught) and len(taught) >= 0.8 * len(network.mains)
    error = vacuum.ModelError(branch_resistance=TAUGHT_ERROR) if all_taught else vacuum.ModelError()
    return vacuum.signatures(
        network, conditions=vacuum.Conditions(RATES_M3_S[key[2]], resistance=resistance), error=error, falls=falls)
