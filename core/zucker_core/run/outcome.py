"""What can be chosen for an evening, and what came of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace

import numpy as np

from ..arrays import checked
from ..errors import Inconsistent
from .scenario import Prices

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
    "nobody there while it runs",
    "hard frost before the membrane is washed and drained",
    "permeate short for chasing the pans",
)
NEVER = -1
NOT_LIT = np.inf

# what a choice is when it is left out
_CHOICES: dict[str, tuple[float, type]] = {
    "at_pace": (False, bool), "two_passes": (False, bool), "idle": (False, bool), "wash_below": (np.nan, float),
    "fire_share": (1.0, float), "pressure_share": (1.0, float),
}


@dataclass(frozen=True)
class Policies:
    """Candidate policies, 1-d arrays of one length n.

    target_brix : of the concentrate; 0 boils the sap as it is
    ro_start_min, light_min : minutes from now; light_min may be (n, evaporators), `NOT_LIT` for one that stays cold
    at_pace : the membranes run no faster than the pans take, once the head tank has its reserve
    two_passes : first to the geometric mean of sap and target into the tank between, then to the target
    idle : when the head tank is at its reserve the fire is turned down instead of boiling on
    wash_below : fouled over clean flow under which a wash is made on the way; NaN is each machine's own rule,
        0 leaves it to the end
    fire_share, pressure_share : of full heat, of the machine's pressure
    machines_on : (n, machines), which membranes are used; None is all
    """

    target_brix: np.ndarray
    ro_start_min: np.ndarray
    light_min: np.ndarray
    at_pace: np.ndarray = None  # type: ignore[assignment]
    two_passes: np.ndarray = None  # type: ignore[assignment]
    idle: np.ndarray = None  # type: ignore[assignment]
    wash_below: np.ndarray = None  # type: ignore[assignment]
    fire_share: np.ndarray = None  # type: ignore[assignment]
    pressure_share: np.ndarray = None  # type: ignore[assignment]
    machines_on: np.ndarray | None = None

    def __post_init__(self) -> None:
        for name in ("target_brix", "ro_start_min", "light_min"):
            object.__setattr__(self, name, np.asarray(getattr(self, name), float))
        n = len(self.target_brix)
        for name, (usual, kind) in _CHOICES.items():
            given = getattr(self, name)
            object.__setattr__(self, name, np.full(n, usual, kind) if given is None else np.asarray(given, kind))
        columns = [getattr(self, name).shape for name in ("target_brix", "ro_start_min", *_CHOICES)]
        if any(shape != (n,) for shape in columns) or len(self.light_min) != n:
            raise Inconsistent("policies", "target, start, light-up and every other choice must have one length")
        checked("fire_share", self.fire_share, 0.1, 1.2)
        checked("pressure_share", self.pressure_share, 0.1, 1.0)

    def __len__(self) -> int:
        return len(self.target_brix)

    def lights(self, evaporators: int) -> np.ndarray:
        """Light-up times by evaporator, (evaporators, n)."""
        if self.light_min.ndim == 1:
            return np.repeat(self.light_min[None, :], evaporators, axis=0)
        if self.light_min.shape[1] != evaporators:
            raise Inconsistent("light_min", f"there are {evaporators} evaporators but {self.light_min.shape[1]} light-up times")
        return self.light_min.T.copy()

    def take(self, rows: Sequence[int]) -> Policies:
        """Some of them, in this order."""
        chosen = np.asarray(rows, int)
        some = {f.name: value[chosen] for f in fields(self) if (value := getattr(self, f.name)) is not None}
        return replace(self, **some)

    def keys(self, machines: int, evaporators: int) -> list[bytes]:
        """What tells each from every other, so that equal policies have equal keys."""
        columns = [self.target_brix, self.ro_start_min, *self.lights(evaporators), *self.used(machines),
                   *(getattr(self, name) for name in _CHOICES)]
        table = np.column_stack([np.asarray(column, float) for column in columns])
        return [row.tobytes() for row in table]

    def used(self, machines: int) -> np.ndarray:
        """Which membranes are used, (machines, n)."""
        if self.machines_on is None:
            return np.ones((machines, len(self)), bool)
        on = np.asarray(self.machines_on, bool)
        if on.shape != (len(self), machines):
            raise Inconsistent("machines_on", f"there are {machines} membranes; machines_on has shape {on.shape}")
        return on.T.copy()


@dataclass(frozen=True)
class Outcome:
    """What came of each policy: arrays of length n, traces of shape (minutes, n).

    breach : index into LIMITS of the first limit broken, or −1; breach_min : when
    finish_min : everything done, the wash included (horizon where not finished)
    ro_min, boil_min, fire_min : running times; washes : number of washes
    ro_end_min, boil_end_min : on the clock
    concentrate_m3, permeate_m3, permeate_left_m3, syrup_m3, syrup_kg
    fuel (SI units of the fuel), power_j, labour_s, sugar_lost_kg; lost_m3 : syrup that the lost sugar would have made
    cost and its parts: fuel_cost, power_cost, labour_cost, wash_cost, lost_cost
    sap_trace, head_trace, permeate_trace, syrup_trace : m³; ro_trace, wash_trace, fire_trace : share 0..1 of
        the busiest membrane and of the fires together; power_trace : J in each minute
    sugar_audit, water_audit : kg everywhere, less what came in; constant when conserved, of no length unless asked for
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
    lost_m3: np.ndarray
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
    power_trace: np.ndarray
    sugar_audit: np.ndarray
    water_audit: np.ndarray

    @property
    def cost(self) -> np.ndarray:
        return self.fuel_cost + self.power_cost + self.labour_cost + self.wash_cost + self.lost_cost

    def priced(self, prices: Prices) -> Outcome:
        """The same evening at other prices."""
        return replace(
            self, fuel_cost=self.fuel * prices.fuel, power_cost=prices.power_at(len(self.power_trace)) @ self.power_trace,
            labour_cost=self.labour_s * prices.labour_s, wash_cost=self.washes * prices.wash,
            lost_cost=self.lost_m3 * prices.syrup_m3)

    @classmethod
    def joined(cls, parts: Sequence[Outcome]) -> Outcome:
        """Outcomes side by side; shorter traces are continued to the longest (levels stay, running is over)."""
        if len(parts) == 1:
            return parts[0]
        minutes = max(len(p.sap_trace) for p in parts)
        together = {}
        for name in (f.name for f in fields(cls)):
            values = [getattr(p, name) for p in parts]
            if values[0].ndim == 2:
                over = name in ("ro_trace", "wash_trace", "fire_trace", "power_trace")
                values = [np.concatenate([v, np.repeat(v[-1:] * (not over), minutes - len(v), axis=0)]) for v in values]
            together[name] = np.concatenate(values, axis=-1)
        return cls(**together)

    def take(self, rows: Sequence[int]) -> Outcome:
        """Those of some policies, in this order."""
        if list(rows) == list(range(len(self.breach))):
            return self
        chosen = np.asarray(rows, int)
        return Outcome(**{f.name: getattr(self, f.name)[..., chosen] for f in fields(self)})

    def row(self, index: int) -> dict[str, np.ndarray]:
        """One policy's part of every field."""
        return {f.name: getattr(self, f.name)[..., index] for f in fields(self)}
