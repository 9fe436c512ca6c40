"""Requests that change something must come from the studio's own pages."""

from typing import Any

from django.http import HttpRequest, JsonResponse

SAFE = {"GET", "HEAD", "OPTIONS"}


class SameOrigin:
    """Refuse changes asked for by another site's page. Without accounts there is no token to check, but browsers say
    where a request comes from (Fetch Metadata, W3C)."""

    def __init__(self, get_response: Any) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> Any:
        site = request.headers.get("Sec-Fetch-Site", "none")
        if request.method not in SAFE and site not in ("same-origin", "none"):
            return JsonResponse({"detail": "This request came from another site and was not carried out."}, status=403)
        return self.get_response(request)
