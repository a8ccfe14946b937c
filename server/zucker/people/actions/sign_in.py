"""Sign a person in, throttled."""

from __future__ import annotations

import structlog
from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, login
from django.http import HttpRequest

from ...config.errors import Refused
from ..models import Person

log = structlog.get_logger()


def sign_in(request: HttpRequest, username: str, password: str) -> Person:
    """Check the password and open a session. Raises Refused; after eight failures for a quarter of an hour."""
    person = authenticate(request, username=username, password=password)
    if not isinstance(person, Person):
        if not AxesProxyHandler.is_allowed(request, {"username": username}):
            raise Refused("password", "too many wrong passwords: try again in 15 minutes", status=429)
        raise Refused("password", "this name and password do not go together", status=401)
    login(request, person)
    log.info("signed in", person=person.pk)
    return person
