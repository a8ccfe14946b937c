"""GPX 1.1: points as waypoints, lines as tracks. What GPX has no place for stands in each one's description, word=value."""

from __future__ import annotations

import shlex
from typing import Any

import gpxpy
import gpxpy.gpx

from ...config.errors import Refused
from .common import PROPERTIES, collection, feature, typed


def read(text: str) -> dict[str, Any]:
    """Waypoints, tracks and routes; of a phone's plain track the rest is matched afterwards. Raises Refused."""
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise Refused("text", "a document type or entities are not taken in GPX")
    try:
        found = gpxpy.parse(text)
    except (gpxpy.gpx.GPXException, ValueError, TypeError) as error:
        raise Refused("text", f"is no GPX: {error}"[:200]) from None
    features = []
    for point in found.waypoints:
        words = {"tag": point.name, "kind": point.type, "elevation_m": point.elevation, **_words(point.description)}
        features.append(feature("Point", [point.longitude, point.latitude], typed(words)))
    for track in found.tracks:
        way = [[p.longitude, p.latitude] for segment in track.segments for p in segment.points]
        features.append(feature("LineString", way, typed({"tag": track.name, "kind": track.type, **_words(track.description)})))
    for route in found.routes:
        way = [[p.longitude, p.latitude] for p in route.points]
        features.append(feature("LineString", way, typed({"tag": route.name, "kind": route.type, **_words(route.description)})))
    return collection(features)


def _words(text: str | None) -> dict[str, str]:
    try:
        pairs = [word.split("=", 1) for word in shlex.split(text or "") if "=" in word]
    except ValueError:
        return {}  # a description in plain words
    return {name: value for name, value in pairs if name in PROPERTIES}


def write(whole: dict[str, Any]) -> str:
    """All features."""
    made = gpxpy.gpx.GPX()
    made.creator = "Zucker"
    for one in whole["features"]:
        properties, coordinates = one["properties"], one["geometry"]["coordinates"]
        rest = " ".join(f"{name}={shlex.quote(str(value))}" for name, value in properties.items()
                        if name in PROPERTIES and name not in ("tag", "kind", "elevation_m"))
        if one["geometry"]["type"] == "Point":
            made.waypoints.append(gpxpy.gpx.GPXWaypoint(
                latitude=coordinates[1], longitude=coordinates[0], elevation=properties.get("elevation_m"),
                name=properties["tag"], type=properties["kind"], description=rest or None))
            continue
        track = gpxpy.gpx.GPXTrack(name=properties["tag"], description=rest or None)
        track.type = properties["kind"]
        track.segments.append(gpxpy.gpx.GPXTrackSegment([gpxpy.gpx.GPXTrackPoint(lat, lon) for lon, lat in coordinates]))
        made.tracks.append(track)
    return made.to_xml()
