"""One evening: membrane against fire, minute by minute, before it happens and while it does."""

from .alarms import Alarm, Reading, Watched, alarms
from .balance import WARN_MIN, Balance, Change, State, balance
from .candidates import Candidate
from .glance import glance
from .learn import DEFAULT_DOUBT, Learned, RunRecord, drift, learn
from .ledger import Ledger, ledger
from .measured import LINE, OUTSIDE, SIDES, WATER_BRIX, Measured, Unmeasured, between_parts
from .memory import Memory
from .next_action import MEAN_FIRE_SHARE, Action, Beside, Head, next_action, pans_hot
from .outcome import LIMITS, NEVER, NOT_LIT, Outcome, Policies
from .plan import OBJECTIVES, Choice, Doubt, Plan, Preference, Why, plan, planning, why_not, with_inflow
from .reconcile import Agreed, Reconciled, Suspect, reconcile
from .scenario import EVENTS, PANS_LEFT, Event, Load, People, Prices, Scenario, Stock, pooled
from .simulate import simulate
from .spoil import hold_time_h
from .trend import LEAST_LEVELS, LEAST_SPAN_S, HeadTank, concentrate_left

__all__ = [
    "DEFAULT_DOUBT",
    "EVENTS",
    "LEAST_LEVELS",
    "LEAST_SPAN_S",
    "LIMITS",
    "LINE",
    "MEAN_FIRE_SHARE",
    "NEVER",
    "NOT_LIT",
    "OBJECTIVES",
    "OUTSIDE",
    "PANS_LEFT",
    "SIDES",
    "WARN_MIN",
    "WATER_BRIX",
    "Action",
    "Agreed",
    "Alarm",
    "Balance",
    "Beside",
    "Candidate",
    "Change",
    "Choice",
    "Doubt",
    "Event",
    "Head",
    "HeadTank",
    "Learned",
    "Ledger",
    "Load",
    "Measured",
    "Memory",
    "Outcome",
    "People",
    "Plan",
    "Policies",
    "Preference",
    "Prices",
    "Reading",
    "Reconciled",
    "RunRecord",
    "Scenario",
    "State",
    "Stock",
    "Suspect",
    "Unmeasured",
    "Watched",
    "Why",
    "alarms",
    "balance",
    "between_parts",
    "concentrate_left",
    "drift",
    "glance",
    "hold_time_h",
    "learn",
    "ledger",
    "next_action",
    "pans_hot",
    "plan",
    "planning",
    "pooled",
    "reconcile",
    "simulate",
    "why_not",
    "with_inflow",
]
