"""Files of lines, in and out: GeoJSON, GPX, KML, CSV. Each module reads text into a FeatureCollection and writes one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from . import csv_table, geojson, gpx, kml


@dataclass(frozen=True)
class Format:
    """How one kind of file is read and written. suffix and content_type are the file's."""

    read: Callable[[str], dict[str, Any]]
    write: Callable[[dict[str, Any]], str]
    suffix: str
    content_type: str


FORMATS = {
    "geojson": Format(geojson.read, geojson.write, "geojson", "application/geo+json"),
    "gpx": Format(gpx.read, gpx.write, "gpx", "application/gpx+xml"),
    "kml": Format(kml.read, kml.write, "kml", "application/vnd.google-earth.kml+xml"),
    "csv": Format(csv_table.read, csv_table.write, "csv", "text/csv"),
}
