"""Who may do what: the one place where a request gets hold of an operation."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, JsonResponse

from .models import RANK, Membership, Operation, Role


def operation_for(request: HttpRequest, slug: str, at_least: Role = Role.VIEWER) -> Operation:
    """The operation, if the person belongs to it in that role or a higher one.

    Raises Http404 for strangers, so that nobody learns which operations exist, and PermissionDenied
    for members whose role is too low.
    """
    membership = Membership.objects.select_related("operation").filter(
        person_id=request.user.pk or 0, operation__slug=slug).first()
    if membership is None:
        raise Http404
    if RANK[Role(membership.role)] < RANK[at_least]:
        raise PermissionDenied(f"this needs the role {at_least.value}; yours is {membership.role}")
    return membership.operation


def locked_out(request: HttpRequest, response: Any, credentials: Any) -> JsonResponse:
    """The answer to a sign-in after too many failures."""
    message = "too many wrong passwords: try again in 15 minutes"
    return JsonResponse({"errors": [{"field": "password", "message": message}]}, status=429)
