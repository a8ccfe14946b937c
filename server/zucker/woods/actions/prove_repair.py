"""After a repair the vacuum must come back, and stay."""

from __future__ import annotations

import uuid
from datetime import timedelta

import numpy as np
import structlog
from zucker_core.units import PA_PER_INHG

from ..gauging import MINUTE, Minutes
from ..hunts import money_of, sap_seconds
from ..models import Bush, CaseStep, LeakCase

log = structlog.get_logger()
STAYS = timedelta(minutes=20)
PATIENCE = timedelta(minutes=45)
BACK_PA = 0.35 * PA_PER_INHG
"""Within this of the usual a line has recovered, unless it never fell much more than that."""
SHARE = 0.35


def prove_repairs(bush: Bush, minutes: Minutes) -> None:
    """Repaired cases whose gauges have stood within their spread for twenty minutes are proven; one that has not come
    back after forty-five is open again, and says so."""
    for case in LeakCase.objects.select_for_update().filter(bush=bush, state=LeakCase.State.REPAIRED):
        since = case.repaired_at
        if since is None or minutes.at[-1] - since < STAYS:
            continue
        worst = max(case.drops, key=lambda tag: case.drops[tag], default="")
        if worst not in minutes.tags:
            continue
        last = minutes.falls_pa[-int(STAYS / MINUTE):, minutes.tags.index(worst)]
        if np.isfinite(last).sum() < 0.6 * len(last):
            continue
        mean = float(np.nanmean(last))
        if mean < max(BACK_PA, SHARE * case.drops[worst]) and mean < 0.6 * case.drops[worst]:
            cost = money_of(case.operation, case)["money_s"] * sap_seconds(case, since)
            _say(case, minutes, "proven", {"gauge": worst, "fall_pa": mean, "fell_pa": case.drops[worst], "money": cost})
            case.state, case.closed_at = LeakCase.State.PROVEN, minutes.at[-1]
            case.save()
        elif minutes.at[-1] - since >= PATIENCE:
            _say(case, minutes, "reopened", {"gauge": worst, "fall_pa": mean, "fell_pa": case.drops[worst]})
            case.state, case.repaired_at = LeakCase.State.NARROWING, None
            case.save()


def _say(case: LeakCase, minutes: Minutes, kind: str, facts: dict[str, float | str]) -> None:
    CaseStep.objects.create(case=case, token=uuid.uuid4(), at=minutes.at[-1], kind=kind, facts=facts)
    log.info(f"repair {kind}", case=case.pk)
