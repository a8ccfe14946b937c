"""How much permeate each membrane has made since its last wash, and which of them run."""

from __future__ import annotations

from datetime import datetime, timedelta

from zucker_core.membrane import MembraneState

from .. import clock
from ..people.models import Operation
from ..telemetry.models import Kind, Sensor
from ..telemetry.queries import flowed, sensors_by_part
from .equipment import House
from .models import EntryKind, MembraneMachine, Run

MOST_GAP_S, LOOK_BACK = 3600.0, timedelta(days=1)


def since_wash(machine: MembraneMachine, run: Run, at: datetime, permeate_m3_s: float | None = None) -> float:
    """Permeate through the machine since its last wash, m³: what was known at the last line, and since then the flow
    meter's own readings, or where there is none the mean of the two lines' flows (nothing without a flow)."""
    washed = machine.wash_steps.filter(step="done", undone_at__isnull=True, at__lte=at).order_by("-at").first()
    line = machine.lines.filter(undone_at__isnull=True, at__lt=at).order_by("-at").first()
    if line is not None and washed is not None and washed.at >= line.at:
        line = None
    start = max(run.started_at, washed.at) if washed else run.started_at
    base, flow = (line.since_wash_m3, line.permeate_m3_s) if line is not None else (0.0, permeate_m3_s)
    if line is None and washed is None:
        base = machine.permeate_since_wash_m3
    begin = max(line.at, run.started_at - LOOK_BACK) if line is not None else start
    meter = _meter_of(run.operation)
    made = None if meter is None else flowed(meter, begin, at)
    if made is None and permeate_m3_s is not None and flow is not None:
        gap = min(max((at - begin).total_seconds(), 0.0), MOST_GAP_S * (4 if line is not None else 1))
        made = 0.5 * (flow + permeate_m3_s) * gap
    return base + (made or 0.0)


def _meter_of(operation: Operation) -> Sensor | None:
    """The permeate meter; with several membranes it cannot tell whose permeate it counts."""
    if operation.membrane_machines.count() != 1:
        return None
    return sensors_by_part(operation).get(("membrane", Kind.FLOW))


def through_now(machine: MembraneMachine, run: Run | None) -> float:
    """Permeate since the last wash as of now, m³; outside a run what was last known."""
    return machine.permeate_since_wash_m3 if run is None else since_wash(machine, run, clock.now())


def states_now(house: House, run: Run | None) -> list[MembraneState]:
    """Fouling of each membrane, by a tenth of a cubic metre: finer changes nothing in an evening, and while the membrane runs
    another price would be another evening every few seconds."""
    return [MembraneState(round(through_now(row, run), 1)) for row in house.machine_rows]


def known_before(machine: MembraneMachine) -> float:
    """Permeate since the last wash as the log has it once a line or a step was taken back, m³."""
    washed = machine.wash_steps.filter(step="done", undone_at__isnull=True).order_by("-at").first()
    line = machine.lines.filter(undone_at__isnull=True).order_by("-at").first()
    if line is not None and (washed is None or line.at > washed.at):
        return float(line.since_wash_m3)
    if washed is not None:
        return 0.0
    # neither is left: what was entered, or last kept, before the log began
    kept = machine.history.exclude(permeate_since_wash_m3=0.0).order_by("-history_date", "-history_id").first()
    return float(kept.permeate_since_wash_m3) if kept is not None else 0.0


def running_by_log(run: Run) -> dict[str, datetime | None]:
    """By the name of each membrane that the run's log speaks of: since when it runs, None when it was stopped."""
    found: dict[str, datetime | None] = {}
    for entry in sorted((e for e in run.entries.all() if e.undone_at is None), key=lambda e: e.at):
        if entry.kind == EntryKind.MEMBRANE_ON:
            found[entry.text] = found.get(entry.text) or entry.at
        elif entry.kind == EntryKind.MEMBRANE_OFF:
            found[entry.text] = None
    return found
