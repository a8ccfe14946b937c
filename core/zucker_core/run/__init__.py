"""One evening: membrane against fire, minute by minute, before it happens and while it does."""

from .balance import HeadTank, concentrate_left
from .ledger import Ledger, Measured, ledger
from .outcome import LIMITS, Outcome, Policies
from .plan import OBJECTIVES, Choice, Plan, plan
from .scenario import People, Prices, Scenario, Stock
from .simulate import simulate
from .spoil import hold_time_h

__all__ = [
    "LIMITS", "OBJECTIVES", "Choice", "HeadTank", "Ledger", "Measured", "Outcome", "People", "Plan", "Policies", "Prices",
    "Scenario", "Stock", "concentrate_left", "hold_time_h", "ledger", "plan", "simulate",
]
