"""Lists made from the equipment there is: what to do, by whom, and what was ticked today."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from zucker_core.membrane import wash_need
from zucker_core.units import M3_PER_GALLON

from .. import clock
from ..people.models import Operation
from ..woods.models import Bush, Node
from .equipment import House, house_of
from .models import Tank, Tick

DAY_ENDS = timedelta(hours=4)


@dataclass(frozen=True)
class Item:
    """One line: its key, what to do, the caution that stands beside it ("" for none), and a volume of permeate it needs."""

    key: str
    text: str
    caution: str = ""
    permeate_m3: float | None = None


POWER = "ask a licensed electrician about wiring in wet rooms"
HEAT = "boiling syrup sticks and burns"
CHEMICALS = "goggles and gloves; never mix alkali and acid; follow the maker and local rules"


def _start(house: House, tanks: list[Tank], pumps: list[str]) -> Iterator[Item]:
    for pump in pumps:
        yield Item(
            f"pump-{pump}"[:40],
            f"start {pump}, look at its oil, water and moisture trap",
            "guards on; keep hands off the trap under vacuum",
        )
    for tank in tanks:
        if tank.role == "sap":
            yield Item(f"dip-{tank.pk}", f"gauge {tank.name}: depth, Brix, temperature")
    yield Item("filter", "fresh sap filter in place")
    for row in house.machine_rows:
        yield Item(f"clean-water-{row.pk}", f"clean-water test of {row.name}", "release pressure before a housing is opened")
    for evaporator, unit in zip(house.evaporators, house.evaporator_rows, strict=True):
        fire = {"wood": "ashes out, dry wood split and stacked", "oil": "oil in the tank, filter and nozzle looked at"}.get(
            evaporator.fuel, f"{evaporator.fuel} supply open"
        )
        yield Item(f"fire-{unit.pk}", f"{unit.name}: {fire}", "air for the fire; a working carbon monoxide alarm")
        yield Item(f"float-{unit.pk}", f"{unit.name}: float box moves, pans flooded, draw-off thermometer set", HEAT)
    yield Item("press", "filter press clean, papers and filter aid ready")


def _filter(house: House, tanks: list[Tank], pumps: list[str]) -> Iterator[Item]:
    yield Item("sock-off", "sap filter changed")
    yield Item("sock-rinse", "old one rinsed hot, without soap, hung to dry")


def _end(house: House, tanks: list[Tank], pumps: list[str]) -> Iterator[Item]:
    for evaporator, row in zip(house.evaporators, house.evaporator_rows, strict=True):
        yield Item(f"out-{row.pk}", f"{row.name}: fire out, pans stay flooded until it is cold", "never leave a fired pan")
        yield Item(
            f"sweet-{row.pk}",
            f"{row.name}: sweet in the pans held, chased or drained, and noted",
            permeate_m3=evaporator.hold_up_m3,
        )
    yield Item("press-wash", "filter press emptied and rinsed hot")
    yield Item("counts", "fuel, hours and tank levels written down: close the run")


def _wash(house: House, tanks: list[Tank], pumps: list[str]) -> Iterator[Item]:
    for machine, row in zip(house.machines, house.machine_rows, strict=True):
        need, hold = wash_need(machine), machine.hold_up_m3
        yield Item(f"rinse-{row.pk}", f"{row.name}: rinse until the drain runs clear", permeate_m3=machine.rinse_before * hold)
        yield Item(f"wash-{row.pk}", f"{row.name}: fill, warm and circulate the wash", CHEMICALS, machine.wash_fill * hold)
        yield Item(f"flush-{row.pk}", f"{row.name}: flush until the drain is neutral", CHEMICALS, machine.rinse_after * hold)
        yield Item(
            f"test-{row.pk}",
            f"{row.name}: clean-water test, {need.permeate_m3 / M3_PER_GALLON:.0f} gal of permeate used in all",
            "permeate is not tested drinking water",
        )


def _morning(house: House, tanks: list[Tank], pumps: list[str]) -> Iterator[Item]:
    for tank in tanks:
        yield Item(f"empty-{tank.pk}", f"{tank.name}: emptied, rinsed, drain open")
    for evaporator, row in zip(house.evaporators, house.evaporator_rows, strict=True):
        yield Item(f"scale-{row.pk}", f"{row.name}: syrup pan looked at for scale, flues for soot", "cold and isolated first")
        if evaporator.fuel == "wood":
            yield Item(f"ash-{row.pk}", "ashes into a closed metal bin outdoors", "embers live for days")
    yield Item("lines", "where lines froze, first thaw watched")


def _cold(house: House, tanks: list[Tank], pumps: list[str]) -> Iterator[Item]:
    for row in house.machine_rows:
        yield Item(f"drain-{row.pk}", f"{row.name}: drained, or its room kept above freezing", "release pressure first")
    for pump in pumps:
        yield Item(f"pump-off-{pump}"[:40], f"{pump}: water drained, trap and releaser empty")
    for unit in house.evaporator_rows:
        yield Item(f"pans-{unit.pk}", f"{unit.name}: drained into barrels or banked", HEAT)
    for tank in tanks:
        yield Item(f"open-{tank.pk}", f"{tank.name}: empty, valve open")
    yield Item("pipes", "feed pumps, filters and hoses drained")
    yield Item("store", "meters, hydrometers and wash chemicals carried into the warm", CHEMICALS)


def _season(house: House, tanks: list[Tank], pumps: list[str]) -> Iterator[Item]:
    yield Item("pull", "spouts pulled, taps counted")
    yield Item("lines-washed", "lines washed and drained, ends left open or plugged as you do")
    for row in house.machine_rows:
        yield Item(f"preserve-{row.pk}", f"{row.name}: washed twice and laid up as its maker says", CHEMICALS)
    for unit in house.evaporator_rows:
        yield Item(f"lay-up-{unit.pk}", f"{unit.name}: pans descaled, dried, covered; stack closed")
    for tank in tanks:
        yield Item(f"scrub-{tank.pk}", f"{tank.name}: scrubbed, dry, closed")
    yield Item("book", "Bush book: what is due next year")
    yield Item("compare", "Season: this year beside the others")


LISTS = {
    "start of day": _start,
    "sap filter": _filter,
    "end of run": _end,
    "membrane wash": _wash,
    "morning after": _morning,
    "cold snap": _cold,
    "end of season": _season,
}


def today(operation: Operation) -> date:
    """The operation's own day; it ends at four in the morning, when the longest boil is over."""
    return (clock.now().astimezone(ZoneInfo(operation.zone)) - DAY_ENDS).date()


def lists_now(operation: Operation) -> list[dict[str, Any]]:
    """Every list with its items and who ticked them when, today."""
    house, tanks = house_of(operation), list(Tank.objects.of(operation).order_by("pk"))
    pumps = [
        f"pump of {node.bush.name}"
        for node in Node.objects.of(operation).filter(kind="pump").select_related("bush").order_by("pk")
    ]
    pumps = pumps or [f"pump of {bush.name}" for bush in Bush.objects.of(operation).filter(hauled=False)]
    ticks = {(t.list, t.item): t for t in Tick.objects.of(operation).filter(day=today(operation)).select_related("by")}
    found = []
    for name, make in LISTS.items():
        items = []
        for item in make(house, tanks, list(dict.fromkeys(pumps))):
            tick = ticks.get((name, item.key))
            items.append(
                {**vars(item), "done_at": tick.at if tick else None, "done_by": tick.by.username if tick and tick.by else ""}
            )
        if items:
            found.append({"name": name, "items": items})
    return found
