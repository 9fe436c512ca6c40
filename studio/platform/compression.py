"""Answers as few bytes as they can be, for studios that are not in the next room."""

import contextlib
import hashlib
import re

import brotli
from django.core.cache import caches
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware
from django.middleware.http import ConditionalGetMiddleware
from django.utils.cache import patch_vary_headers

QUALITY = 10  # of 11: the last takes twice as long for two hundredths less
BROTLI = re.compile(r"\bbr\b")


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


def compressed_once(request: HttpRequest, content: bytes, content_type: str) -> HttpResponse:
    """An answer that is asked for often and stays the same: compressed slowly (Brotli, RFC 7932) and kept so in the
    cache of figures, for who accepts it."""
    if not BROTLI.search(request.headers.get("Accept-Encoding", "")):
        response = HttpResponse(content, content_type=content_type)
    else:
        cache, key = caches["figures"], f"br-{hashlib.sha256(content).hexdigest()}"
        packed: bytes | None = cache.get(key)
        if packed is None:
            packed = brotli.compress(content, quality=QUALITY)
            with contextlib.suppress(OSError):  # where there is no room nothing is kept
                cache.set(key, packed)
        response = HttpResponse(packed, content_type=content_type, headers={"Content-Encoding": "br"})
    patch_vary_headers(response, ("Accept-Encoding",))
    return response
