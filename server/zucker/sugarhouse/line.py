"""The Line: five stations, one headline figure each."""

from __future__ import annotations

from typing import Any

from django.db.models import Sum

from ..people.models import Operation
from ..telemetry.models import Kind
from ..telemetry.queries import latest_of, sensors_by_part
from ..woods.queries import woods_now
from .boil import open_run
from .drawoff import drawoff_of
from .equipment import tanks_now
from .models import Draw


def line_now(operation: Operation) -> dict[str, Any]:
    """What flows from the woods to the barrel now, SI."""
    parts = sensors_by_part(operation)
    tanks, run = tanks_now(operation, parts), open_run(operation)
    woods = woods_now(operation)
    sap, head = tanks.get("sap"), tanks.get("head")
    permeate = latest_of(parts.get(("membrane", Kind.FLOW)))
    pan = latest_of(parts.get(("pan", Kind.TEMPERATURE)))
    drawoff = drawoff_of(operation, run, parts)
    season = Draw.objects.of(operation).filter(undone_at__isnull=True).aggregate(total=Sum("volume_m3"))["total"] or 0.0
    running = permeate is not None and not permeate.stale and permeate.value > 1e-6
    hot = pan is not None and not pan.stale and pan.value > drawoff["water_boiling_c"] - 8.0
    return {
        "woods": {
            "sap_m3_s": sum(b.get("sap_m3_s") or 0.0 for b in woods["bushes"]), "money_lost_s": woods["money_lost_s"],
            "losing": sum(1 for m in woods["mains"] if m["money_s"] > 0),
            "silent": sum(1 for m in woods["mains"] if m["state"] == "silent"), "mains": len(woods["mains"]),
        },
        "sap": None if sap is None else {
            "volume_m3": sap.volume_m3, "capacity_m3": sap.capacity_m3, "brix": sap.brix.value if sap.brix else None,
            "stale": sap.level is None or sap.level.stale,
        },
        "membrane": {
            "permeate_m3_s": permeate.value if permeate else None, "running": running, "known": permeate is not None,
            "head_m3": head.volume_m3 if head else None, "head_brix": head.brix.value if head and head.brix else None,
        },
        "pans": {
            "set_c": drawoff["set_c"], "pan_c": pan.value if pan else None, "boiling": hot,
            "run": run.number if run else None,
        },
        "barrels": {"syrup_m3": season, "syrup_brix": operation.syrup_brix},
    }
