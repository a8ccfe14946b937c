"""The HTTP API: one router for each part of the work."""

from __future__ import annotations

from ninja import NinjaAPI

from ..barrels.api import router as barrels
from ..bench.api import router as bench
from ..people.api import router as people
from ..season.api import router as season
from ..sugarhouse.api import router as sugarhouse
from ..telemetry.api import router as telemetry
from ..woods.api import router as woods
from . import errors

api = NinjaAPI(
    title="Zucker", version="1", description="Vacuum, membrane, evaporator and every gallon in between. All values are SI.",
    docs_url=None, urls_namespace="api",
)
errors.install(api)
api.add_router("", people)
api.add_router("", telemetry)
api.add_router("", woods)
api.add_router("", sugarhouse)
api.add_router("", barrels)
api.add_router("", season)
api.add_router("/bench", bench)
