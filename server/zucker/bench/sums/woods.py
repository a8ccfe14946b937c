"""Pipes and trees."""

from __future__ import annotations

from zucker_core import vacuum
from zucker_core.taps import SCHOOLS, taps_for
from zucker_core.units import PA_PER_INHG

from ..display import Display
from .answer import Answer, Figure


def pipe_size(show: Display, taps: float, length_m: float, grade: float, inner_diameter_m: float) -> Answer:
    size = vacuum.main_size(round(taps), length_m, grade / 100, inner_diameter_m)
    flood = "It floods: sap fills it and air cannot pass." if size.floods else (
        f"Sap fills {100 * size.sap_share:.0f} % of what the pipe could carry at its lower end.")
    return Answer(
        [Figure("vacuum lost to the end", size.lost_pa, "vacuum", 2),
         Figure("taps it serves well", size.most_taps, "plain", 0)],
        [f"{round(taps)} taps spread evenly over {show.text(length_m, 'length')} at {grade:.0f} % in a strong run of 0.3 gal"
         " (1.1 L) an hour from each tap.", flood,
         f"Served well: no more than {show.text(PA_PER_INHG, 'vacuum', 1)} lost, and not flooded."],
        "± 25 %: fittings, sags and leaks differ from line to line",
        source="friction by Churchill (1977), sap by Manning, each tap leaking a little")


def taps_a_tree(show: Display, diameter_m: float) -> Answer:
    counts = {name: int(taps_for(diameter_m, school)) for name, school in SCHOOLS.items()}
    return Answer(
        [Figure(f"{name} school", count, "plain", 0) for name, count in counts.items()],
        [f"{name}: one tap from {', more from '.join(f'{m / 0.0254:.0f} in ({100 * m:.0f} cm)' for m in school.least_m)}."
         for name, school in SCHOOLS.items()],
        "a choice, not a measurement: leave out what looks sick", source="trade practice; schools differ")
