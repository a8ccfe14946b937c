"""What the formats share: plain words become the properties that the core knows."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Mapping
from typing import Any

NUMBERS = ("inner_diameter_mm", "length_m", "elevation_m", "ultimate_inhg", "flow_cfm", "at_inhg")
WHOLE = ("taps", "installed", "drops_installed")
WORDS = ("kind", "tag", "from", "to", "main", "sensor", "gauge", "wet_dry")
TABLE = "table"
"""A pump's curve as [[inHg, CFM], …], JSON in the formats that know only words."""
PROPERTIES = (*WORDS, *NUMBERS, *WHOLE, TABLE)


def typed(words: Mapping[str, Any]) -> dict[str, Any]:
    """Text to numbers where a property is one; empty ones are left out. What is no number stays as it is, for the core to
    refuse by the feature's name."""
    found: dict[str, Any] = {}
    for name, value in words.items():
        text = value.strip() if isinstance(value, str) else value
        if text in (None, ""):
            continue
        if name == TABLE and isinstance(text, str):
            with contextlib.suppress(ValueError):
                text = json.loads(text)
        if name in NUMBERS or name in WHOLE:
            try:
                number = float(str(text).replace(",", "."))
                text = int(number) if name in WHOLE and number == int(number) else number
            except (ValueError, OverflowError):
                pass
        found[name] = text
    return found


def feature(kind: str, coordinates: list[Any], properties: dict[str, Any]) -> dict[str, Any]:
    """A GeoJSON feature."""
    return {"type": "Feature", "geometry": {"type": kind, "coordinates": coordinates}, "properties": properties}


def collection(features: list[dict[str, Any]]) -> dict[str, Any]:
    """A FeatureCollection."""
    return {"type": "FeatureCollection", "features": features}
