"""GeoJSON (RFC 7946), the format in which nothing is lost."""

from __future__ import annotations

import json
from typing import Any

from ...config.errors import Refused


def read(text: str) -> dict[str, Any]:
    """Raises Refused saying where the JSON breaks."""
    try:
        found = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise Refused("text", f"is no JSON: {error}"[:200]) from None
    if not isinstance(found, dict):
        raise Refused("text", "is not a GeoJSON FeatureCollection")
    return found


def write(whole: dict[str, Any]) -> str:
    """Indented, so that a person can compare two."""
    return json.dumps(whole, indent=1, ensure_ascii=False)
