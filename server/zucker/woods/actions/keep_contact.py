"""Keep whom alarms are told, and let them go."""

from __future__ import annotations

import structlog
from django.core.exceptions import ValidationError
from django.core.validators import URLValidator, validate_email

from ...config.errors import Refused
from ...people.models import Operation
from ..models import Contact

log = structlog.get_logger()


def keep_contact(operation: Operation, kind: str, address: str, quiet_from: int, quiet_to: int) -> Contact:
    """One more to tell; the same address again changes its quiet hours. Raises Refused for what is no address."""
    try:
        (validate_email if kind == "email" else URLValidator(["http", "https"]))(address)
    except ValidationError:
        wanted = "an e-mail address" if kind == "email" else "an address that begins with http:// or https://"
        raise Refused("address", f"is not {wanted}", value=address) from None
    contact, _ = Contact.objects.update_or_create(
        operation=operation, kind=kind, address=address, defaults={"quiet_from": quiet_from, "quiet_to": quiet_to})
    log.info("contact kept", contact=contact.pk)
    return contact


def drop_contact(contact: Contact) -> None:
    """Tell them no more."""
    log.info("contact dropped", contact=contact.pk)
    contact.delete()
