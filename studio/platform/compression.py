"""Answers as few bytes as they can be, for studios that are not in the next room."""

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware
from django.middleware.http import ConditionalGetMiddleware


class Compress(GZipMiddleware):
    """Django's, but for what is streamed: events would wait for more of them, and archives are compressed."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        return response if response.streaming else super().process_response(request, response)


class Revalidate(ConditionalGetMiddleware):
    """Django's, which names what it answered by an ETag and answers 304 to who has it already; and browsers ask."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        if request.method == "GET":
            # Without a word about it a browser may show what it has, without asking.
            response.headers.setdefault("Cache-Control", "no-cache")
        return super().process_response(request, response)
