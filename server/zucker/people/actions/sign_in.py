"""Sign a person in, throttled."""

from __future__ import annotations

import structlog
from django.contrib.auth import authenticate, login
from django.http import HttpRequest

from ...config.errors import Refused
from ..models import Person

log = structlog.get_logger()


def sign_in(request: HttpRequest, username: str, password: str) -> Person:
    """Check the password and open a session. Raises Refused. After eight failures django-axes answers
    for a quarter of an hour (people.access.locked_out)."""
    person = authenticate(request, username=username, password=password)
    if not isinstance(person, Person):
        raise Refused("password", "this name and password do not go together", status=401)
    login(request, person)
    log.info("signed in", person=person.pk)
    return person
