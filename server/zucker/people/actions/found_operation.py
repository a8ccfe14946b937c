"""Found an operation with its owner."""

from __future__ import annotations

from typing import Any

import structlog
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from ...config.errors import Refused
from ..models import Membership, Operation, Person, Role

log = structlog.get_logger()


@transaction.atomic
def found_operation(facts: dict[str, Any]) -> Operation:
    """A new operation from its own facts. Raises Refused when its slug is taken."""
    if Operation.objects.filter(slug=facts["slug"]).exists():
        raise Refused("slug", f"there is already an operation {facts['slug']!r}", status=409)
    operation = Operation.objects.create(**facts)
    log.info("operation founded", operation=operation.pk)
    return operation


@transaction.atomic
def add_member(operation: Operation, username: str, password: str, role: Role, **preferences: str) -> Person:
    """Give a person a role; the person is made when the name is new. Raises Refused for a weak password."""
    person = Person.objects.filter(username=username).first()
    if person is None:
        try:
            validate_password(password)
        except ValidationError as error:
            raise Refused("password", " ".join(error.messages)) from None
        person = Person.objects.create_user(username=username, password=password, **preferences)
    Membership.objects.update_or_create(person=person, operation=operation, defaults={"role": role})
    return person
