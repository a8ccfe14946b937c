"""The rest of a boil in one step.

Once all sap is in and through the membranes, and the pans stand as they stand when syrup is drawn, every minute is like the one
before: what the pans take, drive off and give is a straight line until the head tank is empty. The figures are those of the
minute by minute loop, to rounding.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .fires import Fire
from .membranes import Membrane
from .tanks import SUGAR, WAITS_M3, WATER, Tanks

SETTLED = 1e-9
"""Pans hold what they hold when ready, to this share of it."""


@dataclass(frozen=True)
class Rest:
    """What is left of the traces, one row a minute: the tanks at its end, the shares of it that pans boiled and membranes
    washed. `minutes` until everything has come to its end."""

    minutes: int
    head: np.ndarray
    permeate: np.ndarray
    syrup: np.ndarray
    boiled: np.ndarray
    wash: np.ndarray


def settled(tanks: Tanks, membranes: Sequence[Membrane], fires: Sequence[Fire], minute: int) -> np.ndarray:
    """Policies to which nothing happens from this minute on but boiling and washing, (n,)."""
    if tanks.coming(minute):
        return np.zeros(tanks.n, bool)
    found: np.ndarray = (tanks.made == tanks.made_when_aged).all(axis=0)
    for membrane in membranes:
        found &= ~membrane.left
    lit = np.zeros(tanks.n, bool)
    for fire in fires:
        lit |= fire.used
        ready = (fire.boils_at <= minute) & (np.abs(fire.pan_s - fire.full) <= SETTLED * fire.full)
        found &= ~fire.used | np.isfinite(fire.end) | ready
    return found & lit


def boil_down(
    tanks: Tanks, membranes: Sequence[Membrane], fires: Sequence[Fire], minute: int, most: int, rows: np.ndarray,
    awaited: np.ndarray
) -> Rest:
    """Bring `rows`, which are `settled`, to their state when the last of those `awaited` has ended, `most` minutes on at the
    latest; every other policy stays as it is."""
    on = [rows & fire.used & ~np.isfinite(fire.end) for fire in fires]
    takes = [np.where(lit, fire.feed_at_full, 0.0) for lit, fire in zip(on, fires, strict=True)]
    mass, taken = tanks.head[SUGAR] + tanks.head[WATER], np.sum(takes, axis=0)
    # so many whole minutes, then a last one of which the pans boil a part
    boils = taken > 0
    whole = np.where(boils, np.floor(mass / np.where(boils, taken, 1.0)), 0.0)
    wash_left = [np.where(rows, np.ceil(membrane.wash_left), 0.0) for membrane in membranes]
    cold = [np.where(lit, whole + 2.0 + np.ceil(fire.shut_min), np.where(np.isfinite(fire.cold_at), fire.cold_at - minute, 0.0))
            for lit, fire in zip(on, fires, strict=True)]
    minutes = int(min(np.where(awaited, np.max([*cold, *wash_left], axis=0), 1.0).max(), most))
    whole = np.minimum(whole, minutes)
    ends = boils & (whole < minutes)
    t = np.arange(1, minutes + 1)[:, None]
    _grow_old(tanks, minute, whole, taken, boils)

    share = np.divide(tanks.head[SUGAR], mass, out=np.zeros(tanks.n), where=mass > 0)
    parts = np.array([share, 1.0 - share])
    head, permeate, syrup = tanks.head.copy(), tanks.permeate_w.copy(), _syrup(fires)
    left, last_part = np.where(ends, mass - whole * taken, 0.0), np.zeros(tanks.n)
    for lit, take, fire in zip(on, takes, fires, strict=True):
        feed = np.minimum(left, take)
        left = left - feed
        part = np.divide(feed, take, out=np.zeros(tanks.n), where=take > 0)
        last_part = np.maximum(last_part, part)
        fed = whole * take + feed
        tanks.head -= fed * parts
        fire.fed_w += fed * parts[WATER]
        fire.syrup_s += fed * parts[SUGAR]
        fire.vapour += fire.rate * np.where(lit, whole + part, 0.0)
        # one that had enough for the whole of the last minute finds nothing in the next
        end = minute + whole + np.where(part < 1.0, 1.0, 2.0)
        fire.boiled[minute : minute + minutes] |= lit & (minute + t <= end)
        fire.put_out(lit & ends, end)
    during = (t <= whole) | ~ends
    gone = np.minimum(t, whole) * taken
    return Rest(
        minutes,
        np.where(during[:, None], head - gone[:, None] * parts, tanks.head),
        np.where(during, permeate, tanks.permeate_w),
        np.where(during, syrup + gone * share, _syrup(fires)),
        np.where(t <= whole, 1.0, np.where(ends & (t == whole + 1.0), last_part, 0.0)),
        _wash(membranes, wash_left, minute, t))


def _syrup(fires: Sequence[Fire]) -> np.ndarray:
    drawn: np.ndarray = np.sum([fire.syrup_s for fire in fires], axis=0)
    return drawn


def _wash(membranes: Sequence[Membrane], left: Sequence[np.ndarray], minute: int, t: np.ndarray) -> np.ndarray:
    """Let the washes under way come to their end."""
    washed = np.zeros((len(t), len(left[0]) if left else 1))
    for membrane, minutes in zip(membranes, left, strict=True):
        washed = np.maximum(washed, t <= minutes)
        done = minutes > 0
        membrane.wash_end[done] = minute + np.minimum(minutes, len(t))[done]
        membrane.wash_left[done] = np.maximum(minutes - len(t), 0.0)[done]
    return washed


def _grow_old(tanks: Tanks, minute: int, whole: np.ndarray, taken: np.ndarray, boils: np.ndarray) -> None:
    """Concentrate ages at every tenth minute while the fire burns; the first at which it is too old breaks the limit."""
    first = -(-minute // tanks.age_every) * tanks.age_every
    a_look = tanks.hours_a_look / tanks.head_keeps_h
    at = first + tanks.age_every * np.maximum(np.floor((1.0 - tanks.head_age) / a_look), 0.0)
    # the limit looks at the end of a minute, at what is left then
    after = at - minute + 1.0
    volume = tanks.head_volume() * np.maximum(1.0 - after * taken / np.maximum(tanks.head.sum(axis=0), 1e-12), 0.0)
    tanks.break_limit(boils & ~tanks.raw & (after <= whole) & (volume > WAITS_M3), 9, at)
