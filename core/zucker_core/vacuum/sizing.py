"""What a mainline can carry, its grade along the way, laterals over the limit, what to buy and cut."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..arrays import checked
from ..errors import Inconsistent
from ..units import ATMOSPHERE_PA, M3_PER_GALLON, PA_PER_INHG
from .airflow import FLOODED_AT, full_pipe_flow
from .network import Line, Network, Node
from .pump import HeldPressure
from .steady import steady

STRONG_RUN_M3_S = 0.3 * M3_PER_GALLON / 3600
"""Sap of one tap in a strong run: 0.3 gal/h."""
LEAST_GRADE = 0.02
TAPS_A_LATERAL = 10
ALLOWED_LOSS_PA = 1.0 * PA_PER_INHG
PIECE_M = 15.0


@dataclass(frozen=True)
class MainSize:
    """Of one mainline with its taps spread evenly: vacuum lost from its start to its end (Pa), share of the full
    sap flow at its start, whether it floods, and the most taps that lose no more than 1 inHg and do not flood."""

    lost_pa: float
    sap_share: float
    floods: bool
    most_taps: int


def _even_main(taps: int, length_m: float, slope: float, diameter_m: float) -> Network:
    pieces = max(2, round(length_m / PIECE_M))
    step = length_m / pieces
    nodes = [Node("0", "pump", elevation_m=0.0)]
    lines = []
    share = np.diff(np.round(np.linspace(0, taps, pieces + 1))).astype(int)
    for k in range(1, pieces + 1):
        nodes += [Node(str(k), "saddle", elevation_m=k * step * slope), Node(f"{k}t", "end", elevation_m=k * step * slope + 1)]
        lines += [Line(f"m{k}", "mainline", str(k - 1), str(k), diameter_m, step, main="m"),
                  Line(f"t{k}", "lateral", str(k), f"{k}t", 0.0076, 1.0, taps=int(share[k - 1]), main="m")]
    return Network(nodes, lines)


def main_size(
    taps: int, length_m: float, slope: float, inner_diameter_m: float, *, start_vacuum_pa: float = 25.0 * PA_PER_INHG,
    sap_rate_m3_s: float = STRONG_RUN_M3_S,
) -> MainSize:
    """How a mainline of this size would do in a strong run.

    Parameters
    ----------
    taps : 1 to 5,000; length_m : 10 to 3,000; slope : grade, 0 to 0.5; inner_diameter_m : 8 to 80 mm
    start_vacuum_pa : where it begins, Pa below the atmosphere; sap_rate_m3_s : of one tap

    Source: the network's own `steady`, with background leaks and stratified sap; Manning for the sap.
    """
    checked("taps", taps, 1, 5000)
    checked("length_m", length_m, 10, 3000, "m")
    checked("slope", slope, 0.0, 0.5)
    checked("inner_diameter_m", inner_diameter_m, 0.008, 0.08, "m")
    lost, share = _loss(int(taps), length_m, slope, inner_diameter_m, start_vacuum_pa, sap_rate_m3_s)
    low, high = 0, 5000
    while high - low > 5:  # more taps lose more: halve
        middle = (low + high) // 2
        loses, fills = _loss(middle, length_m, slope, inner_diameter_m, start_vacuum_pa, sap_rate_m3_s)
        low, high = (middle, high) if loses <= ALLOWED_LOSS_PA and fills <= FLOODED_AT else (low, middle)
    return MainSize(lost, share, share > FLOODED_AT, low)


def _loss(taps: int, length_m: float, slope: float, diameter_m: float, start_pa: float, rate: float) -> tuple[float, float]:
    network = _even_main(taps, length_m, slope, diameter_m)
    state = steady(network, None, rate, pump=HeldPressure(ATMOSPHERE_PA - start_pa))
    ends = [i for i, node in enumerate(network.nodes) if node.kind == "saddle"]
    return float(state.vacuum_pa[0] - state.vacuum_pa[ends].min()), taps * rate / float(full_pipe_flow(diameter_m, slope))


@dataclass(frozen=True)
class Remark:
    """Something about a line that deserves a look. name : of a fixed list; value : in SI; limit : what it passes"""

    line: str
    name: str
    value: float
    limit: float


def remarks(network: Network, *, least_grade: float = LEAST_GRADE, taps_a_lateral: int = TAPS_A_LATERAL) -> list[Remark]:
    """Lines that run uphill or too flat, laterals with too many taps, mains too small for their taps."""
    found = []
    state = steady(network, None, STRONG_RUN_M3_S, pump=network.pump or HeldPressure(ATMOSPHERE_PA - 25 * PA_PER_INHG))
    behind = network.taps_behind
    for i, line in enumerate(network.lines):
        if line is None:
            continue
        if line.kind == "lateral" and line.taps > taps_a_lateral:
            found.append(Remark(line.tag, "taps_a_lateral", line.taps, taps_a_lateral))
        if line.kind == "lateral":
            continue
        if network.slope[i] < -0.001:
            found.append(Remark(line.tag, "uphill", float(network.slope[i]), 0.0))
        elif network.slope[i] < least_grade and line.length_m > 5:
            found.append(Remark(line.tag, "flat", float(network.slope[i]), least_grade))
        if state.flooded[i]:
            full = float(full_pipe_flow(line.inner_diameter_m, network.slope[i])) * FLOODED_AT / STRONG_RUN_M3_S
            found.append(Remark(line.tag, "main_too_small", float(behind[i]), full))
    for main, nodes in network.mains.items():
        carriers = [i for i in nodes if (line := network.lines[i]) and line.kind == "mainline"]
        if carriers:
            lost = float(state.vacuum_pa[network.parent[carriers[0]]] - state.vacuum_pa[carriers].min())
            if lost > 2 * ALLOWED_LOSS_PA:
                found.append(Remark(main, "vacuum_at_end", lost, 2 * ALLOWED_LOSS_PA))
    return found


@dataclass(frozen=True)
class Cut:
    """Pieces to cut from one spool: their names and lengths (m), and what is left over (m)."""

    spool_m: float
    pieces: tuple[tuple[str, float], ...]

    @property
    def left_m(self) -> float:
        return self.spool_m - sum(length for _, length in self.pieces)


def cut_list(pieces_m: Sequence[tuple[str, float]], spool_m: float, waste: float = 0.03) -> list[Cut]:
    """Which pieces to cut from which spool, in the fewest spools that a simple rule finds.

    Parameters
    ----------
    pieces_m : (name, length); a piece longer than a spool is joined from whole spools and a rest
    spool_m : length of one spool; waste : added to each piece for slack and mistakes

    Longest first into the fullest spool that still takes it (best fit decreasing; Johnson, 1974: at most 11/9 of the
    least number, plus one).
    """
    checked("spool_m", spool_m, 10, 2000, "m")
    checked("waste", waste, 0.0, 0.5)
    rests: list[tuple[str, float]] = []
    cuts: list[Cut] = []
    for name, length in pieces_m:
        if not length > 0:
            raise Inconsistent(name, f"a piece of {length:g} m cannot be cut")
        left = length * (1 + waste)
        while left > spool_m:
            cuts.append(Cut(spool_m, ((name, spool_m),)))
            left -= spool_m
        rests.append((name, left))
    for name, length in sorted(rests, key=lambda piece: -piece[1]):
        room = [(cut.left_m, k) for k, cut in enumerate(cuts) if cut.left_m >= length]
        if room:
            k = min(room)[1]
            cuts[k] = Cut(spool_m, (*cuts[k].pieces, (name, length)))
        else:
            cuts.append(Cut(spool_m, ((name, length),)))
    return cuts
