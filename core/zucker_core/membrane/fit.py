"""Learn a machine from its log."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..arrays import checked
from ..errors import Inconsistent
from ..estimate import Estimate, Solution, Z, of_log, of_value, solve
from .flux import clean_permeate_flow
from .machine import Machine

FLOW_SHARE, BRIX_SD, PRESSURE_SHARE, TEMP_SD = 0.03, 0.15, 0.01, 0.5
"""Noise of a record's readings, one standard deviation, unless it says otherwise."""
PERMEABILITY_SPREAD, SIGMA_SD = 0.35, 0.20
"""How far a machine may be from its maker's figures: permeability relative, σ absolute."""
MARGIN_BRIX, MARGIN_PRESSURE, MARGIN_TEMP_C = 2.0, 0.10, 4.0
LEAST_RECORDS = 5


@dataclass(frozen=True)
class Record:
    """One line of a membrane's log.

    feed_brix, concentrate_brix, temp_c (of the feed), pressure_pa, permeate_m3_s : as read
    permeate_since_wash_m3 : through the whole machine; cycle : which wash it followed
    flow_share, brix_sd, pressure_share, temp_sd : noise of the readings, one standard deviation
    weight : 1 now, less the older it is
    """

    feed_brix: float
    concentrate_brix: float
    temp_c: float
    pressure_pa: float
    permeate_m3_s: float
    permeate_since_wash_m3: float
    cycle: int = 0
    flow_share: float = FLOW_SHARE
    brix_sd: float = BRIX_SD
    pressure_share: float = PRESSURE_SHARE
    temp_sd: float = TEMP_SD
    weight: float = 1.0

    def __post_init__(self) -> None:
        checked("feed_brix", self.feed_brix, 0.2, 45.0, "°Brix")
        checked("concentrate_brix", self.concentrate_brix, 0.2, 45.0, "°Brix")
        checked("temp_c", self.temp_c, 0.0, 45.0, "°C")
        checked("pressure_pa", self.pressure_pa, 1e5, 1e7, "Pa")
        checked("permeate_m3_s", self.permeate_m3_s, 1e-9, 1.0, "m³/s")
        checked("permeate_since_wash_m3", self.permeate_since_wash_m3, 0.0, 1e6, "m³")
        checked("weight", self.weight, 1e-6, 1.0)
        if self.concentrate_brix <= self.feed_brix:
            raise Inconsistent(
                "concentrate_brix", f"concentrate of {self.concentrate_brix:g} °Brix is not above its feed of {self.feed_brix:g}"
            )


@dataclass(frozen=True)
class Flow:
    """A permeate flow asked of a fit, m³/s, with its 90 % interval. `source` is "log", or "maker" with the reason
    why the log cannot say."""

    value: float
    low: float
    high: float
    source: str
    reason: str = ""


@dataclass(frozen=True)
class Fit:
    """What a log teaches.

    permeability : a, m/s/Pa at 25 °C, clean; sigma : σ; fouling : k by wash cycle, 1/m³ through one element
    told_apart : a and σ each follow from the log; otherwise only their combined effect where it was logged does
    told : the same in words
    brix, pressure_pa, temp_c : range that was logged (of the concentrate, at the feed)
    machine : the maker's machine with what was learned put in; maker : as it was
    scatter : scatter found over the scatter assumed
    """

    permeability: Estimate
    sigma: Estimate
    fouling: dict[int, Estimate]
    told_apart: bool
    told: str
    brix: tuple[float, float]
    pressure_pa: tuple[float, float]
    temp_c: tuple[float, float]
    machine: Machine
    maker: Machine
    scatter: float
    solution: Solution

    def refusal(self, target_brix: float, temp_c: float, pressure_pa: float) -> str:
        """Why the log cannot say what flows here; empty when it can."""
        for name, value, (low, high), margin, unit, scale in (
            ("concentrate", target_brix, self.brix, MARGIN_BRIX, "°Brix", 1.0),
            ("pressure", pressure_pa, self.pressure_pa, MARGIN_PRESSURE * pressure_pa, "bar", 1e5),
            ("temperature", temp_c, self.temp_c, MARGIN_TEMP_C, "°C", 1.0),
        ):
            if not low - margin <= value <= high + margin:
                return (
                    f"{name} of {value / scale:.3g} {unit} is beyond what was logged, {low / scale:.3g} to "
                    f"{high / scale:.3g} {unit}"
                )
        return ""

    def flow(self, feed_brix: float, target_brix: float, temp_c: float, pressure_pa: float | None = None) -> Flow:
        """Permeate of the clean machine, m³/s; the maker's figure, labelled, beyond the logged range."""
        pressure = self.maker.pressure_pa if pressure_pa is None else pressure_pa
        reason = self.refusal(target_brix, temp_c, pressure)
        if reason:
            value = float(clean_permeate_flow(self.maker, feed_brix, target_brix, temp_c, pressure))
            spread = np.exp(Z * PERMEABILITY_SPREAD)
            return Flow(value, value / spread, value * spread, "maker", reason)
        value = float(clean_permeate_flow(self.machine, feed_brix, target_brix, temp_c, pressure))
        step = 1e-3
        moved = float(
            clean_permeate_flow(replace(self.machine, sigma=self.machine.sigma + step), feed_brix, target_brix, temp_c, pressure)
        )
        slope = np.zeros(len(self.solution.values))
        slope[0], slope[1] = 1.0, (np.log(max(moved, 1e-30)) - np.log(max(value, 1e-30))) / step
        spread = float(np.exp(Z * np.sqrt(slope @ self.solution.covariance @ slope)))
        return Flow(value, value / spread, value * spread, "log")


def fit(records: Sequence[Record], machine: Machine) -> Fit:
    """Learn a and σ of a machine, and k of each wash cycle, from its log.

    Robust least squares on the logarithm of the flow with the maker's figures as priors; the noise of Brix,
    pressure and temperature counts by its effect on the flow (effective variance; Fuller 1987, ch. 1). With one
    pressure and one Brix a and σ cannot be told apart: the fit says so (`told_apart`).
    Raises Inconsistent under 5 records.
    """
    if len(records) < LEAST_RECORDS:
        raise Inconsistent("records", f"{len(records)} records are too few to learn from: {LEAST_RECORDS} or more are needed")
    log = _Log(records, machine)
    cycles = sorted({r.cycle for r in records})
    place = np.array([cycles.index(r.cycle) for r in records])
    usual_k = max(machine.fouling_per_m3, 1e-3)
    prior = np.concatenate([[0.0, machine.sigma], np.full(len(cycles), machine.fouling_per_m3)])
    spread = np.concatenate([[PERMEABILITY_SPREAD, SIGMA_SD], np.full(len(cycles), usual_k)])

    def residuals(theta: np.ndarray) -> np.ndarray:
        return log.residuals(theta[0], theta[1], theta[2:][place])

    found = solve(residuals, prior, spread, len(records))
    sigma_known = found.sd(1) < 0.7 * SIGMA_SD
    one_pressure = bool(np.ptp(log.pressure) < 0.05 * log.pressure.max())
    pressure = "one pressure and " if one_pressure else ""
    narrow = f"permeability and σ cannot be told apart: the log has {pressure}too narrow a range"
    told = "" if sigma_known else f"{narrow} of Brix; σ stays near the maker's {machine.sigma:g}"
    permeability = of_log(found, 0)
    a = machine.permeability
    permeability = Estimate(a * permeability.value, a * permeability.low, a * permeability.high, a * permeability.sd)
    fouling = {c: of_value(found, 2 + i, found.sd(2 + i) > 0.8 * usual_k, 0.0) for i, c in enumerate(cycles)}
    latest = (
        fouling[cycles[-1]].value if not fouling[cycles[-1]].from_prior else float(np.mean([k.value for k in fouling.values()]))
    )
    sigma = of_value(found, 1, not sigma_known)
    learned = replace(
        machine,
        permeability=float(np.clip(permeability.value, 1e-13, 1e-9)),
        sigma=float(np.clip(sigma.value, 0.8, 3.0)),
        fouling_per_m3=float(np.clip(latest, 0.0, 1.0)),
    )
    return Fit(
        permeability,
        sigma,
        fouling,
        sigma_known,
        told,
        _range(log.concentrate),
        _range(log.pressure),
        _range(log.temp),
        learned,
        machine,
        found.scatter,
        found,
    )


def _range(values: np.ndarray) -> tuple[float, float]:
    return float(values.min()), float(values.max())


class _Log:
    """The records as columns, and how far a machine's flow is from them."""

    def __init__(self, records: Sequence[Record], machine: Machine) -> None:
        def column(name: str) -> np.ndarray:
            return np.array([getattr(r, name) for r in records], float)

        self.machine = machine
        self.feed, self.concentrate, self.temp = column("feed_brix"), column("concentrate_brix"), column("temp_c")
        self.pressure, self.flow = column("pressure_pa"), np.log(column("permeate_m3_s"))
        self.through = column("permeate_since_wash_m3") / machine.elements
        self.flow_share, self.root = column("flow_share"), np.sqrt(column("weight"))
        # only σ needs the machine worked out anew: its steps are few, those of a and k many
        self.known: dict[float, tuple[np.ndarray, np.ndarray]] = {}
        # how far one standard deviation of each reading carries it
        self.shifts = (
            (column("brix_sd"), 0.0, 0.0, 0.0),
            (0.0, column("brix_sd"), 0.0, 0.0),
            (0.0, 0.0, column("temp_sd"), 0.0),
            (0.0, 0.0, 0.0, column("pressure_share") * self.pressure),
        )

    def log_flow(self, sigma: float, shift: tuple[np.ndarray | float, ...] = (0.0, 0.0, 0.0, 0.0)) -> np.ndarray:
        """ln of the clean flow at the maker's permeability."""
        one = replace(self.machine, sigma=float(np.clip(sigma, 0.8, 3.0)))
        feed, concentrate, temp, pressure = (
            v + s for v, s in zip((self.feed, self.concentrate, self.temp, self.pressure), shift, strict=True)
        )
        temp = np.clip(temp, 0.0, 45.0)
        flow = np.asarray(clean_permeate_flow(one, feed, concentrate, temp, pressure))
        return np.log(np.maximum(flow, 1e-9))

    def residuals(self, log_a: float, sigma: float, fouling: np.ndarray) -> np.ndarray:
        """Standardized: logged over expected flow, by the scatter that all readings' noise makes."""
        if sigma not in self.known:
            expected = self.log_flow(sigma)
            self.known[sigma] = expected, self.flow_share**2 + sum((self.log_flow(sigma, s) - expected) ** 2 for s in self.shifts)
        expected, variance = self.known[sigma]
        return self.root * (self.flow - expected - log_a + fouling * self.through) / np.sqrt(variance)
