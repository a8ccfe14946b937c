"""Ledger: what goes into a run's balance, and what a closed run says."""

from __future__ import annotations

import csv
import io
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from zucker_core import sugar
from zucker_core.evaporator import FUELS, pan_sugar
from zucker_core.run import Measured, ledger

from .. import clock
from ..people.models import Operation
from ..telemetry.models import Kind, Reading, Sensor
from ..telemetry.queries import sensors_by_part
from ..woods.models import Bush
from .equipment import evaporator_of, shape_of, volume_at
from .models import Draw, Run, Tank

LEVEL_SD_SHARE = 0.01
SAP_BRIX_SD = 0.1
FLOW_SD_SHARE = 0.05
DRAW_SD_SHARE = 0.02
PAN_SD_SHARE = 0.15
DRAW_MEASURED_C = 93.0


def suggested_measures(operation: Operation, run: Run) -> list[dict[str, Any]]:
    """The balance as far as sensors and draws know it; every value is for the person to correct."""
    parts = sensors_by_part(operation)
    rows = _stock(operation, parts, run.started_at, "held before", "at start")
    arrived = _arrived(operation, parts, run.started_at, run.closed_at or clock.now())
    brix = next((row["brix"] for row in rows if row["name"].startswith("sap")), 2.0)
    if arrived > 0:
        rows.append(_row("sap come in", "in", arrived, FLOW_SD_SHARE * arrived, brix, SAP_BRIX_SD, 4.0))
    draws = [d for d in run.draws.all() if d.undone_at is None]
    if draws:
        volume = sum(d.volume_m3 for d in draws)
        mean = sum(d.volume_m3 * d.true_brix for d in draws) / volume if volume > 0 else operation.syrup_brix
        sd = float(np.sqrt(np.mean([d.brix_sd**2 for d in draws]) / len(draws)))
        rows.append(_row("syrup drawn", "out", volume, DRAW_SD_SHARE * volume, mean, max(sd, 0.1), DRAW_MEASURED_C))
    return rows + _stock(operation, parts, run.closed_at or clock.now(), "held after", "at end")


def _row(name: str, side: str, volume: float, volume_sd: float, brix: float, brix_sd: float, temp_c: float) -> dict[str, Any]:
    return {"name": name, "side": side, "volume_m3": volume, "volume_sd_m3": volume_sd, "brix": brix, "brix_sd": brix_sd,
            "temp_c": temp_c}


def _at(sensor: Sensor | None, moment: datetime, within: timedelta = timedelta(minutes=30)) -> float | None:
    """A sensor's reading nearest before a moment."""
    if sensor is None:
        return None
    return (
        Reading.objects.filter(sensor=sensor, at__gte=moment - within, at__lte=moment)
        .order_by("-at").values_list("value", flat=True).first()
    )


def _stock(
    operation: Operation, parts: dict[tuple[str, str], Sensor], moment: datetime, side: str, when: str
) -> list[dict[str, Any]]:
    rows = []
    for tank in Tank.objects.of(operation).filter(role__in=["sap", "head"]).order_by("-role"):
        part = f"{tank.role} tank"
        level = _at(parts.get((part, Kind.LEVEL)), moment)
        brix = _at(parts.get((part, Kind.BRIX)), moment)
        temp = _at(parts.get((part, Kind.TEMPERATURE)), moment)
        if level is None:
            continue
        shape = shape_of(tank)
        volume = volume_at(shape, level)
        rows.append(_row(f"{tank.name} {when}", side, volume, LEVEL_SD_SHARE * shape.capacity_m3,
                         min(max(brix, 0.0), 45.0) if brix is not None else 2.0, SAP_BRIX_SD,
                         min(max(temp, 0.0), 40.0) if temp is not None else 4.0))
    evaporator = evaporator_of(operation)
    if evaporator is not None:
        feed = next((row["brix"] for row in rows if row["name"].startswith("head")), 0.0) or 8.0
        feed = min(max(feed, 0.5), 40.0)
        mean = float(sugar.mean_pan_brix(feed, evaporator.syrup_brix))
        held = float(pan_sugar(evaporator.hold_up_m3, feed, evaporator.syrup_brix))
        volume = held / (float(sugar.density(mean, 100.0)) * mean / 100.0)
        rows.append(_row(f"pans {when}", side, volume, 0.02 * volume, mean, PAN_SD_SHARE * mean, 100.0))
    return rows


def _arrived(operation: Operation, parts: dict[tuple[str, str], Sensor], start: datetime, end: datetime) -> float:
    """Sap come in between two moments, from the releasers' flow (m³)."""
    total = 0.0
    for bush in Bush.objects.of(operation).filter(hauled=False):
        sensor = parts.get((f"releaser {bush.slug}", Kind.FLOW))
        if sensor is None:
            continue
        rows = list(Reading.objects.filter(sensor=sensor, at__gte=start, at__lte=end).order_by("at").values_list("at", "value"))
        if len(rows) > 1:
            # the first and the last reading stand for the time before and after them
            rows = [(start, rows[0][1]), *rows, (end, rows[-1][1])]
            seconds = np.array([(at - start).total_seconds() for at, _ in rows])
            total += max(float(np.trapezoid([value for _, value in rows], seconds)), 0.0)
    return total


def balance(measures: list[Measured]) -> dict[str, Any]:
    """The plain balance with each line's sugar."""
    result = ledger(measures)
    return {
        **{key: getattr(result, key) for key in
           ("sugar_in_kg", "sugar_out_kg", "unaccounted_kg", "sd_kg", "closure", "explained", "largest")},
        "lines": [{"name": m.name, "side": m.side, "sugar_kg": m.sugar_kg, "sugar_sd_kg": m.sugar_sd_kg} for m in measures],
    }


def _fuel_unit(operation: Operation) -> tuple[str, float]:
    evaporator = evaporator_of(operation)
    fuel = FUELS[evaporator.fuel if evaporator else "oil"]
    return fuel.trade_unit, fuel.trade_size


def summary(operation: Operation, run: Run) -> dict[str, Any]:
    """A run's figures, with what the plan had promised beside them."""
    draws: list[Draw] = [d for d in run.draws.all() if d.undone_at is None]
    syrup = sum(d.volume_m3 for d in draws)
    unit, size = _fuel_unit(operation)
    fuel = None if run.fuel is None else run.fuel / size
    promised = run.plan.choice if run.plan else {}
    hours = ((run.closed_at or clock.now()) - run.started_at).total_seconds() / 3600
    return {
        "id": run.pk, "number": run.number, "started_at": run.started_at, "closed_at": run.closed_at,
        "target_brix": promised.get("target_brix"), "syrup_m3": syrup, "draws": len(draws),
        "syrup_per_tap_m3": syrup / run.taps if run.taps else None, "taps": run.taps,
        "fuel": fuel, "fuel_unit": unit, "fuel_per_syrup": fuel / syrup if fuel is not None and syrup > 0 else None,
        "labour_h": None if run.labour_s is None else run.labour_s / 3600, "hours": hours,
        "planned": {"syrup_m3": promised.get("syrup_m3"), "fuel": promised.get("fuel"),
                    "hours": promised["finish_min"] / 60 if promised.get("finish_min") else None,
                    "labour_h": promised.get("labour_h")} if promised else None,
        "closing": run.closing,
    }


def run_rows(operation: Operation, run: Run) -> list[dict[str, Any]]:
    """Every line of a run in order of time, for export; SI with the unit in the column's name."""
    rows: list[dict[str, Any]] = []
    for draw in run.draws.select_related("by"):
        rows.append({
            "at": draw.at.isoformat(), "kind": "draw", "by": draw.by.username if draw.by else "", "volume_m3": draw.volume_m3,
            "instrument": draw.instrument, "reading": draw.reading, "temp_c": draw.temp_c, "set_c": draw.set_c,
            "true_brix": draw.true_brix, "brix_sd": draw.brix_sd, "text": "", "undone": draw.undone_at is not None,
        })
    for entry in run.entries.select_related("by"):
        rows.append({"at": entry.at.isoformat(), "kind": entry.kind, "by": entry.by.username if entry.by else "",
                     "text": entry.text, "undone": entry.undone_at is not None})
    for measure in run.measures.all():
        rows.append({"at": (run.closed_at or run.started_at).isoformat(), "kind": f"measure: {measure.side}", "by": "",
                     "volume_m3": measure.volume_m3, "true_brix": measure.brix, "brix_sd": measure.brix_sd,
                     "temp_c": measure.temp_c, "text": measure.name, "undone": False})
    return sorted(rows, key=lambda row: row["at"])


COLUMNS = ("at", "kind", "by", "volume_m3", "instrument", "reading", "temp_c", "set_c", "true_brix", "brix_sd", "text", "undone")


def as_csv(rows: list[dict[str, Any]]) -> str:
    """Rows as CSV. A text that a spreadsheet would take for a formula gets an apostrophe before it."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, restval="", lineterminator="\r\n")
    writer.writeheader()
    for row in rows:
        writer.writerow({**row, "text": _harmless(row["text"])})
    return out.getvalue()


def _harmless(text: str) -> str:
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text
