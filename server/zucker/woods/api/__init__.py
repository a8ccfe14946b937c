"""The woods over HTTP, a module for each room."""

from ninja import Router

from . import alarms, hunt, woods

router = Router(tags=["woods"])
for part in (woods, alarms, hunt):
    router.add_router("", part.router)
