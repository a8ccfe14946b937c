"""The made-up operations of the demo: where they are, what hangs there, what is wrong today."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

SEED = 20260317
START = datetime(2026, 3, 17, 18, 0, tzinfo=UTC)
"""Where the demo's clock starts: 14:00 on a sap day in Tarn County."""
HISTORY_DAYS = 21


@dataclass(frozen=True)
class Valley:
    """A stand of trees up one valley: its pump at (x, y) m east and north of the sugarhouse, its axis, its lines."""

    slug: str
    name: str
    prefix: str
    x: float
    y: float
    azimuth_deg: float
    mains: int
    saddles: int
    pump: tuple[float, float, float]  # ultimate inHg, CFM, at inHg


@dataclass(frozen=True)
class Leak:
    """Air let in at the middle of a mainline since some hours before the demo's start."""

    main: str
    scfm: float
    hours_before: float


@dataclass(frozen=True)
class Place:
    """One operation. lat, lon: in mid-ocean, so that it is nobody's land."""

    slug: str
    name: str
    county: str
    zone: str
    elevation_m: float
    lat: float
    lon: float
    valleys: tuple[Valley, ...]
    leaks: tuple[Leak, ...] = ()
    drifting: tuple[str, float] | None = None  # sensor, inHg a day over the last ten days
    thawed: str | None = None  # mainline whose far end froze last night
    shaded: tuple[tuple[str, float], ...] = ()  # mainlines that sleep after a frost, minutes behind the first to wake
    hauled_taps: int = 0
    metric: bool = False
    people: tuple[tuple[str, str], ...] = ()


HARROW = Place(
    slug="harrow-notch", name="Harrow Notch Sugarworks", county="Mount Lisgold, Tarn County", zone="America/New_York",
    elevation_m=420.0, lat=44.9, lon=-39.6,
    valleys=(
        Valley("upper-notch", "Upper Notch", "UN", 120.0, 70.0, 34.0, 12, 20, (27.6, 95.0, 25.0)),
        Valley("cold-hollow", "Cold Hollow", "CH", -190.0, 40.0, -72.0, 9, 20, (27.4, 70.0, 25.0)),
    ),
    leaks=(Leak("UN-07", 1.3, 2.7), Leak("CH-05", 0.28, 50.0)), drifting=("CH-08E", -0.11), thawed="UN-12",
    shaded=(("CH-09", 0.0), ("UN-10", 25.0), ("UN-11", 55.0), ("UN-12", 100.0)),
    hauled_taps=900, people=(("marit", "owner"), ("josef", "crew"), ("guest", "viewer")),
)
VELDHOEK = Place(
    slug="veldhoek", name="Veldhoek Sugar Camp", county="Lower Ambler, Tarn County", zone="Europe/Copenhagen",
    elevation_m=185.0, lat=45.4, lon=-38.9,
    valleys=(Valley("ambler-wood", "Ambler Wood", "AW", 40.0, 30.0, 10.0, 4, 14, (26.5, 22.0, 22.0)),),
    metric=True, people=(("elin", "owner"),),
)
PLACES = (HARROW, VELDHOEK)
PASSWORD = "sugar-on-snow"
TOKENS = {place.slug: f"demo-device-{place.slug}" for place in PLACES}
"""Device tokens of the demo. A real device gets a random one when it is registered."""
