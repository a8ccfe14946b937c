"""One row a feature: points with lon and lat, lines with from and to. Bends of a line between its points are not kept."""

from __future__ import annotations

import csv
import io
from typing import Any

from ...config.errors import Refused
from .common import PROPERTIES, collection, feature, typed

LINES = ("conductor", "mainline", "lateral")
COLUMNS = ("kind", "tag", "from", "to", "lon", "lat", *(name for name in PROPERTIES if name not in ("kind", "tag", "from", "to")))


def read(text: str) -> dict[str, Any]:
    """Comma or semicolon, with a header of our column names; unknown columns are refused. Raises Refused naming the line."""
    text = text.lstrip("\ufeff")
    header = text.split("\n", 1)[0]
    rows = csv.DictReader(io.StringIO(text), delimiter=";" if header.count(";") > header.count(",") else ",")
    names = [name.strip() for name in rows.fieldnames or []]
    unknown = [name for name in names if name not in COLUMNS]
    if "kind" not in names or "tag" not in names or unknown:
        wrong = f"unknown columns: {', '.join(unknown)[:80]}" if unknown else "the header must name at least kind and tag"
        raise Refused("text", f"{wrong}; known are {', '.join(COLUMNS)}")
    rows.fieldnames = names
    features = []
    try:
        for number, row in enumerate(rows, start=2):
            if None in row or any(value is None for value in row.values()):
                raise Refused("text", f"line {number} has not as many fields as the header")
            properties = typed({name: row[name] for name in names if name not in ("lon", "lat")})
            if not properties:
                continue
            place = [row.get("lon", ""), row.get("lat", "")]
            if properties.get("kind") in LINES:
                features.append(feature("LineString", [], properties))
            else:
                features.append(feature("Point", [_number(word, number) for word in place if word.strip()], properties))
    except csv.Error as error:
        raise Refused("text", f"cannot be read as CSV: {error}") from None
    return collection(features)


def _number(word: str, line: int) -> float:
    try:
        return float(word)
    except ValueError:
        raise Refused("text", f"line {line}: {word!r} is no number of degrees") from None


def write(whole: dict[str, Any]) -> str:
    """All features, points first."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, extrasaction="ignore", lineterminator="\n")
    writer.writeheader()
    for one in whole["features"]:
        row = dict(one["properties"])
        if one["geometry"]["type"] == "Point":
            row["lon"], row["lat"] = one["geometry"]["coordinates"][:2]
        writer.writerow(row)
    return out.getvalue()
