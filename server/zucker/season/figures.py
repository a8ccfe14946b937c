"""Runs and years compared; every figure leads to the runs behind it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from zoneinfo import ZoneInfo

from django.db.models import Q, Sum
from django.db.models.functions import ExtractYear
from zucker_core.evaporator import FUELS

from ..barrels.models import Move, Went
from ..people.models import Operation
from ..sugarhouse.equipment import house_of
from ..sugarhouse.models import CleanWaterTest, Lesson, Run
from ..sugarhouse.prices import prices_of
from ..woods.models import CaseStep
from .season_end import end_signs


def compare_years(operation: Operation) -> dict[str, Any]:
    """Every run's figures, every year's sums and means, machines' health, leaks, money. SI; fuel in its trade unit."""
    zone, house = ZoneInfo(operation.zone), house_of(operation)
    fuel = FUELS[house.evaporator.fuel] if house.evaporator else FUELS["oil"]
    price = prices_of(operation).syrup_m3
    drawn = Sum("draws__volume_m3", filter=Q(draws__undone_at__isnull=True))
    rows = (
        Run.objects.of(operation)
        .filter(closed_at__isnull=False)
        .only("number", "started_at", "closed_at", "taps", "fuel", "labour_s", "figures")
        .order_by("started_at")
        .annotate(drawn_m3=drawn)
    )
    runs = [_run(run, zone, fuel.trade_size) for run in rows]
    years = sorted({run["year"] for run in runs}, reverse=True)
    leaks, sold = _leaks(operation, zone), _sold(operation, zone)
    return {
        "fuel_unit": fuel.trade_unit,
        "currency": operation.currency,
        "runs": runs,
        "years": [_year(year, [r for r in runs if r["year"] == year], leaks.get(year), sold.get(year), price) for year in years],
        "membrane": _health(operation),
        "end": end_signs(operation),
    }


def _run(run: Run, zone: ZoneInfo, trade_size: float) -> dict[str, Any]:
    facts = run.figures
    syrup = facts.get("syrup_m3") or run.drawn_m3 or 0.0  # type: ignore[attr-defined]  # summed above
    fuel = None if run.fuel is None else run.fuel / trade_size
    started = run.started_at.astimezone(zone)
    return {
        "number": run.number,
        "year": started.year,
        "day": started.timetuple().tm_yday,
        "started_at": run.started_at,
        "taps": run.taps,
        "sap_m3": facts.get("sap_m3"),
        "sap_brix": facts.get("sap_brix"),
        "syrup_m3": syrup,
        "fuel": fuel,
        "fuel_per_syrup": fuel / syrup if fuel is not None and syrup > 0 else None,
        "hours": facts.get("hours"),
        "labour_h": None if run.labour_s is None else run.labour_s / 3600,
    }


def _year(
    year: int, runs: Sequence[dict[str, Any]], leaks: dict[str, Any] | None, sold: float | None, syrup_price: float
) -> dict[str, Any]:
    def total(name: str) -> float:
        return float(sum(run[name] or 0.0 for run in runs))

    syrup, sap = total("syrup_m3"), total("sap_m3")
    taps = max((run["taps"] for run in runs), default=0)
    weighted = [(run["sap_m3"], run["sap_brix"]) for run in runs if run["sap_m3"] and run["sap_brix"]]
    burnt = [(run["fuel"], run["syrup_m3"]) for run in runs if run["fuel"] is not None and run["syrup_m3"] > 0]
    return {
        "year": year,
        "runs": len(runs),
        "first_day": runs[0]["day"],
        "last_day": runs[-1]["day"],
        "taps": taps,
        "sap_m3": sap,
        "syrup_m3": syrup,
        "syrup_per_tap_m3": syrup / taps if taps else None,
        "sap_per_tap_m3": sap / taps if taps and sap else None,
        "sap_brix": sum(v * b for v, b in weighted) / sum(v for v, _ in weighted) if weighted else None,
        "fuel": total("fuel"),
        "fuel_per_syrup": sum(f for f, _ in burnt) / sum(s for _, s in burnt) if burnt else None,
        "hours": total("hours"),
        "labour_h": total("labour_h"),
        "leaks": leaks["count"] if leaks else 0,
        "leaks_cost": leaks["money"] if leaks else 0.0,
        "leak_cases": leaks["cases"] if leaks else [],
        "sold": sold or 0.0,
        "worth": syrup * syrup_price,
    }


def _leaks(operation: Operation, zone: ZoneInfo) -> dict[int, dict[str, Any]]:
    found: dict[int, dict[str, Any]] = {}
    proofs = CaseStep.objects.of(operation).filter(kind="proven", undone_at__isnull=True).select_related("case")
    for step in proofs:
        row = found.setdefault(step.at.astimezone(zone).year, {"count": 0, "money": 0.0, "cases": []})
        row["count"] += 1
        row["money"] += float(step.facts.get("money") or 0.0)
        row["cases"].append(step.case.number)
    return found


def _sold(operation: Operation, zone: ZoneInfo) -> dict[int, float]:
    rows = (
        Move.objects.of(operation)
        .filter(went=Went.SOLD, undone_at__isnull=True)
        .values(year=ExtractYear("at", tzinfo=zone))
        .annotate(money=Sum("price"))
    )
    return {row["year"]: float(row["money"] or 0) for row in rows}


def _health(operation: Operation) -> list[dict[str, Any]]:
    """Membrane and evaporator health by run, and clean-water tests, oldest first."""
    found: list[dict[str, Any]] = []
    for lesson in Lesson.objects.of(operation).select_related("run").order_by("at"):
        facts = lesson.facts
        membrane = next((m["health"]["value"] for m in facts.get("membranes", []) if m.get("health")), None)
        fire = (facts.get("evaporator") or {}).get("health")
        found.append(
            {
                "run": lesson.run.number,
                "at": lesson.at,
                "membrane": membrane,
                "evaporator": fire["value"] if fire else None,
                "clean_water": None,
            }
        )
    for test in CleanWaterTest.objects.of(operation).filter(undone_at__isnull=True):
        found.append({"run": None, "at": test.at, "membrane": None, "evaporator": None, "clean_water": test.health})
    return sorted(found, key=lambda row: row["at"])
