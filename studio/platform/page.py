"""The one page of the application."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse


def page(request: HttpRequest) -> HttpResponse:
    index = settings.WEB / "index.html"
    if not index.is_file():
        return HttpResponse(
            "The web application is not built yet: run “make build”.", status=503, content_type="text/plain"
        )
    if "." in request.path.rsplit("/", 1)[-1]:
        return HttpResponse("There is nothing at this address.", status=404, content_type="text/plain")
    response = HttpResponse(index.read_bytes(), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response
