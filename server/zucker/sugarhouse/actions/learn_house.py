"""Learn the machines' parameters from the runs closed so far."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import structlog
from zucker_core import evaporator as fire
from zucker_core import membrane
from zucker_core.errors import CoreError
from zucker_core.estimate import Estimate
from zucker_core.run import Learned, RunRecord, learn
from zucker_core.sugar import density

from ..equipment import House, house_of
from ..models import Lesson, MembraneMachine, Run

log = structlog.get_logger()
RUNS_BACK = 30
FEED_C, DRAWN_C = 6.0, 93.0
LEARNED_MACHINE = ("permeability", "sigma", "fouling_per_m3")
LEARNED_EVAPORATOR = ("heat_w", "efficiency", "start_up_fire", "shut_down_fire")


def learn_house(run: Run) -> Lesson | None:
    """Keep what all runs up to this one teach; None when they teach nothing yet."""
    operation = run.operation
    house = house_of(operation)
    runs = list(
        Run.objects.of(operation)
        .filter(closed_at__isnull=False, closed_at__lte=run.closed_at)
        .order_by("-started_at")
        .prefetch_related("membrane_lines", "draws")[:RUNS_BACK]
    )[::-1]
    if not house.maker_evaporators:
        return None
    # one fire's runs teach that fire; with several nobody measured which burnt what
    boils = [_boil(house, one) if len(house.maker_evaporators) == 1 else None for one in runs]
    machines: dict[str, Any] = {}
    told: dict[str, Any] = {"membranes": [], "evaporator": None, "runs": 0}
    learned: Learned | None = None
    membranes: list[tuple[MembraneMachine | None, membrane.Machine | None]] = [
        *zip(house.machine_rows, house.maker_machines, strict=True)]
    for row, maker in membranes or [(None, None)]:
        records = [RunRecord(_lines(one, row), boil) for one, boil in zip(runs, boils, strict=True)]
        useful = [record for record in records if record.membrane or record.boil is not None]
        try:
            learned = learn(useful, maker, house.maker_evaporators[0])
        except CoreError as odd:
            log.warning("nothing learned", run=run.pk, why=str(odd))
            return None
        told["runs"] = max(told["runs"], len(useful))
        if row is not None and learned.machine is not None and learned.membrane_fit is not None:
            machines[str(row.pk)] = {key: getattr(learned.machine, key) for key in LEARNED_MACHINE}
            told["membranes"].append(_membrane_told(row, learned))
            told.setdefault(
                "logged_brix",
                [learned.membrane_fit.brix[0] - membrane.MARGIN_BRIX, learned.membrane_fit.brix[1] + membrane.MARGIN_BRIX],
            )
    if learned is None or (learned.evaporator_fit is None and not machines):
        return None
    evaporators = {}
    if learned.evaporator_fit is not None:
        evaporators[str(house.evaporator_rows[0].pk)] = {key: getattr(learned.evaporator, key) for key in LEARNED_EVAPORATOR}
        fit = learned.evaporator_fit
        told["evaporator"] = {
            "name": house.evaporator_rows[0].name,
            "heat_w": _estimate(fit.heat_w),
            "efficiency": _estimate(fit.efficiency),
            "maker_heat_w": house.maker_evaporators[0].heat_w,
            "maker_efficiency": house.maker_evaporators[0].efficiency,
            "health": _estimate(learned.evaporator_health),
        }
    told["doubt"] = asdict(learned.doubt)
    lesson, _ = Lesson.objects.update_or_create(
        run=run,
        defaults={
            "operation": operation, "at": run.closed_at or run.started_at, "machines": machines, "evaporators": evaporators,
            "facts": told},
    )
    return lesson


def _estimate(estimate: Estimate | None) -> dict[str, Any] | None:
    return None if estimate is None else asdict(estimate)


def _membrane_told(row: MembraneMachine, learned: Learned) -> dict[str, Any]:
    fit = learned.membrane_fit
    assert fit is not None
    latest = fit.fouling[max(fit.fouling)]
    return {
        "name": row.name,
        "permeability": _estimate(fit.permeability),
        "sigma": _estimate(fit.sigma),
        "fouling": _estimate(latest),
        "maker_permeability": fit.maker.permeability,
        "maker_sigma": fit.maker.sigma,
        "maker_fouling": fit.maker.fouling_per_m3,
        "told_apart": fit.told_apart,
        "told": fit.told,
        "brix": list(fit.brix),
        "health": _estimate(learned.membrane_health),
    }


def _lines(run: Run, row: MembraneMachine | None) -> list[membrane.Record]:
    if row is None:
        return []
    found = []
    for line in run.membrane_lines.all():
        if line.machine_id == row.pk and line.undone_at is None:
            found.append(
                membrane.Record(
                    line.feed_brix,
                    line.concentrate_brix,
                    line.temp_c,
                    line.pressure_pa,
                    line.permeate_m3_s,
                    line.since_wash_m3,
                    line.cycle,
                )
            )
    return found


def _boil(house: House, run: Run) -> fire.Record | None:
    """A run's evaporation: what was drawn over what was fed. None where its hours at the boil are not known."""
    facts = run.figures
    draws = [d for d in run.draws.all() if d.undone_at is None]
    seconds, feed = facts.get("boil_s"), facts.get("feed_brix")
    if not draws or not seconds or not feed or seconds < 600:
        return None
    try:
        water = sum(fire.water_off(d.volume_m3 * float(density(d.true_brix, DRAWN_C)), d.true_brix, feed) for d in draws)
        return fire.Record(water, seconds, feed, FEED_C, run.fuel or None)
    except CoreError:
        return None
