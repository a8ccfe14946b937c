"""The woods over HTTP, a module for each room."""

from ninja import Router

from . import alarms, book, contacts, crew, drill, hunt, stations, woods

router = Router(tags=["woods"])
for part in (woods, alarms, hunt, book, crew, stations, contacts, drill):
    router.add_router("", part.router)
