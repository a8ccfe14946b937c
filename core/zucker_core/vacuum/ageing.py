"""Tubing by age: what is due when."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ..arrays import checked
from .network import Network

CYCLES_YEARS = {"drops": 5, "lateral": 10, "mainline": 20, "conductor": 25}
"""Trade practice, to be edited: a few years for drops, ten or so for laterals, longer for mains."""


@dataclass(frozen=True)
class Due:
    """What is to be replaced on one mainline in one year. part : drops, lateral, mainline or conductor; length_m of pipe
    (0 for drops), taps : drops"""

    main: str
    part: str
    year: int
    length_m: float
    taps: int


def due(network: Network, cycles: Mapping[str, int] | None = None) -> list[Due]:
    """What is due in which year, the earliest first; pipe without a year is left out.

    cycles : years that each part lasts, 1 to 60; what is not named keeps CYCLES_YEARS. Drops without a year of their own are
    as old as their lateral.
    """
    lasts = {**CYCLES_YEARS, **(cycles or {})}
    for part, years in lasts.items():
        checked(part, years, 1, 60, "years")
    names = {i: main for main, nodes in network.mains.items() for i in nodes}
    sums: dict[tuple[str, str, int], tuple[float, int]] = {}

    def add(main: str, part: str, year: int, length_m: float, taps: int) -> None:
        length, count = sums.get((main, part, year), (0.0, 0))
        sums[main, part, year] = length + length_m, count + taps

    for i, line in enumerate(network.lines):
        if line is None:
            continue
        main = names.get(i, "")
        if line.installed:
            add(main, line.kind, line.installed + lasts[line.kind], line.length_m, 0)
        hung = line.drops_installed or line.installed
        if line.taps and hung:
            add(main, "drops", hung + lasts["drops"], 0.0, line.taps)
    return sorted(
        (Due(main, part, year, length, taps) for (main, part, year), (length, taps) in sums.items()),
        key=lambda one: (one.year, one.main, one.part),
    )
