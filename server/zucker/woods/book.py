"""Reads of the Bush book: what is where, how old, what to look at, what next."""

from __future__ import annotations

from collections import defaultdict
from datetime import datetime
from functools import lru_cache
from typing import Any

from zucker_core import taps, vacuum
from zucker_core.errors import NetworkError

from ..people.models import Operation
from .actions.survey_network import FIRST
from .formats import FORMATS
from .models import Bush, Line, Node, Tapping
from .networks import network_of

MOST_CHANGES = 200
KEPT_OUT = ("history_id", "history_date", "history_change_reason", "history_type", "history_user", "id", "bush", "coordinates")


def book_of(bush: Bush) -> dict[str, Any]:
    """Every feature in table rows, mainlines summed, remarks. A bush without a network has empty tables."""
    try:
        network = network_of(bush)
    except NetworkError:
        return {
            "slug": bush.slug,
            "name": bush.name,
            "hauled": bush.hauled,
            "schematic": bush.schematic,
            "taps": bush.taps,
            "mains": [],
            "points": [],
            "lines": [],
            "remarks": [],
            "warnings": [],
        }
    return {
        "slug": bush.slug,
        "name": bush.name,
        "hauled": bush.hauled,
        "schematic": bush.schematic,
        "taps": bush.taps,
        "mains": _mains(network),
        "points": [_point(n) for n in network.nodes],
        "lines": [_line(line) for line in network.lines[1:] if line],
        "remarks": [{"line": r.line, "name": r.name, "value": r.value, "limit": r.limit} for r in vacuum.remarks(network)],
        "warnings": network.warnings,
    }


def _mains(network: vacuum.Network) -> list[dict[str, Any]]:
    rows = []
    for name, nodes in network.mains.items():
        carriers = [i for i in nodes if (line := network.lines[i]) and line.kind == "mainline"]
        laterals = [i for i in nodes if (line := network.lines[i]) and line.kind == "lateral"]
        years = [line.installed for i in nodes if (line := network.lines[i]) and line.installed]
        rise = sum(float(network.slope[i] * network.length_m[i]) for i in carriers)
        length = float(sum(network.length_m[i] for i in carriers))
        rows.append(
            {
                "main": name,
                "taps": int(network.taps[nodes].sum()),
                "length_m": length,
                "grade": rise / length if length else 0.0,
                "laterals": len(laterals),
                "lateral_m": float(sum(network.length_m[i] for i in laterals)),
                "gauges": [network.nodes[i].sensor for i in nodes if network.nodes[i].sensor],
                "oldest": min(years, default=None),
            }
        )
    return rows


def _point(node: vacuum.Node) -> dict[str, Any]:
    return {
        "tag": node.tag,
        "kind": node.kind,
        "lon": node.lon,
        "lat": node.lat,
        "elevation_m": node.elevation_m,
        "sensor": node.sensor,
        "by_hand": node.properties.get("gauge") == "hand",
    }


def _line(line: vacuum.Line) -> dict[str, Any]:
    return {
        "tag": line.tag,
        "kind": line.kind,
        "main": line.main,
        "from_tag": line.from_tag,
        "to_tag": line.to_tag,
        "inner_diameter_m": line.inner_diameter_m,
        "length_m": line.length_m,
        "taps": line.taps,
        "installed": line.installed,
        "drops_installed": line.drops_installed,
    }


def written(bush: Bush, name: str) -> str:
    """The bush in one of FORMATS."""
    return FORMATS[name].write(network_of(bush).to_geojson())


def due_in(bush: Bush, until: int) -> list[dict[str, Any]]:
    """What is due up to a year, the earliest first."""
    return [
        {"main": d.main, "part": d.part, "year": d.year, "length_m": d.length_m, "taps": d.taps}
        for d in vacuum.due(network_of(bush))
        if d.year <= until
    ]


def cuts_for(bush: Bush, kind: str, mains: list[str], spool_m: float) -> list[dict[str, Any]]:
    """The cut list for renewing all pipe of one kind on some mainlines (all, if none is named)."""
    pieces = [
        (line.tag, line.length_m)
        for line in network_of(bush).lines[1:]
        if line and line.kind == kind and (not mains or line.main in mains)
    ]
    return [
        {"spool_m": c.spool_m, "left_m": c.left_m, "pieces": [{"line": tag, "length_m": length} for tag, length in c.pieces]}
        for c in vacuum.cut_list(pieces, spool_m)
    ]


def gauges_for(bush: Bush) -> dict[str, Any]:
    """Which stretches the gauges cannot tell apart, and where the next gauges would help most."""
    return _gauges_for(bush.pk, bush.survey)


@lru_cache(maxsize=16)
def _gauges_for(bush_id: int, survey: int) -> dict[str, Any]:
    network = network_of(Bush.objects.get(pk=bush_id))
    now = vacuum.coverage(network) if network.sensors else None
    return {
        "blurred_m": now.blurred_m if now else None,
        "groups": [list(group) for group in now.groups] if now else [],
        "next": [{"node": s.node, "blurred_m": s.blurred_m} for s in vacuum.next_sensors(network)],
    }


def changes_of(bush: Bush) -> list[dict[str, Any]]:
    """What was changed in the lines, when and by whom, the latest first: each field with what it was and what it became."""
    rows: list[dict[str, Any]] = []
    for model in (Node, Line):
        found = list(
            model.history.filter(bush_id=bush.pk)
            .exclude(history_change_reason=FIRST)
            .select_related("history_user")
            .order_by("-history_id")[:MOST_CHANGES]
        )
        before = _before(model, found)
        for row in found:
            rows.append(
                {
                    "at": row.history_date,
                    "by": row.history_user.username if row.history_user else None,
                    "tag": row.tag,
                    "what": {"+": "added", "~": "changed", "-": "removed"}[row.history_type],
                    "kind": row.kind,
                    "fields": _differences(before.get(row.history_id), row) if row.history_type == "~" else [],
                }
            )
    return sorted(rows, key=lambda r: r["at"], reverse=True)[:MOST_CHANGES]


def _before(model: Any, rows: list[Any]) -> dict[int, Any]:
    """The row of history before each."""
    older: dict[int, list[Any]] = defaultdict(list)
    for row in model.history.filter(id__in={r.id for r in rows}).order_by("history_id"):
        older[row.id].append(row)
    return {row.history_id: chain[k - 1] for chain in older.values() for k, row in enumerate(chain) if k}


def _differences(before: Any, after: Any) -> list[dict[str, Any]]:
    names = [
        f.attname for f in after._meta.fields if f.attname not in KEPT_OUT and f.attname not in ("bush_id", "history_user_id")
    ]
    if before is None:
        return []
    return [
        {"name": n, "before": str(getattr(before, n))[:80], "after": str(getattr(after, n))[:80]}
        for n in names
        if n != "properties" and getattr(before, n) != getattr(after, n)
    ]


def tapping_of(operation: Operation, bush: Bush, now: datetime) -> dict[str, Any]:
    """How far the tapping has come by line and by person this year."""
    network = network_of(bush)
    entries = list(
        Tapping.objects.of(operation)
        .filter(bush=bush, undone_at__isnull=True, at__year=now.year)
        .select_related("by")
        .order_by("at")
    )
    done: dict[str, int] = defaultdict(int)
    soft: dict[str, int] = defaultdict(int)
    people: dict[str, int] = defaultdict(int)
    for entry in entries:
        done[entry.main] += entry.taps
        soft[entry.main] += entry.soft
        people[entry.by.username if entry.by else ""] += entry.taps
    stands = taps.progress(int(network.taps.sum()), [(e.at.timestamp(), e.taps) for e in entries], now.timestamp())
    return {
        "done": stands.done,
        "planned": stands.planned,
        "a_day": stands.a_day,
        "days_left": stands.days_left,
        "lines": [
            {"main": main, "planned": int(network.taps[nodes].sum()), "done": done[main], "soft": soft[main]}
            for main, nodes in network.mains.items()
        ],
        "people": [{"who": who, "taps": count} for who, count in sorted(people.items(), key=lambda p: -p[1])],
        "entries": [
            {
                "id": e.pk,
                "token": e.token,
                "main": e.main,
                "lateral": e.lateral,
                "at": e.at,
                "by": e.by.username if e.by else None,
                "taps": e.taps,
                "soft": e.soft,
                "depth_m": e.depth_m,
                "spout": e.spout,
                "note": e.note,
            }
            for e in reversed(entries[-50:])
        ],
    }
