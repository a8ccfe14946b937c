"""A made-up trouble in a real network: what its gauges show, what tests tell, what the best hunt takes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..errors import Inconsistent, NetworkError
from ..units import PA_PER_INHG
from .airflow import GAS_CONSTANT
from .gauge import MEAN_NOISE_PA
from .hunt import SETTLED_NOISE_PA, Advice, Pace, Search, hunt
from .locate import locate
from .network import Network
from .pump import CurvePump
from .signatures import Conditions, ModelError, Signatures, branches_of, candidates_of, main_node_of, weight_of

CAUSES = ("leak", "frozen", "sensor")
SAY_MIN = 1.0
"""Minutes to look at the screen and say what it is."""
WRONG_MIN = 20.0
"""Minutes lost by going out for the wrong thing."""
GIVE_UP_MIN = 600.0


@dataclass(frozen=True)
class Trouble:
    """What is wrong. cause : leak, frozen or sensor; at : node tag (leak: anywhere; frozen: the plug), or the tag of the
    wrong gauge; size : SCFM of a leak, Pa by which a gauge reads low, Pa that has come in behind a plug"""

    cause: str
    at: str
    size: float


@dataclass(frozen=True)
class Field:
    """How the bush of a drill really is: errors of the model drawn once, unknown to the player.

    usual, real : conditions as the model thinks they are, and as they are; drift_pa : of each gauge
    """

    network: Network
    trouble: Trouble
    usual: Conditions
    real: Conditions
    drift_pa: np.ndarray


def invent(network: Network, rng: np.random.Generator, causes: Sequence[str] = CAUSES) -> Trouble:
    """A trouble at random: leaks by length and taps, plugs and wrong gauges on mains with a gauge.

    Raises Inconsistent where the network has no gauge on any mainline, or for a cause that is none of ours.
    """
    unknown = [cause for cause in causes if cause not in CAUSES]
    if unknown or not causes:
        raise Inconsistent("causes", f"{', '.join(unknown) or 'nothing'} is none of {', '.join(CAUSES)}")
    names = branches_of(network)
    gauges = [(tag, node) for tag, node in network.sensors.items() if names[node]]
    if not gauges:
        raise Inconsistent("network", "has no gauge on any mainline: nothing could be seen from the sugarhouse")
    cause = str(rng.choice(list(causes)))
    if cause == "sensor":
        tag, _ = gauges[int(rng.integers(len(gauges)))]
        return Trouble(cause, tag, float(rng.uniform(1.2, 4.0)) * PA_PER_INHG)
    if cause == "frozen":
        _, node = gauges[int(rng.integers(len(gauges)))]
        way = [node]
        while names[network.parent[way[-1]]] == names[node]:
            way.append(int(network.parent[way[-1]]))
        plug = way[int(rng.integers(max(len(way) // 2, 1)))]
        return Trouble(cause, network.nodes[plug].tag, float(rng.uniform(6.0, 16.0)) * PA_PER_INHG)
    weight = weight_of(network)
    at = int(rng.choice(candidates_of(network), p=weight / weight.sum()))
    laterals = [
        i for i in range(len(network)) if network.parent[i] == at and (line := network.lines[i]) and line.kind == "lateral"
    ]
    node = int(rng.choice([at, *laterals]))
    return Trouble(cause, network.nodes[node].tag, float(np.exp(rng.uniform(np.log(0.4), np.log(2.5)))))


def field_of(network: Network, trouble: Trouble, usual: Conditions, rng: np.random.Generator) -> Field:
    """Draw how the bush really is: friction, background, sap and pump off by what `ModelError` says."""
    error = ModelError()
    names = branches_of(network)
    factor = {name: np.exp(rng.normal(0, error.branch_resistance)) for name in dict.fromkeys(names)}
    friction = np.array([factor[name] for name in names]) * np.exp(rng.normal(0, error.pipe_resistance, len(network)))
    pump = usual.pump or network.pump
    if isinstance(pump, CurvePump):
        pump = CurvePump(pump.ultimate_pa, pump.rated_m3_s * float(np.exp(rng.normal(0, error.pump_slope))), pump.rated_pa)
    real = replace(
        usual,
        pump=pump,
        resistance=np.asarray(usual.resistance) * friction,
        sap_rate=usual.sap_rate * float(np.exp(rng.normal(0, error.sap))),
        background_scfm_per_tap=np.asarray(usual.background_scfm_per_tap) * float(np.exp(rng.normal(0, error.background))),
    )
    drift = rng.normal(0, error.drift_pa, len(network.sensors))
    return Field(network, trouble, usual, real, drift)


def _leaks(field: Field) -> dict[str, float]:
    return {field.trouble.at: field.trouble.size} if field.trouble.cause == "leak" else {}


def readings(field: Field, rng: np.random.Generator) -> dict[str, float]:
    """Fall of each gauge below its usual, Pa, as ten-minute means."""
    network, trouble = field.network, field.trouble
    sound = field.real.solve(network).pressure_pa
    fall = field.real.solve(network, _leaks(field)).pressure_pa - sound
    if trouble.cause == "frozen":
        plug = network.index[trouble.at]
        fall = fall.copy()
        fall[plug : network.last[plug]] += trouble.size
    found = {}
    for k, (tag, node) in enumerate(network.sensors.items()):
        wrong = trouble.size if trouble.cause == "sensor" and tag == trouble.at else 0.0
        found[tag] = float(fall[node] + wrong + field.drift_pa[k] + rng.normal(0, MEAN_NOISE_PA))
    return found


def shut(field: Field, valve: str, rng: np.random.Generator) -> tuple[dict[str, float], dict[str, float]]:
    """What a shut-off test shows: rise (Pa) of the gauges that stay connected, and how fast those behind lose vacuum
    (Pa/s). Raises NetworkError for what is no valve."""
    network = field.network
    before = field.real.solve(network, _leaks(field))
    after = field.real.solve(network, _leaks(field), [valve])
    node = network.index[valve]
    inside = slice(node, int(network.last[node]))
    volume = float((np.pi / 4 * network.diameter_m[inside] ** 2 * network.length_m[inside]).sum())
    loses = float(before.leak_kg_s[inside].sum()) * GAS_CONSTANT * field.real.temp_k / max(volume, 1e-3)
    rises, holds = {}, {}
    for tag, at in network.sensors.items():
        if node <= at < network.last[node]:
            holds[tag] = max(loses * float(np.exp(rng.normal(0, 0.25))), 0.0)
        else:
            rises[tag] = float(before.pressure_pa[at] - after.pressure_pa[at] + rng.normal(0, SETTLED_NOISE_PA))
    return rises, holds


def found_by_look(field: Field, place: str, notice: float, rng: np.random.Generator) -> bool:
    """Whether the trouble is noticed at this saddle and its laterals: a leak with chance `notice`, ice that is there always
    (a bulge, no flow), a gauge's own fault where it hangs."""
    network, trouble = field.network, field.trouble
    if place not in network.index:
        raise NetworkError(place, "is not a point of this network")
    node = network.sensors[trouble.at] if trouble.cause == "sensor" else network.index[trouble.at]
    home = int(main_node_of(network)[node])
    if network.index[place] != home:
        return False
    return trouble.cause != "leak" or bool(rng.random() < notice)


def advice_for(search: Search, action: str, at: str, notice: float) -> tuple[Advice, Advice]:
    """What an action was worth when it was chosen, and the best there was then. Raises NetworkError for a place at which
    there is nothing to do."""
    every = hunt(search, notice=notice, most=10_000)
    chosen = next((one for one in every if (one.action, one.at) == (action, at)), None)
    if chosen is None:
        raise NetworkError(at, "is no valve of this network" if action == "shut" else "is no place on a main")
    return chosen, every[0]


def worth(bits: float, minutes: float, best: Mapping[str, Any]) -> float:
    """What a step could be expected to tell a minute, as a share of the best there was then (its `bits` and `minutes`), 0..1."""
    return min((bits / minutes) / max(best["bits"] / best["minutes"], 1e-12), 1.0)


def par(field: Field, table: Signatures, rng: np.random.Generator, notice: float = 0.9, hunts: int = 7) -> float:
    """Minutes that this trouble takes when every advice is followed: the middle of some hunts with fresh noise. What is no
    leak takes a minute: the gauges and the weather tell."""
    if field.trouble.cause != "leak":
        return SAY_MIN
    return float(np.median([_by_advice(field, table, rng, notice) for _ in range(hunts)]))


def _by_advice(field: Field, table: Signatures, rng: np.random.Generator, notice: float) -> float:
    search = Search.begin(locate(field.network, readings(field, rng), MEAN_NOISE_PA, table=table, most=1).leaks[0])
    pace, minutes = Pace(), 0.0
    while minutes < GIVE_UP_MIN:
        advice = hunt(search, pace, notice=notice, most=1)[0]
        minutes += advice.minutes
        if advice.action == "look":
            if found_by_look(field, advice.at, notice, rng):
                break
            search = search.after_look(advice.at, notice)
        else:
            search = search.after_shut(advice.at, *shut(field, advice.at, rng))
    return minutes
