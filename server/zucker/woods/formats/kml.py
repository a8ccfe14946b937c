"""KML 2.2: placemarks with extended data."""

from __future__ import annotations

from typing import Any

import fastkml
from fastkml.data import Data, ExtendedData
from fastkml.geometry import create_kml_geometry
from fastkml.utils import find_all
from pygeoif import LineString, Point

from ...config.errors import Refused
from .common import PROPERTIES, collection, feature, typed


def read(text: str) -> dict[str, Any]:
    """Placemarks with a point or a way; name is the tag. Raises Refused."""
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise Refused("text", "a document type or entities are not taken in KML")
    try:
        found = fastkml.KML.from_string(text.removeprefix('<?xml version="1.0" encoding="UTF-8"?>').strip(), strict=False)
        marks: list[Any] = list(find_all(found, of_type=fastkml.Placemark))
    except Exception as error:  # the reader raises whatever its XML parser does
        raise Refused("text", f"is no KML: {error}"[:200]) from None
    if not marks:
        raise Refused("text", "holds no placemark")
    features = []
    for mark in marks:
        data = mark.extended_data.elements if mark.extended_data else []
        told = {one.name: one.value for one in data if isinstance(one, Data) and one.name in PROPERTIES}
        words = typed({"tag": mark.name, **told})
        shape = mark.geometry
        way = [list(point) for point in shape.coords] if isinstance(shape, Point | LineString) else []
        if isinstance(shape, Point) and way:
            if len(way[0]) > 2 and "elevation_m" not in words and way[0][2]:
                words["elevation_m"] = way[0][2]
            features.append(feature("Point", way[0][:2], words))
        else:
            features.append(feature("LineString" if way else type(shape).__name__, [point[:2] for point in way], words))
    return collection(features)


def write(whole: dict[str, Any]) -> str:
    """All features in one document."""
    marks = []
    for one in whole["features"]:
        properties, coordinates = one["properties"], one["geometry"]["coordinates"]
        shape = Point(*coordinates) if one["geometry"]["type"] == "Point" else LineString(coordinates)
        data = [Data(name=name, value=str(value)) for name, value in properties.items() if name in PROPERTIES and name != "tag"]
        marks.append(fastkml.Placemark(
            name=str(properties["tag"]), kml_geometry=create_kml_geometry(shape), extended_data=ExtendedData(elements=data)))
    made = fastkml.KML(features=[fastkml.Document(name="Lines", features=marks)])
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + str(made.to_string(prettyprint=True))
