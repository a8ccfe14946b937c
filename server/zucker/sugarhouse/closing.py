"""Ledger: what goes into a run's balance, and what a closed run says."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from dataclasses import asdict, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from zucker_core import sugar
from zucker_core.evaporator import FUELS, pan_sugar
from zucker_core.run import LINE, WATER_BRIX, Ledger, Measured, between_parts, ledger

from .. import clock
from ..people.models import Operation
from ..season.forecast import index_of
from ..telemetry.models import Kind, Reading, Sensor
from ..telemetry.queries import flowed, sensors_by_part
from ..woods.models import Bush
from .equipment import TANK_PART, evaporator_of, house_of, part_of, tanks_now, volume_at
from .models import Draw, EntryKind, Run

LEVEL_SD_SHARE = 0.01
USUAL_BRIX = {"sap": 2.0, "between": 4.0, "head": 8.0}
SAP_BRIX_SD = 0.1
FLOW_SD_SHARE = 0.05
DRAW_SD_SHARE = 0.02
PAN_SD_SHARE = 0.15
METER_SD_SHARE, PERMEATE_BRIX_SD = 0.03, 0.05
LOT_SD_SHARE, LOT_BRIX_SD = 0.01, 0.15
TYPED_SD_M3 = 0.05
DRAW_MEASURED_C = 93.0


def suggested_measures(operation: Operation, run: Run) -> list[dict[str, Any]]:
    """The balance as far as sensors, draws and packing know it; every value is for the person to correct."""
    parts, end = sensors_by_part(operation), run.closed_at or clock.now()
    rows = _stock(operation, parts, run.started_at, "held before", "at start")
    arrived = _total(_releasers(operation, parts), run.started_at, end)
    brix = next((row["brix"] for row in rows if row["sink"] == "sap"), 2.0)
    if arrived is not None and arrived > 0:
        rows.append(_row("sap come in", "in", arrived, FLOW_SD_SHARE * arrived, brix, SAP_BRIX_SD, 4.0, sink="sap"))
    rows += _by_truck(operation, run, brix)
    # nothing unless the person says otherwise: a tank that ran over, a hose that came off
    rows.append(_row("sap let go", "out", 0.0, TYPED_SD_M3, brix, SAP_BRIX_SD, 4.0, source="sap"))
    permeate = _total([s for s in (parts.get(("membrane", Kind.FLOW)),) if s], run.started_at, end)
    if permeate is not None and permeate > 0:
        rows.append(_row("permeate", "out", permeate, METER_SD_SHARE * permeate, 0.0, PERMEATE_BRIX_SD, 4.0, source="sap"))
    draws = [d for d in run.draws.all() if d.undone_at is None]
    lots = list(run.lots.all())
    if draws:
        volume = sum(d.volume_m3 for d in draws)
        mean = sum(d.volume_m3 * d.true_brix for d in draws) / volume if volume > 0 else operation.syrup_brix
        sd = float(np.sqrt(np.mean([d.brix_sd**2 for d in draws]) / len(draws)))
        side, sink = ("within", "syrup") if lots else ("out", "")
        rows.append(
            _row(
                "syrup drawn", side, volume, DRAW_SD_SHARE * volume, mean, max(sd, 0.1), DRAW_MEASURED_C, source="pans", sink=sink
            )
        )
    for lot in lots:
        rows.append(
            _row(
                f"lot {lot.code}", "out", lot.volume_m3, LOT_SD_SHARE * lot.volume_m3, lot.brix, LOT_BRIX_SD, 20.0, source="syrup"
            )
        )
    return rows + _stock(operation, parts, end, "held after", "at end")


def _by_truck(operation: Operation, run: Run, brix: float) -> list[dict[str, Any]]:
    """Sap that trucks brought: what the run's plan counted on until now, to be corrected; a line to fill in where a bush
    is hauled."""
    plan, loads = run.plan, []
    if plan is not None:
        since_h = ((run.closed_at or clock.now()) - plan.made_at).total_seconds() / 3600.0
        loads = [load for load in plan.assumptions.get("loads", []) if load["at_h"] <= since_h]
    volume = sum(load["volume_m3"] for load in loads)
    if not volume and not Bush.objects.of(operation).filter(hauled=True).exists():
        return []
    mean = sum(load["volume_m3"] * load["brix"] for load in loads) / volume if volume else brix
    return [_row("sap by truck", "in", volume, TYPED_SD_M3 + 0.02 * volume, mean, SAP_BRIX_SD, 4.0, sink="sap")]


def _row(
    name: str,
    side: str,
    volume: float,
    volume_sd: float,
    brix: float,
    brix_sd: float,
    temp_c: float,
    *,
    source: str = "",
    sink: str = "",
) -> dict[str, Any]:
    return asdict(Measured(name, side, volume, volume_sd, brix, brix_sd, temp_c, source, sink))


def _at(sensor: Sensor | None, moment: datetime, within: timedelta = timedelta(minutes=30)) -> float | None:
    """A sensor's reading nearest before a moment."""
    if sensor is None:
        return None
    return (
        Reading.objects.filter(sensor=sensor, at__gte=moment - within, at__lte=moment)
        .order_by("-at")
        .values_list("value", flat=True)
        .first()
    )


def _stock(
    operation: Operation, parts: dict[tuple[str, str], Sensor], moment: datetime, side: str, when: str
) -> list[dict[str, Any]]:
    rows = []
    end = {"held before": "sink", "held after": "source"}[side]
    for tank_now in tanks_now(operation, parts).values():
        # a tank without an instrument of its own is taken to be like the first of its kind
        like = _at(parts.get((TANK_PART[tank_now.tank.role], Kind.BRIX)), moment) or USUAL_BRIX.get(tank_now.tank.role, 2.0)
        for place, one in enumerate(tank_now.each):
            tank = one.tank
            if tank.role == "permeate":
                continue
            part = part_of(tank, place == 0)
            level, brix, temp = (_at(parts.get((part, kind)), moment) for kind in (Kind.LEVEL, Kind.BRIX, Kind.TEMPERATURE))
            if level is None:
                continue
            rows.append(
                _row(
                    f"{tank.name} {when}",
                    side,
                    volume_at(one.shape, level),
                    LEVEL_SD_SHARE * one.shape.capacity_m3,
                    min(max(like if brix is None else brix, 0.0), 45.0),
                    SAP_BRIX_SD,
                    min(max(temp, 0.0), 40.0) if temp is not None else 4.0,
                    # what waits between two passes has not left the sap's part of the line
                    **{end: "sap" if tank.role == "between" else tank.role},
                )
            )
    feed = min(max(next((row["brix"] for row in rows if row[end] == "head"), 0.0) or 8.0, 0.5), 40.0)
    house = house_of(operation)
    for unit, evaporator in zip(house.evaporator_rows, house.evaporators, strict=True):
        mean = float(sugar.mean_pan_brix(feed, evaporator.syrup_brix))
        held = float(pan_sugar(evaporator.hold_up_m3, feed, evaporator.syrup_brix))
        volume = held / (float(sugar.density(mean, 100.0)) * mean / 100.0)
        name = "pans" if len(house.evaporators) == 1 else f"pans of {unit.name}"
        rows.append(_row(f"{name} {when}", side, volume, 0.02 * volume, mean, PAN_SD_SHARE * mean, 100.0, **{end: "pans"}))
    return rows


def _releasers(operation: Operation, parts: dict[tuple[str, str], Sensor]) -> list[Sensor]:
    bushes = Bush.objects.of(operation).filter(hauled=False)
    return [s for bush in bushes if (s := parts.get((f"releaser {bush.slug}", Kind.FLOW))) is not None]


def _total(sensors: list[Sensor], start: datetime, end: datetime) -> float | None:
    """What flowed past all of these meters, m³; None where none tells."""
    found = [volume for sensor in sensors if (volume := flowed(sensor, start, end)) is not None]
    return sum(found) if found else None


def ledger_of(measures: list[Measured]) -> Ledger:
    """The core's ledger: by parts of the line where every measure names its own, else the line as one part. Nothing that
    came or left is no measurement."""
    measures = [m for m in measures if m.volume_m3 > 0 or m.side not in ("in", "out")]
    if any(LINE in (m.source, m.sink) for m in measures):
        return ledger([replace(m, source="", sink="") for m in measures if m.side != "within"])
    return ledger(measures, between_parts(measures))


def balance(measures: list[Measured]) -> dict[str, Any]:
    """The plain balance with each line's sugar."""
    result = ledger_of(measures)
    return {
        **closing_facts(result),
        "lines": [{"name": m.name, "side": m.side, "sugar_kg": m.sugar_kg, "sugar_sd_kg": m.sugar_sd_kg} for m in measures],
    }


def closing_facts(result: Ledger) -> dict[str, Any]:
    """A ledger as it is kept with a run and shown."""
    facts = {
        key: getattr(result, key)
        for key in (
            "sugar_in_kg",
            "sugar_out_kg",
            "unaccounted_kg",
            "sd_kg",
            "closure",
            "closure_low",
            "closure_high",
            "explained",
            "largest",
        )
    }
    found = result.reconciled
    return facts | {
        "balances": found.balances,
        "suspects": [asdict(one) for one in found.suspects],
        "unchecked": [{"name": name, "quantity": quantity} for name, quantity in found.unchecked],
        "agreed": [asdict(one) for one in found.values],
    }


def figures_of(run: Run, measures: list[Measured]) -> dict[str, Any]:
    """What comparisons over runs need, SI: sap boiled and its Brix, syrup, hours, run index, and what the pans did."""
    sap = [m for m in measures if m.brix < 6 and m.side != "within" and not (m.side == "out" and m.brix < WATER_BRIX)]
    signed = [(m.volume_m3 * (-1 if m.side in ("out", "held after") else 1), m.brix) for m in sap]
    volume = max(sum(v for v, _ in signed), 0.0)
    draws = [d for d in run.draws.all() if d.undone_at is None]
    syrup = sum(d.volume_m3 for d in draws)
    mean = sum(d.volume_m3 * d.true_brix for d in draws) / syrup if syrup > 0 else None
    end = run.closed_at or clock.now()
    feed = (run.plan.choice.get("target_brix") if run.plan else 0.0) or (
        sum(v * b for v, b in signed) / volume if volume > 0 else 0.0
    )
    return {
        "sap_m3": volume,
        "sap_brix": sum(v * b for v, b in signed) / volume if volume > 0 else None,
        "syrup_m3": syrup,
        "syrup_brix": mean,
        "hours": (end - run.started_at).total_seconds() / 3600,
        "feed_brix": feed or None,
        "index": index_of(run.operation, run),
        "boil_s": boil_seconds(run, end),
    }


def boil_seconds(run: Run, end: datetime) -> float | None:
    """Time at the boil: by the pan's thermometer, else between lit and out in the log; None where neither tells."""
    pan = sensors_by_part(run.operation).get(("pan", Kind.TEMPERATURE))
    if pan is not None and run.water_boiling_c is not None:
        rows = list(
            Reading.objects.filter(sensor=pan, at__gte=run.started_at, at__lte=end).order_by("at").values_list("at", "value")
        )
        if len(rows) > 2:
            gaps = np.diff([at.timestamp() for at, _ in rows])
            boiling = np.array([value > run.water_boiling_c - 1.0 for _, value in rows[:-1]])
            return float(np.minimum(gaps, 900.0)[boiling].sum()) or None
    marks = [e for e in run.entries.all() if e.undone_at is None and e.kind in (EntryKind.LIT, EntryKind.OUT)]
    lit = next((e.at for e in marks if e.kind == EntryKind.LIT), None)
    out = next((e.at for e in reversed(marks) if e.kind == EntryKind.OUT), end)
    return max((out - lit).total_seconds(), 0.0) or None if lit else None


def _fuel_unit(operation: Operation) -> tuple[str, float]:
    evaporator = evaporator_of(operation)
    fuel = FUELS[evaporator.fuel if evaporator else "oil"]
    return fuel.trade_unit, fuel.trade_size


def summaries(operation: Operation, runs: Iterable[Run]) -> list[dict[str, Any]]:
    """Each run's figures, with what the plan had promised beside them."""
    unit = _fuel_unit(operation)
    return [_summary(run, *unit) for run in runs]


def summary(operation: Operation, run: Run) -> dict[str, Any]:
    """One run's."""
    return summaries(operation, [run])[0]


def _summary(run: Run, unit: str, size: float) -> dict[str, Any]:
    draws: list[Draw] = [d for d in run.draws.all() if d.undone_at is None]
    # runs taken over from earlier years have no draws, only their sum
    syrup = sum(d.volume_m3 for d in draws) or run.figures.get("syrup_m3") or 0.0
    fuel = None if run.fuel is None else run.fuel / size
    promised = run.plan.choice if run.plan else {}
    hours = ((run.closed_at or clock.now()) - run.started_at).total_seconds() / 3600
    return {
        "id": run.pk,
        "number": run.number,
        "started_at": run.started_at,
        "closed_at": run.closed_at,
        "target_brix": promised.get("target_brix"),
        "syrup_m3": syrup,
        "draws": len(draws),
        "syrup_per_tap_m3": syrup / run.taps if run.taps else None,
        "taps": run.taps,
        "fuel": fuel,
        "fuel_unit": unit,
        "fuel_per_syrup": fuel / syrup if fuel is not None and syrup > 0 else None,
        "labour_h": None if run.labour_s is None else run.labour_s / 3600,
        "hours": hours,
        "planned": {
            "syrup_m3": promised.get("syrup_m3"),
            "fuel": promised.get("fuel"),
            "hours": promised["finish_min"] / 60 if promised.get("finish_min") else None,
            "labour_h": promised.get("labour_h"),
        }
        if promised
        else None,
        "closing": run.closing,
        "sap_m3": run.figures.get("sap_m3"),
        "sap_brix": run.figures.get("sap_brix"),
    }


def run_rows(operation: Operation, run: Run) -> list[dict[str, Any]]:
    """Every line of a run in order of time, for export; SI with the unit in the column's name."""
    rows: list[dict[str, Any]] = []
    for draw in run.draws.select_related("by"):
        rows.append(
            {
                "at": draw.at.isoformat(),
                "kind": "draw",
                "by": draw.by.username if draw.by else "",
                "volume_m3": draw.volume_m3,
                "instrument": draw.instrument,
                "reading": draw.reading,
                "temp_c": draw.temp_c,
                "set_c": draw.set_c,
                "true_brix": draw.true_brix,
                "brix_sd": draw.brix_sd,
                "text": "",
                "undone": draw.undone_at is not None,
            }
        )
    for entry in run.entries.select_related("by"):
        rows.append(
            {
                "at": entry.at.isoformat(),
                "kind": entry.kind,
                "by": entry.by.username if entry.by else "",
                "text": entry.text,
                "undone": entry.undone_at is not None,
            }
        )
    for measure in run.measures.all():
        rows.append(
            {
                "at": (run.closed_at or run.started_at).isoformat(),
                "kind": f"measure: {measure.side}",
                "by": "",
                "volume_m3": measure.volume_m3,
                "true_brix": measure.brix,
                "brix_sd": measure.brix_sd,
                "temp_c": measure.temp_c,
                "text": measure.name,
                "undone": False,
            }
        )
    return sorted(rows, key=lambda row: row["at"])


COLUMNS = ("at", "kind", "by", "volume_m3", "instrument", "reading", "temp_c", "set_c", "true_brix", "brix_sd", "text", "undone")


def as_csv(rows: list[dict[str, Any]]) -> str:
    """Rows as CSV. A text that a spreadsheet would take for a formula gets an apostrophe before it."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, restval="", lineterminator="\r\n")
    writer.writeheader()
    for row in rows:
        writer.writerow({**row, "text": harmless(row["text"])})
    return out.getvalue()


def harmless(text: Any) -> Any:
    """A text that a spreadsheet would take for a formula, with an apostrophe before it; anything else as it is."""
    return f"'{text}" if isinstance(text, str) and text[:1] in ("=", "+", "-", "@", "\t", "\r") else text
