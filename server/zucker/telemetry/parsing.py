"""Readings as they come over the wire: JSON, newline-delimited JSON, or CSV (docs/formats.md)."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from ..config.errors import Refused

MOST = 10_000
COLUMNS = ("sensor", "at", "value", "unit")
JSON_TYPES = ("application/json",)
LINES_TYPES = ("application/x-ndjson", "application/ndjson", "application/jsonl")


@dataclass(frozen=True)
class RawReading:
    """One reading as sent. `line` counts from 1: the item of a JSON list, the line of a file. `fault` is set when
    the line itself could not be read."""

    line: int
    sensor: Any = None
    at: Any = None
    value: Any = None
    unit: Any = None
    fault: str | None = None


def parse_readings(body: bytes, content_type: str) -> list[RawReading]:
    """The readings of a request body. Raises Refused when the body as a whole cannot be read."""
    kind = content_type.split(";", maxsplit=1)[0].strip().lower()
    try:
        text = body.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Refused("body", f"is not UTF-8: {error.reason} at byte {error.start}", status=400) from None
    if kind in JSON_TYPES:
        readings = list(_from_json(text))
    elif kind in LINES_TYPES:
        readings = list(_from_lines(text))
    elif kind == "text/csv":
        readings = list(_from_csv(text))
    else:
        raise Refused("Content-Type", f"is {kind or 'missing'}; send application/json, application/x-ndjson or text/csv",
                      status=415)
    if len(readings) > MOST:
        raise Refused("readings", f"{len(readings)} in one request; at most {MOST}", status=413)
    return readings


def _no_constants(name: str) -> float:
    raise ValueError(f"{name} is not a number that JSON has")


def _item(line: int, item: Any) -> RawReading:
    if not isinstance(item, dict):
        return RawReading(line, fault="is not an object with sensor, at, value and unit")
    return RawReading(line, item.get("sensor"), item.get("at"), item.get("value"), item.get("unit"))


def _from_json(text: str) -> Iterator[RawReading]:
    try:
        obj = json.loads(text, parse_constant=_no_constants)
    except (ValueError, RecursionError) as error:
        raise Refused("body", f"is not JSON: {error}", status=400) from None
    if not isinstance(obj, dict) or not isinstance(obj.get("readings"), list):
        raise Refused("readings", 'the body must be {"readings": [...]}')
    for line, item in enumerate(obj["readings"], start=1):
        yield _item(line, item)


def _from_lines(text: str) -> Iterator[RawReading]:
    for line, row in enumerate(text.split("\n"), start=1):
        if not row.strip():
            continue
        try:
            yield _item(line, json.loads(row, parse_constant=_no_constants))
        except (ValueError, RecursionError) as error:
            yield RawReading(line, fault=f"is not JSON: {error}")


def _from_csv(text: str) -> Iterator[RawReading]:
    rows = csv.reader(io.StringIO(text.replace("\x00", "\ufffd"), newline=""))
    header: list[str] | None = None
    while True:
        try:
            row = next(rows)
        except StopIteration:
            break
        except csv.Error as error:
            yield RawReading(rows.line_num, fault=f"is not CSV: {error}")
            continue
        if header is None:
            header = [name.strip().lower() for name in row]
            missing = [name for name in COLUMNS if name not in header]
            if missing:
                raise Refused("header", f"the first line must name the columns {', '.join(COLUMNS)}; "
                                        f"missing: {', '.join(missing)}")
            continue
        if not row:
            continue
        if len(row) != len(header):
            yield RawReading(rows.line_num, fault=f"has {len(row)} columns where the header has {len(header)}")
            continue
        cells = dict(zip(header, row, strict=True))
        yield RawReading(rows.line_num, *(cells[name] for name in COLUMNS))
    if header is None:
        raise Refused("header", f"the first line must name the columns {', '.join(COLUMNS)}")
