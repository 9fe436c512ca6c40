"""Who may change something, and in which shape: only the studio's own pages, with a token, in JSON or as a form."""

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.middleware.csrf import CsrfViewMiddleware, get_token

SAFE = {"GET", "HEAD", "OPTIONS", "TRACE"}
FORMS = ("application/json", "multipart/form-data")
OTHER_SITE = (
    "This change came without the studio's token, or from another site, and was not carried out; load the page again, "
    "and allow it to keep a cookie."
)
OTHER_FORM = "This change came as neither JSON nor a form with files, and was not carried out; say its content type."


class Csrf(CsrfViewMiddleware):
    """Django's protection for every change, the API's too, whose operations are marked exempt by its framework.

    The token is double-submitted: a cookie, which any answer brings to who has none, and a header. Origin, Referer and
    Fetch Metadata (W3C) are checked where the browser sends them.
    """

    def process_request(self, request: HttpRequest) -> None:
        super().process_request(request)
        if request.method in SAFE and not request.COOKIES.get(settings.CSRF_COOKIE_NAME):
            get_token(request)

    def process_view(  # type: ignore[override]
        self, request: HttpRequest, callback: Any, callback_args: Any, callback_kwargs: Any
    ) -> HttpResponse | None:
        if request.method not in SAFE:
            if request.headers.get("Sec-Fetch-Site", "none") not in ("same-origin", "none"):
                return refused(request)
            has_body = request.headers.get("Content-Length") not in (None, "", "0")
            if (has_body or "Transfer-Encoding" in request.headers) and request.content_type not in FORMS:
                return JsonResponse({"detail": OTHER_FORM}, status=415)
        return super().process_view(request, _not_exempt, callback_args, callback_kwargs)


def _not_exempt() -> HttpResponse:
    """Stands for the view, whose mark is not heeded."""
    raise AssertionError("never called")


def refused(request: HttpRequest, reason: str = "") -> HttpResponse:
    """The answer to a change that fails Django's checks."""
    return JsonResponse({"detail": OTHER_SITE}, status=403)


#: What a page of the studio may load and where it may be shown. Styles may stand in the page: Vuetify writes its
#: theme into one.
CONTENT_SECURITY_POLICY = "; ".join(
    (
        "default-src 'self'",
        "script-src 'self'",
        "style-src 'self' 'unsafe-inline'",
        "img-src 'self' blob: data:",
        "connect-src 'self' blob: data:",
        "font-src 'self' data:",
        "worker-src 'self' blob:",
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)


class ContentSecurityPolicy:
    """Says with every answer what may be loaded by it (W3C, Content Security Policy Level 3)."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.headers.setdefault("Content-Security-Policy", CONTENT_SECURITY_POLICY)
        return response
