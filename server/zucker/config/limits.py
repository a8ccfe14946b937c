"""Refuse a body that is too large before any of it is read."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse


class BodyLimit:
    """Answers 413 when the announced body is over DATA_UPLOAD_MAX_MEMORY_SIZE."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        length = request.META.get("CONTENT_LENGTH") or "0"
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE
        if not length.isdigit() or int(length) > most:
            message = f"the body is {length} bytes; at most {most} are taken in one request"
            return JsonResponse({"errors": [{"field": "body", "message": message}]}, status=413)
        return self.get_response(request)
