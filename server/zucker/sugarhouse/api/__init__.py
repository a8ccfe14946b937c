"""The sugarhouse over HTTP: the Line, Tonight, Boil with the runs, the Ledger."""

from ninja import Router

from . import boil, ledger, line, tonight

router = Router(tags=["sugarhouse"])
for part in (line, tonight, boil, ledger):
    router.add_router("", part.router)
