"""The sugarhouse over HTTP: the Line, Tonight, Boil with the runs, the Ledger."""

from ninja import Router

from . import boil, ledger, line, lists, membrane, tonight

router = Router(tags=["sugarhouse"])
for part in (line, tonight, boil, membrane, ledger, lists):
    router.add_router("", part.router)
