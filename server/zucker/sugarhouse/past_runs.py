"""Earlier years' runs from a CSV file: which column is which, what each line says, what is refused and why."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import asdict, dataclass, field
from datetime import date, datetime
from typing import Any

from zucker_core.errors import CoreError
from zucker_core.units import UNITS, to_si

from ..config.errors import Refused

MOST_ROWS = 2000
DATES = ("%Y-%m-%d", "%m/%d/%Y", "%d.%m.%Y", "%m/%d/%y", "%d %b %Y", "%b %d %Y")
GUESSES = {
    "date": ("date", "day", "datum"),
    "sap": ("sap",),
    "sap_brix": ("brix", "sugar"),
    "syrup": ("syrup", "made"),
    "fuel": ("fuel", "oil", "wood", "propane"),
    "hours": ("hours", "time", "boil"),
    "taps": ("taps",),
    "target_brix": ("concentrate", "target"),
}
USUAL_UNIT = {"sap": "gal", "syrup": "gal"}
LIMITS = {
    "sap": (0.0, 5000.0, "m³"),
    "sap_brix": (0.2, 20.0, "°Brix"),
    "syrup": (0.0, 200.0, "m³"),
    "fuel": (0.0, 1e6, ""),
    "hours": (0.0, 96.0, "h"),
    "taps": (0.0, 1e6, ""),
    "target_brix": (0.0, 45.0, "°Brix"),
}


@dataclass(frozen=True)
class PastRow:
    """One earlier run, SI; fuel in its trade unit."""

    line: int
    date: date
    sap_m3: float | None
    sap_brix: float | None
    syrup_m3: float
    fuel: float | None
    hours: float | None
    taps: int
    target_brix: float | None


@dataclass
class Found:
    """What a file holds."""

    headers: list[str]
    columns: dict[str, tuple[str, str]]
    rows: list[PastRow] = field(default_factory=list)
    refused: list[dict[str, Any]] = field(default_factory=list)

    def shown(self, taken: int) -> dict[str, Any]:
        """As the API answers."""
        return {
            "headers": self.headers,
            "columns": {k: {"column": c, "unit": u} for k, (c, u) in self.columns.items()},
            "rows": [{**asdict(row), "date": row.date.isoformat()} for row in self.rows],
            "refused": self.refused,
            "taken": taken,
        }


def read(text: str, columns: dict[str, tuple[str, str]] | None) -> Found:
    """Parse a file by the columns chosen, or guessed. Raises Refused for a file without header or a column it lacks."""
    try:
        dialect: Any = csv.Sniffer().sniff(text[:4096], delimiters=",;\t")
    except csv.Error:
        dialect = csv.excel
    try:
        lines = list(csv.reader(io.StringIO(text.lstrip("\ufeff")), dialect))
    except csv.Error as odd:
        raise Refused("text", f"is not CSV: {odd}") from None
    if not lines or not any(cell.strip() for cell in lines[0]):
        raise Refused("text", "has no header line naming its columns")
    if len(lines) > MOST_ROWS + 1:
        raise Refused("text", f"has {len(lines) - 1} lines; at most {MOST_ROWS} at once", value=len(lines) - 1)
    headers = [cell.strip() for cell in lines[0]]
    chosen = guess(headers) if columns is None else columns
    for figure, (column, unit) in chosen.items():
        if column not in headers:
            raise Refused(
                "columns",
                f"{figure}: the file has no column {column!r}; it has {', '.join(h for h in headers if h)}",
                value=column,
            )
        if unit and figure in ("sap", "syrup") and unit not in UNITS["volume"]:
            raise Refused("columns", f"{figure}: unit {unit!r} is not one of {', '.join(UNITS['volume'])}", value=unit)
    if columns is not None:
        for needed in ("date", "syrup"):
            if needed not in chosen:
                raise Refused("columns", f"say which column holds the {needed}", value=None)
    found = Found(headers, chosen)
    for number, cells in enumerate(lines[1:], start=2):
        if not any(cell.strip() for cell in cells):
            continue
        values = dict(zip(headers, (cell.strip() for cell in cells), strict=False))
        try:
            found.rows.append(_row(number, values, chosen))
        except Refused as odd:
            found.refused.append({"line": number, "field": odd.field, "message": odd.message})
    return found


def guess(headers: list[str]) -> dict[str, tuple[str, str]]:
    """Columns by their names: a unit in brackets or after a comma is taken, so "Sap (gal)" is sap in gallons."""
    chosen: dict[str, tuple[str, str]] = {}
    for figure, words in GUESSES.items():
        for header in headers:
            plain = header.lower()
            sweet = "brix" in plain or "sugar" in plain
            if (
                any(word in plain for word in words)
                and header not in [c for c, _ in chosen.values()]
                and (figure != "sap" or not sweet)
            ):
                chosen[figure] = (header, _unit(header) or USUAL_UNIT.get(figure, ""))
                break
    return chosen


def _unit(header: str) -> str:
    inside = header.replace("(", "[").partition("[")[2].partition("]")[0].strip(" )")
    known = {name.lower(): name for name in UNITS["volume"]} | {"gallons": "gal", "litres": "L", "liters": "L"}
    return known.get(inside.lower(), "")


def _row(line: int, values: dict[str, str], chosen: dict[str, tuple[str, str]]) -> PastRow:
    def figure(name: str) -> float | None:
        if name not in chosen:
            return None
        column, unit = chosen[name]
        text = values.get(column, "")
        if not text:
            return None
        plain = text.replace(" ", "").replace("\u00a0", "")
        # 4,200 and 1,234.5 are thousands; 12,5 is a decimal comma
        thousands = "." in plain or re.fullmatch(r"-?\d{1,3}(,\d{3})+", plain)
        plain = plain.replace(",", "") if thousands else plain.replace(",", ".")
        try:
            value = float(plain)
            if unit and name in USUAL_UNIT:
                value = to_si(value, unit, "volume")
        except (ValueError, CoreError):
            raise Refused(column, f"{text!r} is not a number", value=text) from None
        low, high, si = LIMITS[name]
        if not low <= value <= high:
            raise Refused(
                column,
                f"{text} is out of range: {value:g} {si} must lie between {low:g} and {high:g}".replace("  ", " "),
                value=text,
            )
        return value

    if "date" not in chosen:
        raise Refused("date", "no column holds the date")
    day = _date(values.get(chosen["date"][0], ""), chosen["date"][0])
    syrup = figure("syrup")
    if syrup is None:
        raise Refused(chosen["syrup"][0] if "syrup" in chosen else "syrup", "says nothing: a run needs its syrup")
    taps = figure("taps")
    return PastRow(
        line,
        day,
        figure("sap"),
        figure("sap_brix"),
        syrup,
        figure("fuel"),
        figure("hours"),
        round(taps or 0),
        figure("target_brix"),
    )


def _date(text: str, column: str) -> date:
    for form in DATES:
        try:
            found = datetime.strptime(text.replace(",", ""), form).date()
        except ValueError:
            continue
        if 1950 <= found.year <= 2100:
            return found
    raise Refused(column, f"{text!r} is not a date like 2026-03-14, 3/14/2026 or 14.3.2026", value=text)
