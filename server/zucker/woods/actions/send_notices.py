"""Tell the operation's contacts of alarms and of people overdue: once each, outside quiet hours, tried again when it fails."""

from __future__ import annotations

import json
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import httpx
import structlog
from django.conf import settings
from django.core.mail import send_mail
from django.db import transaction
from django.db.models import Q
from zucker_core.units import PA_PER_INHG

from ..models import Alarm, Contact, Notice, Walk

log = structlog.get_logger()
MOST_TRIES = 8
OLDEST = timedelta(hours=24)
CAUSES = {
    "leak": "a leak",
    "frozen": "freezing or thawing",
    "pump": "the pump",
    "releaser": "the releaser",
    "sag": "a sagging line",
    "valve": "a valve left shut",
    "sensor": "the gauge itself",
    "silence": "radio silence",
}


def is_quiet(contact: Contact, now: datetime) -> bool:
    """Whether the contact's quiet hours hold at this moment, by the operation's clock."""
    hour = now.astimezone(ZoneInfo(contact.operation.zone)).hour
    start, end = contact.quiet_from, contact.quiet_to
    return start <= hour < end if start <= end else hour >= start or hour < end


def send_notices(now: datetime) -> int:
    """Everything that is due now; returns how many were sent. Safe to be run twice at once and to be killed: a notice is
    claimed by locking its row, and one that was sent but not noted as such is the only one that could come twice."""
    sent = 0
    for contact in Contact.objects.select_related("operation"):
        quiet = is_quiet(contact, now)
        due = Q() if quiet else Q(alarm__isnull=False)
        _make(contact, now, quiet)
        waiting = Notice.objects.filter(contact=contact, sent_at__isnull=True, tries__lt=MOST_TRIES, made_at__gt=now - OLDEST)
        for pk in waiting.filter(due | Q(walk__isnull=False)).values_list("pk", flat=True):
            sent += _send(pk, now)
    return sent


def _make(contact: Contact, now: datetime, quiet: bool) -> None:
    """Notices for what nobody was told yet; an alarm that somebody has seen needs none."""
    if not quiet:
        alarms = Alarm.objects.filter(operation=contact.operation, closed_at__isnull=True, acknowledged_at__isnull=True)
        Notice.objects.bulk_create(
            [Notice(contact=contact, alarm=alarm, made_at=now) for alarm in alarms.exclude(notices__contact=contact)],
            ignore_conflicts=True,
        )
    late = Walk.objects.filter(operation=contact.operation, back_at__isnull=True, due_at__lt=now)
    Notice.objects.bulk_create(
        [Notice(contact=contact, walk=walk, made_at=now) for walk in late.exclude(notices__contact=contact)],
        ignore_conflicts=True,
    )


@transaction.atomic
def _send(pk: int, now: datetime) -> int:
    notice = (
        Notice.objects.select_for_update(skip_locked=True, of=("self",))
        .select_related("contact__operation", "alarm__bush", "walk__person")
        .filter(pk=pk, sent_at__isnull=True)
        .first()
    )
    if notice is None:
        return 0
    notice.tries += 1
    try:
        deliver(notice.contact, *message_of(notice))
    except (OSError, httpx.HTTPError) as error:
        notice.fault = f"{type(error).__name__}: {error}"[:200]
        notice.save()
        log.warning("notice failed", notice=pk, tries=notice.tries)
        return 0
    notice.sent_at, notice.fault = now, ""
    notice.save()
    log.info("notice sent", notice=pk)
    return 1


def message_of(notice: Notice) -> tuple[str, str, dict[str, Any]]:
    """Subject, text and the webhook's JSON of a notice."""
    zone = ZoneInfo(notice.contact.operation.zone)
    if notice.walk is not None:
        walk = notice.walk
        due = walk.due_at.astimezone(zone)
        subject = f"{walk.person.username} is overdue"
        text = f"Out alone at {walk.place}, due back at {due:%H:%M}. Call, then go and look."
        return (
            subject,
            text,
            {"event": "walk overdue", "person": walk.person.username, "place": walk.place, "due_at": walk.due_at.isoformat()},
        )
    alarm = notice.alarm
    assert alarm is not None
    place, cause = alarm.place or alarm.bush.name, CAUSES.get(alarm.cause, alarm.cause)
    since = alarm.opened_at.astimezone(zone)
    subject = f"{place}: {cause}"
    text = (
        f"{place} stands {alarm.fall_pa / PA_PER_INHG:.1f} inHg ({alarm.fall_pa / 1000:.1f} kPa) under its usual"
        f" since {since:%H:%M}."
        f" Likeliest cause: {cause}, {100 * alarm.causes.get(alarm.cause, 0.0):.0f} %."
    )
    return (
        subject,
        text,
        {
            "event": "alarm",
            "id": alarm.pk,
            "place": place,
            "cause": alarm.cause,
            "causes": alarm.causes,
            "fall_pa": alarm.fall_pa,
            "opened_at": alarm.opened_at.isoformat(),
            "money_lost": float(alarm.money_lost),
        },
    )


def deliver(contact: Contact, subject: str, text: str, facts: dict[str, Any]) -> None:
    """By mail, or by POST of JSON. Raises OSError or httpx.HTTPError where it fails."""
    if contact.kind == Contact.Kind.EMAIL:
        send_mail(f"Zucker: {subject}", f"{text}\n\n{contact.operation.name}", settings.DEFAULT_FROM_EMAIL, [contact.address])
        return
    body = json.dumps({"operation": contact.operation.slug, "subject": subject, "text": text, **facts})
    answer = httpx.post(
        contact.address, content=body, headers={"Content-Type": "application/json"}, timeout=10.0, follow_redirects=False
    )
    answer.raise_for_status()
