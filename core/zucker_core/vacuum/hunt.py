"""What to do next to find a leak: the test or look that tells most for a minute, walking included."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.special import ndtr

from ..errors import Inconsistent, NetworkError
from ..units import PA_PER_INHG, SCFM_KG_S
from .airflow import GAS_CONSTANT
from .locate import LeakFound
from .network import Network
from .signatures import main_node_of

SETTLED_NOISE_PA = 0.05 * PA_PER_INHG
"""One standard deviation of a gauge's mean over the few minutes of a shut-off test."""
RISE_SHARE = 0.2
"""How far a predicted rise may be off, besides."""
HOLD_SHARE = 0.4
"""How far a predicted fall of a shut branch may be off: its volume is only roughly known."""
HOLD_NOISE_PA_S = 0.3 * PA_PER_INHG / 60
LISTEN_BELOW_M_S = 4.0
FLOOR = 1e-3
"""Share of the first belief that stays through every surprise, so that no place is excluded for good."""


@dataclass(frozen=True)
class Pace:
    """How a crew works: walking speed on snow m/s, minutes for gauges to settle after a valve is turned, and the
    chance to notice a leak that one stands at, by ear (in calm air only) and by eye (even bubbles)."""

    walk_m_s: float = 3.0 / 3.6
    settle_min: float = 4.5
    by_ear: float = 0.6
    by_eye: float = 0.75

    def notice(self, wind_m_s: float | None = None, *, dark: bool = False, running: bool = True) -> float:
        """Chance to notice a leak where one looks: 0.9 in calm daylight with sap running. Bubbles need sap
        and light; a hiss needs air of at most 4 m/s."""
        eye = self.by_eye * (0.6 if dark else 1.0) * (1.0 if running else 0.4)
        ear = self.by_ear if wind_m_s is None or wind_m_s <= LISTEN_BELOW_M_S else 0.0
        return 1.0 - (1.0 - eye) * (1.0 - ear)


@dataclass(frozen=True)
class Outcome:
    """One way a test can end: its chance, and the length of main in which the leak then lies (90 %).

    rises_pa : by gauge, for a shut-off test; hold_pa_s : how fast the shut branch loses vacuum
    """

    name: str
    chance: float
    metres: float
    rises_pa: Mapping[str, float]
    hold_pa_s: Mapping[str, float]


@dataclass(frozen=True)
class Advice:
    """A thing to do. action : "shut" or "look"; at : tag of the valve or saddle; minutes : walking included;
    bits : expected information; chance : of a jump (shut) or of finding it (look)."""

    action: str
    at: str
    minutes: float
    walk_m: float
    bits: float
    chance: float

    @property
    def bits_per_minute(self) -> float:
        return self.bits / self.minutes


class Ground:
    """What of a network every search on it needs: distances along the lines, laterals, what each valve cuts off."""

    def __init__(self, leak: LeakFound) -> None:
        self.table = leak.signatures
        self.network: Network = self.table.network
        self.places = self.table.candidates
        network = self.network
        home = main_node_of(network)
        self.lateral_m = np.bincount(home, weights=network.length_m * (home != np.arange(len(network))), minlength=len(network))
        self.valves = np.array([i for i, node in enumerate(network.nodes) if node.kind == "valve"], dtype=int)
        self.behind = (self.places >= self.valves[:, None]) & (self.places < network.last[self.valves][:, None])

    @cached_property
    def _shut(self) -> list[np.ndarray]:
        """Vacuum of the sound network at every node with each valve shut, Pa."""
        conditions = self.table.bench.conditions
        return [conditions.solve(self.network, None, [self.network.nodes[v].tag]).vacuum_pa for v in self.valves]

    def usual_rise(self, valve: int) -> np.ndarray:
        """Rise (S,) of each gauge when the valve (by its number) cuts off nothing but sound taps; NaN behind it."""
        at = self.table.bench.at
        rise = self._shut[valve][at] - self.table.bench.clean.vacuum_pa[at]
        node = self.valves[valve]
        return np.where((at >= node) & (at < self.network.last[node]), np.nan, rise)

    def hold(self, valve: int) -> tuple[float, float]:
        """How fast the shut branch loses vacuum: sound (Pa/s), and more for each SCFM that leaks within."""
        network, bench = self.network, self.table.bench
        node = int(self.valves[valve])
        inside = slice(node, int(network.last[node]))
        volume = float((np.pi / 4 * network.diameter_m[inside] ** 2 * network.length_m[inside]).sum())
        per_kg = GAS_CONSTANT * bench.conditions.temp_k / max(volume, 1e-3)
        return float(bench.clean.leak_kg_s[inside].sum()) * per_kg, SCFM_KG_S * per_kg

    def distance_from(self, node: int) -> np.ndarray:
        """(n,) metres along the lines from a node to every other."""
        network = self.network
        way = [node]
        while network.parent[way[-1]] >= 0:
            way.append(int(network.parent[way[-1]]))
        shared = np.zeros(len(network))
        for step in reversed(way):  # from the pump outwards: the deepest common point wins
            shared[step : network.last[step]] = network.distance_m[step]
        return network.distance_m[node] + network.distance_m - 2 * shared


@dataclass(frozen=True)
class Search:
    """How things stand in a hunt for one leak.

    belief : (C, Z) over the candidates and sizes; position : where the walker is; begun : the first belief
    """

    ground: Ground
    begun: np.ndarray
    belief: np.ndarray
    position: str

    @classmethod
    def begin(cls, leak: LeakFound, position: str | None = None) -> Search:
        """From what the gauges say, at a place of the network (the pump, if not told)."""
        network = leak.signatures.network
        if position is not None and position not in network.index:
            raise NetworkError(position, "is not a point of this network")
        return cls(Ground(leak), leak.probability, leak.probability, position or network.nodes[0].tag)

    @property
    def leak(self) -> LeakFound:
        """The belief in the shape that `locate` gives."""
        return LeakFound(self.ground.table, self.belief)

    def moved_to(self, tag: str) -> Search:
        """The walker is elsewhere."""
        if tag not in self.ground.network.index:
            raise NetworkError(tag, "is not a point of this network")
        return replace(self, position=tag)

    def _updated(self, likelihood: np.ndarray, at: str) -> Search:
        weight = self.belief * likelihood
        belief = (1 - FLOOR) * weight / weight.sum() if weight.sum() > 0 else self.begun * (1 - FLOOR)
        return replace(self, belief=belief + FLOOR * self.begun, position=at)

    def _valve(self, tag: str) -> int:
        number = np.flatnonzero(self.ground.valves == self.ground.network.index.get(tag, -1))
        if not len(number):
            raise NetworkError(tag, "is not a valve of this network")
        return int(number[0])

    def after_look(self, tag: str, notice: float = 0.9) -> Search:
        """Nothing was noticed at this saddle and its laterals, where a leak is noticed with chance `notice`."""
        if not 0 < notice < 1:
            raise Inconsistent("notice", f"the chance to notice is {notice:g}; it must lie between 0 and 1")
        index = self.ground.network.index.get(tag, -1)
        if index not in self.ground.places:
            raise NetworkError(tag, "is not a place on a main")
        likelihood = np.where(self.ground.places == index, 1.0 - notice, 1.0)[:, None]
        # a look tells nothing that the floor should soften: the chance to have missed it is the floor
        weight = self.belief * likelihood
        begun = self.begun * likelihood
        return replace(self, belief=weight / weight.sum(), begun=begun / begun.sum(), position=tag)

    def after_shut(
        self, valve: str, rises_pa: Mapping[str, float], holds_pa_s: Mapping[str, float] | None = None,
        noise_pa: float = SETTLED_NOISE_PA,
    ) -> Search:
        """The gauges rose by so much while the valve was shut; shut-off gauges lost vacuum at so many Pa/s."""
        number = self._valve(valve)
        table, usual = self.ground.table, self.ground.usual_rise(number)
        behind = np.repeat(self.ground.behind[number], len(table.sizes_scfm))
        log_like = np.zeros(len(behind))
        for tag, rise in rises_pa.items():
            if tag not in table.sensors:
                raise NetworkError(tag, "is not one of the sensors in use")
            gauge = table.sensors.index(tag)
            if not np.isfinite(usual[gauge]):
                continue
            expected = usual[gauge] + np.where(behind, table.falls.fall[:, gauge], 0.0)
            spread = np.hypot(np.hypot(noise_pa, RISE_SHARE * expected), table.bench.error.drift_pa)
            log_like -= 0.5 * ((rise - expected) / spread) ** 2 + np.log(spread)
        if holds_pa_s:
            sound, more = self.ground.hold(number)
            sizes = np.tile(table.sizes_scfm, len(table.candidates))
            expected = sound + np.where(behind, more * sizes, 0.0)
            spread = np.hypot(HOLD_SHARE * expected, HOLD_NOISE_PA_S)
            rate = float(np.mean(list(holds_pa_s.values())))
            log_like -= 0.5 * ((rate - expected) / spread) ** 2 + np.log(spread)
        return self._updated(np.exp(log_like - log_like.max()).reshape(self.belief.shape), valve)

    def after_word(self, valve: str, *, rose: bool, noise_pa: float = SETTLED_NOISE_PA) -> Search:
        """Only this is known: the vacuum elsewhere jumped when the valve was shut, or it did not."""
        jump = self._jump(noise_pa)[self._valve(valve)].reshape(self.belief.shape)
        return self._updated(jump if rose else 1.0 - jump, valve)

    def _jump(self, noise_pa: float) -> np.ndarray:
        """(V, H) chance that each hypothesis makes the gauges that stay connected jump, told by the one that shows
        it best."""
        ground = self.ground
        fall = ground.table.falls.fall
        out = []
        for number, node in enumerate(ground.valves):
            at = ground.table.bench.at
            connected = (at < node) | (at >= ground.network.last[node])
            shown = fall[:, connected].max(axis=1) if connected.any() else np.zeros(len(fall))
            half = 0.5 * shown / np.hypot(noise_pa, ground.table.bench.error.drift_pa)
            behind = np.repeat(ground.behind[number], len(ground.table.sizes_scfm))
            out.append(np.where(behind, ndtr(half), ndtr(-half)))
        return np.array(out).reshape(len(ground.valves), len(fall))

    def outcomes(self, advice: Advice, notice: float = 0.9) -> tuple[Outcome, ...]:
        """What each way a test can end would mean."""
        if advice.action == "look":
            after = self.after_look(advice.at, notice).leak
            return (Outcome("found", advice.chance, 0.0, {}, {}),
                    Outcome("nothing", 1 - advice.chance, after.credible_m(), {}, {}))
        number = self._valve(advice.at)
        usual, table = self.ground.usual_rise(number), self.ground.table
        behind = np.repeat(self.ground.behind[number], len(table.sizes_scfm))
        belief = self.belief.ravel()
        weight = belief * behind
        fall = (weight[:, None] * table.falls.fall).sum(axis=0) / max(weight.sum(), 1e-12)
        size = float((weight * np.tile(table.sizes_scfm, len(table.candidates))).sum() / max(weight.sum(), 1e-12))
        sound, more = self.ground.hold(number)
        node = int(self.ground.valves[number])
        inside = [tag for tag, i in zip(table.sensors, table.bench.at, strict=True) if node <= i < self.ground.network.last[node]]
        found = []
        for name, rose in (("rose", True), ("stayed", False)):
            shown = usual + (fall if rose else 0.0)
            rises = {tag: float(shown[i]) for i, tag in enumerate(table.sensors) if np.isfinite(shown[i])}
            found.append(Outcome(name, advice.chance if rose else 1 - advice.chance,
                                 self.after_word(advice.at, rose=rose).leak.credible_m(), rises,
                                 dict.fromkeys(inside, sound + (more * size if rose else 0.0))))
        return tuple(found)


def _entropy(share: np.ndarray) -> np.ndarray:
    """Of rows that sum to one, in bits."""
    return -(share * np.log2(np.maximum(share, 1e-300))).sum(axis=-1)


def hunt(
    search: Search, pace: Pace | None = None, *, notice: float | None = None, taken: Iterable[str] = (), most: int = 5,
    noise_pa: float = SETTLED_NOISE_PA,
) -> list[Advice]:
    """What to do next, the best first: expected information about the place for each minute, walking included.

    Parameters
    ----------
    search : how things stand; pace : of the crew
    notice : chance to notice a leak where one looks (from `Pace.notice`)
    taken : places that others of the crew have taken on
    most : how many to give

    Method (docs: models, section 2): the entropy of the place before, less what is expected to remain after the
    outcome; a leak that is found leaves none.
    """
    pace = pace or Pace()
    notice = pace.notice() if notice is None else notice
    ground, network = search.ground, search.ground.network
    walk = ground.distance_from(network.index[search.position])
    share = search.belief.sum(axis=1)
    now = float(_entropy(share))
    # looks: found with chance f; otherwise only that place's share shrinks
    found = notice * share
    terms = share * np.log2(np.maximum(share, 1e-300))
    missed = share - found
    left = np.maximum(1.0 - found, 1e-12)
    rest = -(terms.sum() - terms + missed * np.log2(np.maximum(missed, 1e-300))) / left + np.log2(left)
    looks = now - left * rest
    look_m = walk[ground.places] + 2 * ground.lateral_m[ground.places]
    advice = [
        Advice("look", network.nodes[i].tag, max(metres / pace.walk_m_s / 60, 0.5), float(walk[i]), float(bits), float(chance))
        for i, metres, bits, chance in zip(ground.places, look_m, looks, found, strict=True)
    ]
    if len(ground.valves):
        jump = search._jump(noise_pa).reshape(len(ground.valves), *search.belief.shape)
        rose = np.einsum("vcz,cz->vc", jump, search.belief)
        chance = rose.sum(axis=1)
        stayed = share - rose
        after = chance * _entropy(rose / np.maximum(chance, 1e-12)[:, None]) + (1 - chance) * _entropy(
            stayed / np.maximum(1 - chance, 1e-12)[:, None])
        advice += [
            Advice("shut", network.nodes[v].tag, float(walk[v]) / pace.walk_m_s / 60 + pace.settle_min, float(walk[v]),
                   max(now - float(a), 0.0), float(c))
            for v, a, c in zip(ground.valves, after, chance, strict=True)
        ]
    busy = set(taken)
    return sorted((a for a in advice if a.at not in busy), key=lambda a: -a.bits_per_minute)[:most]
