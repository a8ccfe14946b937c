"""Reads of hunts: the belief replayed from the case's steps, the advice, the line straightened out."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from zucker_core import sap, vacuum
from zucker_core.errors import CoreError

from ..people.models import Operation
from ..season.models import WeatherHour
from ..sugarhouse.prices import prices_of
from ..telemetry.models import Kind, Reading, Sensor
from ..telemetry.queries import latest_of, sensors_by_part
from .gauging import MINUTE
from .models import CaseStep, LeakCase, Tapping
from .tables import table_of

FLOWING_M3_S = 1e-6
OPEN = ("suspected", "narrowing", "found", "repaired", "waiting")
SEARCHING = ("suspected", "narrowing", "waiting")
TESTS = ("shut", "look")
DARK_FROM, DARK_TO = 19, 6


@dataclass(frozen=True)
class Conditions:
    """What decides whether a leak is noticed: wind m/s (None unknown), darkness, whether sap runs."""

    wind_m_s: float | None
    dark: bool
    running: bool

    @property
    def notice(self) -> float:
        """Chance to notice a leak where one looks."""
        return vacuum.Pace().notice(self.wind_m_s, dark=self.dark, running=self.running)

    @property
    def listen(self) -> bool:
        """Whether listening is of any use."""
        return self.wind_m_s is None or self.wind_m_s <= 4.0


def conditions_of(operation: Operation, now: Any) -> Conditions:
    """From the wind gauge or the weather's hour, the clock and the releasers."""
    from zoneinfo import ZoneInfo

    parts = sensors_by_part(operation)
    wind = latest_of(parts.get(("outdoors", Kind.WIND)))
    hour = WeatherHour.objects.of(operation).filter(at__lte=now).order_by("-at").first()
    speed = wind.value if wind and not wind.stale else (hour.wind_m_s if hour else None)
    local = now.astimezone(ZoneInfo(operation.zone)).hour
    flows = [latest_of(s) for (part, kind), s in parts.items() if part.startswith("releaser") and kind == Kind.FLOW]
    running = not flows or any(f is not None and f.value > 1e-6 for f in flows)
    return Conditions(speed, local >= DARK_FROM or local < DARK_TO, running)


def priors_of(case: LeakCase) -> dict[str, float]:
    """What makes a place likelier: old tubing, taps noted as soft, leaks found there before."""
    network = table_of(case.bush, case.sap_rate).network
    before = LeakCase.objects.filter(bush=case.bush, found_at__gt="", opened_at__lt=case.opened_at)
    past = before.values_list("found_at", flat=True)
    soft: dict[str, int] = {}
    noted = Tapping.objects.filter(bush=case.bush, undone_at__isnull=True, soft__gt=0, lateral__gt="")
    for lateral, count in noted.values_list("lateral", "soft"):
        soft[lateral] = soft.get(lateral, 0) + count
    return vacuum.prior(network, case.opened_at.year, soft, past)


def noise_of(case: LeakCase, tags: Iterable[str]) -> dict[str, float]:
    """Noise of each gauge, Pa: a dial read by eye is worth less than a gauge's mean."""
    dials = set(Sensor.objects.of(case.operation).filter(tag__in=list(tags), by_hand=True).values_list("tag", flat=True))
    return {tag: vacuum.HAND_NOISE_PA if tag in dials else case.noise_pa for tag in tags}


def search_of(case: LeakCase, steps: Iterable[CaseStep], position: str | None = None) -> vacuum.Search:
    """The search as it stands: what the gauges said when the case was opened, then each step that was not undone."""
    table = table_of(case.bush, case.sap_rate)
    drops = {tag: fall for tag, fall in case.drops.items() if tag in table.sensors}
    location = vacuum.locate(table.network, drops, noise_of(case, drops), table=table, prior=priors_of(case))
    leak = max(location.leaks, key=lambda one: one.branches.get(case.main, 0.0)) if case.main else location.leaks[0]
    search = vacuum.Search.begin(leak)
    for step in steps:
        if step.undone_at is not None:
            continue
        try:
            if step.kind == "shut":
                search = _after_shut(search, step)
            elif step.kind == "look":
                search = search.after_look(step.place, float(step.facts.get("notice", 0.9)))
        except CoreError:
            continue  # the place is gone from the survey: the step stays in the log and tells nothing any more
    return search.moved_to(position) if position and position in table.network.index else search


def _after_shut(search: vacuum.Search, step: CaseStep) -> vacuum.Search:
    if step.facts.get("rises_pa"):
        return search.after_shut(step.place, step.facts["rises_pa"], step.facts.get("holds_pa_s"))
    return search.after_word(step.place, rose=bool(step.facts.get("rose")))


def position_of(case: LeakCase, steps: list[CaseStep], person: int | None) -> str | None:
    """Where this person was last: at the place of their last step, otherwise the pump."""
    mine = [s.place for s in steps if s.undone_at is None and s.place and s.by_id == person]
    return mine[-1] if mine else None


def taken_of(steps: list[CaseStep], person: int | None) -> list[str]:
    """Places that others of the crew said they go to and have not reported from yet."""
    going: dict[int | None, str] = {}
    for step in steps:
        if step.undone_at is None and step.by_id != person:
            going[step.by_id] = step.place if step.kind == "going" else ""
    return [place for place in going.values() if place]


def money_of(operation: Operation, case: LeakCase) -> dict[str, float]:
    """What the leak costs now: sap (m³/s) and money a second, by how far its mainline's gauge had fallen."""
    network = table_of(case.bush, case.sap_rate).network
    taps = float(network.taps[network.mains[case.main]].sum()) if case.main in network.mains else float(network.taps.sum())
    fall = max(case.drops.values(), default=0.0)
    bare = sap.bare_rate(min(max(case.sap_rate, 0.0), 1e-3), 25.0)
    brix = latest_of(sensors_by_part(operation).get(("sap tank", Kind.BRIX)))
    lost = vacuum.loss(taps, bare, min(max(fall, 0.0), 1e5), sap_brix=min(max(brix.value, 0.5), 10) if brix else 2.0,
                       syrup_price_m3=prices_of(operation).syrup_m3)
    return {"sap_m3_s": float(lost.sap_m3_s), "money_s": float(lost.money_s)}


def sap_seconds(case: LeakCase, until: Any) -> float:
    """How long the bush gave sap while the leak was open, s: by its releaser's flow where there is one, else all the time."""
    sensor = sensors_by_part(case.operation).get((f"releaser {case.bush.slug}", Kind.FLOW))
    if sensor is None:
        return max((until - case.opened_at).total_seconds(), 0.0)
    hours = {start.replace(minute=0, second=0, microsecond=0) for start in Reading.objects.filter(
        sensor=sensor, at__gte=case.opened_at, at__lte=until, value__gt=FLOWING_M3_S).values_list("at", flat=True)}
    return min(3600.0 * len(hours), max((until - case.opened_at).total_seconds(), 0.0))


def summary(case: LeakCase, steps: list[CaseStep]) -> dict[str, Any]:
    """A line of the list of cases."""
    done = [s for s in steps if s.undone_at is None]
    return {
        "number": case.number, "state": case.state, "bush": case.bush.slug, "main": case.main, "opened_at": case.opened_at,
        "opened_by": case.opened_by.username if case.opened_by else None, "closed_at": case.closed_at,
        "fall_pa": max(case.drops.values(), default=0.0), "found_at": case.found_at, "found_cause": case.found_cause,
        "steps": len([s for s in done if s.kind in TESTS]), "minutes": minutes_spent(case, done),
    }


def minutes_spent(case: LeakCase, done: list[CaseStep]) -> float:
    """From the first test to the finding (or the last test), breaks of over an hour left out."""
    moments = [s.at for s in done if s.kind in (*TESTS, "going", "found", "not_found")]
    gaps = [(b - a) / MINUTE for a, b in pairwise(moments)]
    return float(sum(gap for gap in gaps if 0 <= gap <= 60))


def hunt_view(case: LeakCase, person: int | None, now: Any) -> dict[str, Any]:
    """Everything that the Hunt room shows of one case."""
    steps = list(case.steps.select_related("by").order_by("at", "pk"))
    conditions = conditions_of(case.operation, now)
    search = search_of(case, steps, position_of(case, steps, person))
    view = summary(case, steps) | money_of(case.operation, case) | {
        "alarm": _alarm(case), "steps_log": [_step(step) for step in steps],
        "wind_m_s": conditions.wind_m_s, "listen": conditions.listen, "notice": conditions.notice,
        "position": search.position, "leak": leak_shape(search), "strip": strip(search, case.main), "advice": [], "others": [],
    }
    if case.state in SEARCHING:
        view["advice"] = advice_of(search, conditions.notice, taken_of(steps, person))
        view["others"] = [
            {"who": s.by.username if s.by else "", "place": s.place} for s in steps
            if s.kind == "going" and s.undone_at is None and s.by_id != person and s.place in taken_of(steps, person)
        ]
    return view


def advice_of(search: vacuum.Search, notice: float, taken: list[str], most: int = 3) -> list[dict[str, Any]]:
    """What to do next with what each outcome would mean, the best first."""
    found = vacuum.hunt(search, notice=notice, taken=taken, most=most)
    return [
        {
            "action": a.action, "at": a.at, "minutes": a.minutes, "walk_m": a.walk_m, "chance": a.chance, "bits": a.bits,
            "outcomes": [
                {"name": o.name, "chance": o.chance, "metres": o.metres, "rise_pa": max(o.rises_pa.values(), default=None),
                 "gauge": max(o.rises_pa, key=o.rises_pa.__getitem__, default=None),
                 "hold_pa_s": max(o.hold_pa_s.values(), default=None)}
                for o in search.outcomes(a, notice)
            ],
        }
        for a in found
    ]


def leak_shape(search: vacuum.Search) -> dict[str, Any]:
    """What is believed of the leak: size, metres, places, branches."""
    leak = search.leak
    return {
        "size_scfm": leak.size_scfm(), "size_low": leak.size_scfm(0.05), "size_high": leak.size_scfm(0.95),
        "metres": leak.credible_m(), "nodes": leak.credible()[:40],
        "branches": [{"main": name, "chance": chance} for name, chance in list(leak.branches.items())[:4] if chance > 0.005],
    }


def strip(search: vacuum.Search, main: str) -> list[dict[str, Any]]:
    """The suspect mainline straightened out from the pump: each place with its distance and probability.

    `row` 0 is the way to the far end; spurs take the rows below. Laterals are counted at their saddle.
    """
    network = search.ground.network
    chosen = main if main in network.mains else next((n for n in search.leak.branches if n), "")
    share = dict(zip((int(c) for c in search.ground.places), search.belief.sum(axis=1), strict=True))
    names = vacuum.branches_of(network)
    inside = [i for i in share if names[i] == chosen] if chosen else list(share)
    if not inside:
        return []
    far = max(inside, key=lambda i: network.distance_m[i])
    way = set()
    at = far
    while at >= 0:
        way.add(at)
        at = int(network.parent[at])
    shown = sorted(way | set(inside))
    row_of: dict[int, int] = {}
    rows = 0
    for i in shown:
        if i in way:
            row_of[i] = 0
        else:
            below = int(network.parent[i])
            if row_of.get(below, 0) > 0 and below in row_of:
                row_of[i] = row_of[below]
            else:
                rows += 1
                row_of[i] = rows
    laterals = np.bincount(network.parent[1:], weights=[
        1.0 if line is not None and line.kind == "lateral" else 0.0 for line in network.lines[1:]], minlength=len(network))
    return [
        {"tag": network.nodes[i].tag, "kind": network.nodes[i].kind, "sensor": network.nodes[i].sensor, "row": row_of[i],
         "distance_m": float(network.distance_m[i]), "chance": float(share.get(i, 0.0)), "laterals": int(laterals[i]),
         "from_m": float(network.distance_m[max(int(network.parent[i]), 0)])}
        for i in shown
    ]


def _alarm(case: LeakCase) -> dict[str, Any] | None:
    alarm = case.alarm
    if alarm is None:
        return None
    return {"cause": alarm.cause, "causes": alarm.causes, "opened_at": alarm.opened_at,
            "sap_lost_m3": alarm.sap_lost_m3, "money_lost": float(alarm.money_lost), "over": alarm.closed_at is not None}


def _step(step: CaseStep) -> dict[str, Any]:
    return {"id": step.pk, "token": step.token, "at": step.at, "by": step.by.username if step.by else None, "kind": step.kind,
            "place": step.place, "facts": step.facts, "undone": step.undone_at is not None, "photo": step.kind == "photo"}


def rises_between(case: LeakCase, valve: str, began: Any, until: Any) -> tuple[dict[str, float], dict[str, float]]:
    """What the live gauges did while a valve was shut: rises (Pa) of those that stayed connected, from the minutes
    before to the last three, and how fast those behind lost vacuum (Pa/s). Empty where too few readings came."""
    from .gauging import minutes_of

    network = table_of(case.bush, case.sap_rate).network
    minutes = minutes_of(case.bush, began - 8 * MINUTE, until)
    if minutes is None or valve not in network.index:
        return {}, {}
    node, last = network.index[valve], int(network.last[network.index[valve]])
    falls = minutes.falls_pa
    before, after, shut = falls[:8], falls[-3:], falls[8:]
    rises, holds = {}, {}
    for i, tag in enumerate(minutes.tags):
        if np.isfinite(before[:, i]).sum() < 3 or np.isfinite(after[:, i]).sum() < 2:
            continue
        behind = node <= network.sensors[tag] < last
        if behind:
            seen = np.isfinite(shut[:, i])
            if seen.sum() >= 3:
                slope = np.polyfit(np.flatnonzero(seen), shut[seen, i], 1)[0]
                holds[tag] = max(float(slope) / 60, 0.0)
        else:
            rises[tag] = float(np.nanmean(before[:, i]) - np.nanmean(after[:, i]))
    return rises, holds


