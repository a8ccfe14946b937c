"""The API under /api/v1/, the interface everywhere else."""

from __future__ import annotations

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe

from .api import api


@require_safe
@ensure_csrf_cookie
def page(request: HttpRequest, path: str = "") -> HttpResponse | FileResponse:
    """The interface's one page, for every address that is not a file."""
    if "." in path.rsplit("/", 1)[-1]:
        return HttpResponse("There is no such file.", status=404, content_type="text/plain")
    index = settings.WEB_DIST / "index.html"
    if not index.exists():
        return HttpResponse("The interface is not built yet: run ./zucker demo.", status=503, content_type="text/plain")
    response = FileResponse(index.open("rb"), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def missing(request: HttpRequest, path: str = "") -> JsonResponse:
    return JsonResponse({"errors": [{"field": "path", "message": "there is no such address"}]}, status=404)


urlpatterns = [
    path("api/v1/", api.urls),
    re_path(r"^api/(?P<path>.*)$", missing),
    re_path(r"^(?P<path>.*)$", page),
]
