"""What can be chosen for an evening, and what came of it."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np

from ..errors import Inconsistent

LIMITS = (
    "target not above the sap's own Brix",
    "concentrate above the machine's limit",
    "osmotic pressure beyond the machine's pump",
    "feed below the machine's least flow",
    "head tank below its reserve with the fire lit",
    "sap tank over its brim",
    "head tank over its brim",
    "permeate short for the wash",
    "sap kept too long",
    "concentrate kept too long",
    "not finished in time",
)
NEVER = -1


@dataclass(frozen=True)
class Policies:
    """Candidate policies, 1-d arrays of one length.

    target_brix : of the concentrate; 0 boils the sap as it is
    ro_start_min, light_min : minutes from now
    """

    target_brix: np.ndarray
    ro_start_min: np.ndarray
    light_min: np.ndarray

    def __post_init__(self) -> None:
        for name in ("target_brix", "ro_start_min", "light_min"):
            object.__setattr__(self, name, np.asarray(getattr(self, name), float))
        if not self.target_brix.shape == self.ro_start_min.shape == self.light_min.shape:
            raise Inconsistent("policies", "target, start and light-up must have one length")

    def __len__(self) -> int:
        return len(self.target_brix)


@dataclass(frozen=True)
class Outcome:
    """What came of each policy: arrays of length n, traces of shape (minutes, n).

    breach : index into LIMITS of the first limit broken, or −1; breach_min : when
    finish_min : everything done, the wash included (horizon where not finished)
    ro_min, boil_min, fire_min : running times; washes : number of washes
    ro_end_min, boil_end_min, light_min : on the clock
    concentrate_m3, permeate_m3, permeate_left_m3, syrup_m3, syrup_kg
    fuel (SI units of the fuel), power_j, labour_s, sugar_lost_kg
    cost and its parts: fuel_cost, power_cost, labour_cost, wash_cost, lost_cost
    sap_trace, head_trace, permeate_trace, syrup_trace : m³; ro_trace, wash_trace, fire_trace : share 0..1
    sugar_audit, water_audit : kg everywhere, less what came in; constant when conserved, zero unless asked for
    """

    breach: np.ndarray
    breach_min: np.ndarray
    finish_min: np.ndarray
    ro_min: np.ndarray
    boil_min: np.ndarray
    fire_min: np.ndarray
    washes: np.ndarray
    ro_end_min: np.ndarray
    boil_end_min: np.ndarray
    concentrate_m3: np.ndarray
    permeate_m3: np.ndarray
    permeate_left_m3: np.ndarray
    syrup_m3: np.ndarray
    syrup_kg: np.ndarray
    fuel: np.ndarray
    power_j: np.ndarray
    labour_s: np.ndarray
    sugar_lost_kg: np.ndarray
    fuel_cost: np.ndarray
    power_cost: np.ndarray
    labour_cost: np.ndarray
    wash_cost: np.ndarray
    lost_cost: np.ndarray
    sap_trace: np.ndarray
    head_trace: np.ndarray
    permeate_trace: np.ndarray
    syrup_trace: np.ndarray
    ro_trace: np.ndarray
    wash_trace: np.ndarray
    fire_trace: np.ndarray
    sugar_audit: np.ndarray
    water_audit: np.ndarray

    @property
    def cost(self) -> np.ndarray:
        return self.fuel_cost + self.power_cost + self.labour_cost + self.wash_cost + self.lost_cost

    def row(self, index: int) -> dict[str, np.ndarray]:
        """One policy's part of every field."""
        return {f.name: getattr(self, f.name)[..., index] for f in fields(self)}
