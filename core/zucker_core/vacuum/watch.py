"""What is wrong: causes of a fall of vacuum as probabilities, with the evidence that says so."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from scipy.special import logsumexp

from ..units import PA_PER_INHG
from .hunt import Ground
from .locate import LeakFound, Readings
from .signatures import Signatures, weight_of

CAUSES = ("leak", "frozen", "pump", "releaser", "sag", "valve", "sensor", "silence", "none")
PRIOR = {
    "leak": 0.40, "frozen": 0.15, "pump": 0.08, "releaser": 0.06, "sag": 0.07, "valve": 0.06, "sensor": 0.13, "none": 0.05,
}
"""How often each is behind an alarm in a season, before anything is known; a convention."""
SETTLED_MIN = 10
WIDEST_PA = 27.0 * PA_PER_INHG
COLD_C = 0.5
THAWS_MIN = 20.0
"""A line that has thawed comes back within about so many minutes."""
LEAST_PA = 0.2 * PA_PER_INHG
UNKNOWN = 3.0
"""What one more free figure costs a cause, natural logarithm."""
WEATHER = {
    # chance of each state of the weather: when lines freeze, and at any other time of the season
    "cold_now": (0.70, 0.14), "stands_since_cold": (0.14, 0.14), "comes_back_since_cold": (0.12, 0.02),
    "began_in_the_warm": (0.03, 0.40), "never_cold": (0.01, 0.30),
}


@dataclass(frozen=True)
class Surroundings:
    """What else is known over the same T minutes; None where nothing measures it.

    air_c : air (T,); before_c : coldest air of the hours before; sap_m3_s : flow by the releaser's dumps (T,);
    dumps_h : releaser dumps an hour (T,); usual_dumps_h : what the sap flow forecast or the bush's own days lead one
    to expect; battery_v : by gauge; gateway : of each gauge; hourly_pa : falls of the last days by the hour (H, S)
    """

    air_c: np.ndarray | None = None
    before_c: float | None = None
    sap_m3_s: np.ndarray | None = None
    dumps_h: float | None = None
    usual_dumps_h: float | None = None
    battery_v: Mapping[str, float] = field(default_factory=dict)
    gateway: Mapping[str, str] = field(default_factory=dict)
    hourly_pa: np.ndarray | None = None


@dataclass(frozen=True)
class Fact:
    """One piece of evidence. name : of a fixed list; value in SI where there is one; favours : causes"""

    name: str
    value: float | None
    favours: tuple[str, ...]
    gauges: tuple[str, ...] = ()


@dataclass(frozen=True)
class Diagnosis:
    """Causes with their probabilities, likeliest first; the gauges that fell; the valve or branch in question."""

    causes: dict[str, float]
    facts: tuple[Fact, ...]
    gauges: tuple[str, ...]
    where: str

    @property
    def cause(self) -> str:
        """The likeliest."""
        return next(iter(self.causes))


@dataclass(frozen=True)
class _Course:
    """The last minutes of each gauge in figures: mean fall now, its change a minute, scatter of single readings."""

    fall: np.ndarray
    slope: np.ndarray
    slope_noise: np.ndarray
    scatter: np.ndarray
    moved: np.ndarray
    silent: np.ndarray


def _course(falls: np.ndarray, noise_pa: float) -> _Course:
    last = falls[-SETTLED_MIN:]
    seen = np.isfinite(last)
    count = seen.sum(axis=0)
    silent = count == 0
    with np.errstate(invalid="ignore", divide="ignore"):
        fall = np.where(silent, 0.0, np.nansum(np.where(seen, last, 0.0), axis=0) / np.maximum(count, 1))
        t = np.arange(len(last))[:, None] * np.ones(last.shape[1])
        t = np.where(seen, t - np.where(seen, t, 0.0).sum(axis=0) / np.maximum(count, 1), 0.0)
        square = np.maximum((t**2).sum(axis=0), 1e-9)
        slope = (t * np.where(seen, last - fall, 0.0)).sum(axis=0) / square
        rest = np.where(seen, last - fall - slope * t, 0.0)
        scatter = np.sqrt((rest**2).sum(axis=0) / np.maximum(count - 2, 1))
    first = falls[: max(len(falls) // 3, 1)]
    with np.errstate(invalid="ignore"):
        before = np.where(np.isfinite(first).any(axis=0), np.nansum(np.where(np.isfinite(first), first, 0), axis=0)
                          / np.maximum(np.isfinite(first).sum(axis=0), 1), fall)
    slope_noise = noise_pa / np.sqrt(square)
    return _Course(fall, np.where(count > 3, slope, 0.0), np.where(count > 3, slope_noise, 1e6), scatter, fall - before, silent)


def _normal(value: np.ndarray | float, spread: np.ndarray | float) -> np.ndarray:
    return -0.5 * np.square(value / np.asarray(spread)) - np.log(spread) - 0.5 * np.log(2 * np.pi)


def _mean_of(series: np.ndarray, chosen: np.ndarray) -> np.ndarray:
    """(T,) mean of some gauges at each moment, NaN where none was heard."""
    seen = np.isfinite(series[:, chosen])
    count = seen.sum(axis=1)
    total = np.where(seen, series[:, chosen], 0.0).sum(axis=1)
    return np.where(count > 0, total / np.maximum(count, 1), np.nan)


def _step_over_slope(course: np.ndarray, alike: float) -> float:
    """How much worse a step fits a course than an even slope, log, at most 0; so many values are `alike` one."""
    y = course[np.isfinite(course)]
    if len(y) < 30:
        return 0.0
    count = np.arange(1, len(y))
    left = np.cumsum(y)[:-1]
    # what is left of the squares about the best two levels, and about the best straight line
    step = float(((y - y.mean()) ** 2).sum() - (left**2 / count + (y.sum() - left) ** 2 / (len(y) - count)
                                                - y.sum() ** 2 / len(y)).max())
    t = np.arange(len(y)) - (len(y) - 1) / 2
    even = float(((y - y.mean()) ** 2).sum() - (t * y).sum() ** 2 / (t**2).sum())
    return float(np.clip(len(y) / alike * np.log(max(even, 1e-9) / max(step, 1e-9)), -8.0, 0.0))


class _Case:
    """Likelihoods of each cause for one moment. Densities are by gauge, in 1/Pa, so that they compare."""

    def __init__(self, table: Signatures, falls: np.ndarray, noise_pa: float, around: Surroundings) -> None:
        self.table, self.around = table, around
        self.course = _course(falls, noise_pa)
        self.series = falls
        self.heard = ~self.course.silent
        self.network = table.network
        self.is_pump = np.array([at == 0 for at in table.bench.at]) & self.heard
        error = table.bench.error
        self.noise = noise_pa / np.sqrt(SETTLED_MIN) * 1.4  # neighbouring minutes move together a little
        self.own = float(np.hypot(self.noise, error.drift_pa))
        self.shift = error.shift_pa
        # what the model is off by where nothing is wrong: a tenth of the way from the pump
        clean = table.bench.clean.pressure_pa
        self.spread = np.hypot(self.own, 0.1 * (clean[table.bench.at] - clean[0]))
        self.ground = Ground(LeakFound(table, np.ones((len(table.candidates), len(table.sizes_scfm)))))
        self.valves = [
            (number, (table.bench.at >= node) & (table.bench.at < self.network.last[node]))
            for number, node in enumerate(self.ground.valves)
        ]

    def sound(self, offset: np.ndarray | float = 0.0) -> np.ndarray:
        """Log density of each gauge's fall if it is about `offset`, but for the shift that all share."""
        rest = self.course.fall - offset
        common = float(np.clip(np.median(rest[self.heard]), -2 * self.shift, 2 * self.shift))
        return _normal(rest - common, self.spread) - 0.5 * (common / self.shift) ** 2 / self.heard.sum()

    def still(self, extra: float = 0.02) -> np.ndarray:
        """Log density of each gauge's change a minute if nothing moves but a share of its fall."""
        c = self.course
        return _normal(c.slope, np.hypot(c.slope_noise, extra * np.abs(c.fall)))

    def emptying(self, number: int | None, inside: np.ndarray) -> np.ndarray:
        """Log density of each gauge's change a minute behind a plug or shut valve: it loses vacuum at about the
        background rate at first, slower as less is left, and rests at the end."""
        c = self.course
        if number is not None:
            sound, _ = self.ground.hold(number)
        else:
            sound = 1.5 * PA_PER_INHG / 60
        rate = 60 * sound
        left = np.clip(1.0 - np.abs(c.fall) / WIDEST_PA, 0.02, 1.0)
        expected = np.where(inside, rate * left, 0.0)
        moving = _normal(c.slope - expected, np.hypot(c.slope_noise, 0.5 * expected + 0.02 * PA_PER_INHG))
        resting = _normal(c.slope, np.hypot(c.slope_noise, 0.01 * PA_PER_INHG))
        gone = np.clip(np.abs(c.fall) / (0.8 * WIDEST_PA), 0.05, 0.95)
        return np.logaddexp(np.log(1 - gone) + moving, np.log(gone) + resting)

    def total(self, *parts: np.ndarray) -> float:
        """Sum over the gauges that are heard."""
        return float(sum(part[self.heard].sum() for part in parts))

    # one method a cause, each returning a log likelihood and what it points at

    def none(self) -> tuple[float, str, np.ndarray]:
        return self.total(self.sound(), self.still()), "", np.zeros(len(self.spread), bool)

    def leak(self) -> tuple[float, str, np.ndarray]:
        c = self.course
        tags = [tag for tag, heard in zip(self.table.sensors, self.heard, strict=True) if heard]
        drops = dict(zip(tags, c.fall[self.heard], strict=True))
        # the usual itself may be off by as much as for the other causes
        readings = Readings(self.table, drops, dict(zip(tags, self.spread[self.heard], strict=True)))
        likelihood = readings.by_table() - 0.5 * len(tags) * np.log(2 * np.pi)
        weight = np.repeat(_prior_of(self.table), len(self.table.sizes_scfm))
        # a leak too small to have raised an alarm is no answer to one
        weight = np.where(readings.falls.fall.max(axis=1) > LEAST_PA, weight, 1e-12)
        posterior = likelihood + np.log(weight)
        best = int(np.argmax(posterior))
        where = self.network.nodes[int(self.table.candidates[best // len(self.table.sizes_scfm)])].tag
        falls = self.table.falls.fall[best]
        inside = falls > np.maximum(0.3 * falls.max(), 2 * self.own)
        return float(logsumexp(posterior)) + self.total(self.still(0.03)) + self._as_a_step(inside), where, inside

    def _as_a_step(self, inside: np.ndarray) -> float:
        """How much worse a step, as a hole makes it, fits these gauges' course than an even slope, log, at most 0."""
        chosen = inside & self.heard & ~self.is_pump
        if not chosen.any():
            return 0.0
        fall = float(np.abs(self.course.fall[chosen]).max())
        if self.course.moved[chosen].min() < -max(PA_PER_INHG, 0.5 * fall):
            return -8.0  # no hole closes by itself
        worst = _step_over_slope(_mean_of(self.series, chosen), 6.0)
        if self.around.hourly_pa is not None:
            worst = min(worst, _step_over_slope(_mean_of(self.around.hourly_pa, chosen), 3.0))
        return worst

    def pump_weak(self) -> tuple[float, str, np.ndarray]:
        """All lines fall with the pump's own gauge."""
        return self._together(own_gauge=True), "", self.heard.copy()

    def releaser(self) -> tuple[float, str, np.ndarray]:
        """All lines fall; the pump's own gauge stands higher than usual, for it has less to pull."""
        return self._together(own_gauge=False), "", self.heard & ~self.is_pump

    def _together(self, *, own_gauge: bool) -> float:
        """Of a common fall between 0.15 inHg and all there is: the lines' pressures squared rise by the same."""
        bench, c = self.table.bench, self.course
        clean = bench.clean.pressure_pa[bench.at]
        # unlike a leak's, this fall may still be going on, for all lines alike: one more thing to guess
        lines = self.heard & ~self.is_pump
        common = float(np.median(c.slope[lines])) if lines.any() else 0.0
        moving = _normal(c.slope - common, np.hypot(c.slope_noise, 0.15 * abs(common))) - UNKNOWN / max(self.heard.sum(), 1)
        alike = moving if self.total(moving) > self.total(self.still()) else self.still()
        best = []
        amounts = np.geomspace(0.15, 27.0, 80) * PA_PER_INHG
        base = float(bench.clean.pressure_pa[0])
        for amount in amounts:
            lifted = np.sqrt(clean**2 + ((base + amount) ** 2 - base**2) / bench.lift[bench.at]) - clean
            spread = np.hypot(self.spread, 0.03 * amount)
            density = _normal(c.fall - lifted, spread) + alike
            if not own_gauge:
                rest = base - bench.dead_head_pa
                grid = np.linspace(-rest, 0.0, 12)[:, None]
                high = logsumexp(_normal(c.fall - grid, np.hypot(self.own, self.shift)), axis=0) - np.log(12)
                density = np.where(self.is_pump, high + _normal(c.slope, np.hypot(c.slope_noise, 0.05 * PA_PER_INHG)), density)
            best.append(self.total(density))
        return float(logsumexp(best) - np.log(len(amounts)))

    def _cut(self, number: int, inside: np.ndarray, *, partly: bool) -> np.ndarray:
        """Log density by gauge with those `inside` fallen by an unknown amount, the others as the model says."""
        widest = 6.0 * PA_PER_INHG if partly else WIDEST_PA
        usual = self.ground.usual_rise(number)
        others = -np.nan_to_num(usual) * (0.0 if partly else 1.0)
        c = self.course
        within = np.where((c.fall > 0.1 * PA_PER_INHG) & (c.fall < widest), -np.log(widest), -np.log(widest) - 12.0)
        return np.where(inside, within, self.sound(others))

    def valve(self) -> tuple[float, str, np.ndarray]:
        """One valve shut: everything behind it empties, everything else rises."""
        return self._best_of_valves(partly=False)

    def sag(self) -> tuple[float, str, np.ndarray]:
        """Sap stands in a line: some of the vacuum is lost behind, and the more the more sap runs."""
        score, where, inside = self._best_of_valves(partly=True)
        return score + self._with_sap(inside), where, inside

    def _best_of_valves(self, *, partly: bool) -> tuple[float, str, np.ndarray]:
        scores = []
        for number, inside in self.valves:
            if not (inside & self.heard).any():
                scores.append(-np.inf)
                continue
            course = np.where(inside, self.still(0.05), self.still()) if partly else self.emptying(number, inside)
            scores.append(self.total(self._cut(number, inside, partly=partly), course))
        if not scores or not np.isfinite(max(scores)):
            return -np.inf, "", np.zeros(len(self.spread), bool)
        best = int(np.argmax(scores))
        tag = self.network.nodes[self.ground.valves[self.valves[best][0]]].tag
        return float(logsumexp(scores) - np.log(len(scores))), tag, self.valves[best][1]

    def frozen(self) -> tuple[float, str, np.ndarray]:
        """Any gauges beyond plugs, each on its own; the pump and the rest stand as usual or a little higher."""
        c = self.course
        inside = ~self.is_pump
        # the air behind the plug is let in, nothing moves, or the thaw has come and the line recovers
        thawing = _normal(c.slope + np.abs(c.fall) / THAWS_MIN, np.hypot(c.slope_noise, 0.6 * np.abs(c.fall) / THAWS_MIN))
        emptying = logsumexp([self.emptying(None, inside), self.still(0.05), thawing], axis=0) - np.log(3)
        within = np.where((c.fall > 0.1 * PA_PER_INHG) & (c.fall < WIDEST_PA), -np.log(WIDEST_PA), -np.log(WIDEST_PA) - 12.0)
        scores = []
        for rise in np.array([0.0, 0.05, 0.1, 0.2]) * PA_PER_INHG:  # what the others gain by the taps cut off
            usual = self.sound(-rise) + self.still()
            for share in (0.1, 0.5):  # a few lines, or half of the bush
                cut, whole = np.log(share) + within + emptying, np.log(1 - share) + usual
                scores.append(self.total(np.where(inside, np.logaddexp(cut, whole), usual)))
        several = float(logsumexp(scores) - np.log(len(scores)))
        one, where, behind = self._best_of_valves(partly=False)  # a single plug cuts off what a valve would
        if one > several:
            return float(np.logaddexp(one, several) - np.log(2)), where, behind
        sound = self.sound() + self.still()
        return float(np.logaddexp(one, several) - np.log(2)), "", inside & (within + emptying > sound)

    def sensor(self) -> tuple[float, str, np.ndarray]:
        """One gauge alone, up or down; all others agree without it. A dead one shows the same figure again and again."""
        c = self.course
        sound = self.sound() + self.still()
        rest = self.total(sound) - np.where(self.heard, sound, 0.0)
        # a step, a slow ramp, or a value that no longer moves
        steady = _normal(c.slope, np.hypot(c.slope_noise, 0.02 * PA_PER_INHG))
        stuck = np.where((c.scatter < 0.1 * self.noise) & self.heard, 6.0, 0.0)
        wrong = -np.log(2 * WIDEST_PA) + steady + stuck
        scores = np.where(self.heard, rest + wrong, -np.inf)
        best = int(np.argmax(scores))
        low = np.array([self.around.battery_v.get(tag, 9.0) < 3.0 for tag in self.table.sensors])
        scores = scores + np.where(low, 3.0, 0.0)
        return float(logsumexp(scores) - np.log(self.heard.sum())), self.table.sensors[best], np.arange(len(scores)) == best

    def _with_sap(self, inside: np.ndarray) -> float:
        """How much better the fall of these gauges follows the sap flow than it stays constant, log."""
        sap = self.around.sap_m3_s
        chosen = inside & self.heard
        if sap is None or not chosen.any() or len(sap) != len(self.series):
            return 0.0
        fall = _mean_of(self.series, chosen)
        good = np.isfinite(fall) & np.isfinite(sap)
        if good.sum() < 30 or np.ptp(sap[good]) < 0.1 * max(float(np.abs(sap[good]).max()), 1e-12):
            # a shortfall that came or went by itself while the sap ran on evenly is no sag
            moved = float(np.abs(self.course.moved[chosen]).max())
            return -4.0 if moved > max(PA_PER_INHG, 0.5 * float(np.abs(self.course.fall[chosen]).max())) else 0.0
        x, y = sap[good] - sap[good].mean(), fall[good] - fall[good].mean()
        slope = float((x * y).sum() / (x**2).sum())
        explained = 1.0 - float(((y - slope * x) ** 2).sum() / max(float((y**2).sum()), 1e-9))
        return float(np.clip(12.0 * (explained - 0.3), -2.0, 6.0)) if slope > 0 else -3.0

    def weather(self) -> tuple[str, float] | None:
        """State of the weather for freezing, and the coldest air in question, °C."""
        air = self.around.air_c
        now = float(np.nanmin(air)) if air is not None and np.isfinite(air).any() else None
        before = self.around.before_c
        if now is None and before is None:
            return None
        if now is not None and now < COLD_C:
            return "cold_now", now
        if before is None or before >= COLD_C:
            return "never_cold", min(x for x in (now, before) if x is not None)
        worst = int(np.argmax(np.where(self.heard & ~self.is_pump, self.course.fall, -np.inf)))
        moved, fall = self.course.moved[worst], self.course.fall[worst]
        if moved > 0.5 * fall:
            return "began_in_the_warm", before
        return ("comes_back_since_cold" if moved < -max(PA_PER_INHG, 0.5 * fall) else "stands_since_cold"), before


def _prior_of(table: Signatures) -> np.ndarray:
    weight = weight_of(table.network)
    return weight / weight.sum() / len(table.sizes_scfm)


def _weather(case: _Case, scores: dict[str, float], facts: list[Fact]) -> None:
    state = case.weather()
    if state is None:
        return
    name, temp_c = state
    frozen, other = WEATHER[name]
    for cause in scores:
        scores[cause] += np.log(frozen if cause == "frozen" else other)
    favours = ("frozen",) if frozen >= other else tuple(n for n in scores if n not in ("frozen", "none"))
    facts.append(Fact(name, temp_c, favours))


def _dumps(case: _Case, scores: dict[str, float], facts: list[Fact]) -> None:
    dumps, usual = case.around.dumps_h, case.around.usual_dumps_h
    if dumps is None or not usual:
        return
    share = dumps / usual
    if share < 0.3 or share > 3.0:
        for name in scores:
            scores[name] += np.log(0.8 if name == "releaser" else 0.4 if name in ("frozen", "pump") else 0.05)
        facts.append(Fact("dumps_few" if share < 0.3 else "dumps_many", dumps, ("releaser", "frozen", "pump")))
    else:
        for name in scores:
            scores[name] += np.log(0.2 if name == "releaser" else 0.6 if name in ("frozen", "pump") else 0.95)


def watch(
    table: Signatures, falls_pa: np.ndarray, noise_pa: float, around: Surroundings | None = None,
    prior: Mapping[str, float] | None = None,
) -> Diagnosis:
    """What is wrong, once `detect` says that a gauge has fallen (or at any time).

    Parameters
    ----------
    table : `signatures` of the network, its sensors in the columns' order
    falls_pa : usual (by the pump's own curve) minus actual, (T, S) by the minute, NaN where nothing came; ten minutes
        are the least, an hour or two tell more
    noise_pa : one standard deviation of a single reading
    around : weather, sap flow, dumps, batteries, gateways
    prior : how often each cause is behind an alarm, instead of `PRIOR`

    Each cause says how likely the readings' levels, their changes a minute and the surroundings would be; Bayes'
    rule does the rest (docs: models, section 2, table of signatures).
    """
    around = around or Surroundings()
    falls = np.asarray(falls_pa, float)
    case = _Case(table, falls, noise_pa, around)
    silent = tuple(tag for tag, heard in zip(table.sensors, case.heard, strict=True) if not heard)
    facts: list[Fact] = []
    if silent:
        same = {around.gateway.get(tag) for tag in silent}
        shared = len(same) == 1 and None not in same and len(silent) > 1
        facts.append(Fact("gateway_silent" if shared else "gauges_silent", float(len(silent)), ("silence",), silent))
    if not case.heard.any():
        return Diagnosis({"silence": 1.0}, tuple(facts), silent, next(iter({around.gateway.get(silent[0], "")})))
    found = {
        "none": case.none(), "leak": case.leak(), "pump": case.pump_weak(), "releaser": case.releaser(), "sag": case.sag(),
        "valve": case.valve(), "frozen": case.frozen(), "sensor": case.sensor(),
    }
    weights = prior or PRIOR
    scores = {name: score + float(np.log(weights.get(name, 1e-6))) for name, (score, _, _) in found.items()}
    _weather(case, scores, facts)
    _dumps(case, scores, facts)
    top = max(scores.values())
    shares = {name: float(np.exp(score - top)) for name, score in scores.items()}
    whole = sum(shares.values())
    causes = dict(sorted(((name, share / whole) for name, share in shares.items()), key=lambda item: -item[1]))
    first = next(iter(causes))
    if first == "none" and silent:
        causes = {"silence": causes["none"], **{k: v for k, v in causes.items() if k != "none"}}
        return Diagnosis(causes, tuple(facts), silent, around.gateway.get(silent[0], ""))
    _, where, inside = found[first]
    facts += _readings_say(case, inside)
    gauges = tuple(tag for tag, chosen in zip(table.sensors, inside, strict=True) if chosen)
    return Diagnosis(causes, tuple(facts), gauges, where)


def _readings_say(case: _Case, inside: np.ndarray) -> list[Fact]:
    c, facts = case.course, []
    if case.is_pump.any():
        fall = float(c.fall[case.is_pump][0])
        name = "pump_fell" if fall > 2 * case.own else "pump_rose" if fall < -2 * case.own else "pump_unmoved"
        favours: Sequence[str] = {"pump_fell": ("leak", "pump"), "pump_rose": ("releaser", "valve", "frozen"),
                                  "pump_unmoved": ("sag", "valve", "frozen", "sensor")}[name]
        facts.append(Fact(name, fall, tuple(favours)))
    chosen = inside & case.heard & ~case.is_pump
    if chosen.any():
        worst = int(np.flatnonzero(chosen)[np.argmax(np.abs(c.fall[chosen]))])
        gauge = (case.table.sensors[worst],)
        facts.append(Fact("gauge_fell", float(c.fall[worst]), (), gauge))
        if c.slope[worst] > 3 * c.slope_noise[worst]:
            emptying = ("valve", "frozen", "releaser", "pump")
            facts.append(Fact("still_falling", float(c.slope[worst]) / 60, emptying, gauge))
        if c.scatter[worst] < 0.1 * case.noise:
            facts.append(Fact("no_scatter", float(c.scatter[worst]), ("sensor",), gauge))
    return facts
