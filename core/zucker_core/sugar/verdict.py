"""What a measured density means for the syrup it was measured in."""

from __future__ import annotations

from dataclasses import dataclass

from ..arrays import checked
from .mixing import overdensity_cost, thicken, thin


@dataclass(frozen=True)
class Verdict:
    """word : "on", "light" or "heavy"; gap_brix : above (or below) the target
    boil_off_kg : water that boiling light syrup up takes; thin_m3 : water that brings heavy syrup down
    given_away : share of the volume that heavy syrup gives away
    """

    word: str
    gap_brix: float
    boil_off_kg: float | None = None
    thin_m3: float | None = None
    given_away: float | None = None


def verdict(volume_m3: float, true_brix: float, brix_sd: float, target_brix: float) -> Verdict:
    """Light or heavy by more than the reading is sure of (one standard deviation `brix_sd`, °Brix), else on target.

    volume_m3 0 or more, true_brix and target_brix 0.1..80. Raises OutOfRange.
    """
    sd = float(checked("brix_sd", brix_sd, 0.0, 80.0, "°Brix"))
    gap = true_brix - target_brix
    if gap < -sd:
        return Verdict("light", gap, boil_off_kg=thicken(volume_m3, true_brix, target_brix).water_kg)
    if gap > sd:
        return Verdict("heavy", gap, thin_m3=float(thin(volume_m3, true_brix, target_brix)),
                       given_away=overdensity_cost(1.0, true_brix, target_brix, 1.0))
    return Verdict("on", gap)
