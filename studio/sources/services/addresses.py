"""Addresses that speak the open index: what they offer, and fetching it with limits on size and time.

Only http and https, only the host that somebody named, and no redirect to another one. What breaks off goes on where it
was (ranges), as long as it is still the same file (ETag).
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import urljoin, urlsplit

from django.conf import settings

from armuto.errors import BadInput
from armuto.intake.source_index import LARGEST_INDEX, Offer, offers, read_index, within
from armuto.lazy import lazily
from studio.platform.scratch import scratch
from studio.platform.uploads import check_size, file_path
from studio.sources.models import Source, SourceItem
from studio.sources.services.intake import lay_before, refuse

if TYPE_CHECKING:
    import requests
else:
    requests = lazily("requests")

PATIENCE = (5.0, 15.0)  # seconds to connect, and between two pieces
INDEX_SECONDS, PLATE_SECONDS = 30.0, 10.0
FETCH_SECONDS = 600.0
LARGEST_PLATE = 512 * 1024  # bytes
PIECE = 8 * 1024  # bytes; of what breaks off as much is lost
TRIES = 4
REDIRECTS = 3

State = SourceItem.State


class _BrokenOff(Exception):
    """The connection ended before the file did."""


def checked_address(location: str, schemes: tuple[str, str] = ("http", "https")) -> str:
    """The address as it is kept. Raises :class:`BadInput` for one that cannot be asked."""
    text = location.strip()
    try:
        parts = urlsplit(text)
        known = parts.scheme in schemes and parts.hostname and parts.port != 0
    except ValueError:
        known = False
    if not known:
        raise BadInput(
            f"{text[:200]}: this is no address; it begins with {schemes[0]}:// or {schemes[1]}:// and names a host."
        )
    if parts.username or parts.password:
        raise BadInput("An address with a password in it would be shown to everybody; leave it out.")
    return text.partition("#")[0]


@contextmanager
def _asked(address: str, headers: dict[str, str]) -> Iterator[requests.Response]:
    """The answer of an address, after redirects within its host. Raises :class:`BadInput`."""
    # No proxy, no netrc: nothing of the machine's own goes along.
    with requests.Session() as session:
        session.trust_env = False
        there = address
        try:
            for _ in range(REDIRECTS + 1):
                answer = session.get(
                    there,
                    headers={"Accept-Encoding": "identity", **headers},
                    timeout=PATIENCE,
                    stream=True,
                    allow_redirects=False,
                )
                if not answer.is_redirect:
                    break
                there = within(address, urljoin(there, answer.headers["Location"]))
                answer.close()
            else:
                raise BadInput(f"{address}: it leads from one place to the next and never arrives.")
            with answer:
                yield answer
        except BadInput:
            raise  # of whoever reads the answer
        except requests.Timeout:
            raise BadInput(f"{address}: it did not answer in time; it is asked again later.") from None
        except (requests.ConnectionError, requests.exceptions.ChunkedEncodingError):
            raise BadInput(f"{address}: it cannot be reached; it is asked again later.") from None
        except (requests.RequestException, ValueError):
            raise BadInput(f"{address}: it does not answer as a library does; see that the address is right.") from None


def _pieces(answer: requests.Response, name: str, most: int, seconds: float) -> Iterator[bytes]:
    """What comes, within limits. Raises :class:`BadInput` for too much and for too slow, :class:`_BrokenOff`."""
    size, deadline = 0, time.monotonic() + seconds
    try:
        for piece in answer.iter_content(PIECE):
            size += len(piece)
            check_size(name, size, most)
            if time.monotonic() > deadline:
                raise BadInput(
                    f"{name}: it comes so slowly that it was given up after {seconds:.0f} s; try again later."
                )
            yield piece
    except (requests.ConnectionError, requests.exceptions.ChunkedEncodingError, requests.Timeout):
        raise _BrokenOff from None


def _fetched(address: str, most: int, seconds: float, headers: dict[str, str]) -> tuple[bytes, requests.Response]:
    """All of a small answer. Raises :class:`BadInput`."""
    with _asked(address, headers) as answer:
        if answer.status_code not in (200, 304):
            raise BadInput(f"{address}: it answers with error {answer.status_code}; it is asked again later.")
        try:
            return b"".join(_pieces(answer, address, most, seconds)), answer
        except _BrokenOff:
            raise BadInput(f"{address}: its answer broke off; it is asked again later.") from None


def look(source: Source) -> int:
    """Ask an address what it offers. Returns how many items are new or newer. Raises :class:`BadInput` where it cannot
    be asked; what it offered is kept."""
    headers = {"If-None-Match": source.etag} if source.etag else {}
    data, answer = _fetched(source.location, LARGEST_INDEX, INDEX_SECONDS, headers)
    if answer.status_code == 304:
        return 0
    index = read_index(data, source.location)
    known = {item.key: item for item in source.items.all()}
    found, count = set(), 0
    for offer in offers(index):
        found.add(offer.item.id)
        count += _offered(source, offer, known.get(offer.item.id))
    for key, item in known.items():
        if key not in found and item.state not in (State.GONE, State.TAKEN, State.FETCHING):
            SourceItem.objects.filter(pk=item.pk).update(state=State.GONE)
    etag = answer.headers.get("ETag", "")[:200]
    Source.objects.filter(pk=source.pk).update(etag=etag, licence=index.licence)
    return count


def _offered(source: Source, offer: Offer, item: SourceItem | None) -> bool:
    """Note what an item is now; returns whether it is new, or newer than what was taken."""
    version, own = str(offer.item.version)[:200], offer.file
    facts = {
        "name": offer.item.name,
        "kind": offer.item.kind,
        "pack": offer.pack.name,
        "licence": offer.licence,
        "tags": offer.item.tags,
        "fps": offer.item.fps,
        "frames": offer.item.frames,
        "plate": offer.item.plate or "",
        "format": own.format,
        "mesh": own.mesh,
        "path": own.path,
        "bytes": own.bytes,
        "sha256": own.sha256 or "",
    }
    if item is None:
        fields = {"version": version, "facts": facts}
        return SourceItem.objects.get_or_create(source=source, key=offer.item.id, defaults=fields)[1]
    state = item.state
    if state not in (State.WAITING, State.FETCHING) and (item.version != version or state == State.GONE):
        state = State.TAKEN if item.taken_version == version else State.NEWER if item.taken_version else State.NEW
    if (item.version, item.facts, item.state) != (version, facts, state):
        SourceItem.objects.filter(pk=item.pk).update(version=version, facts=facts, state=state, sentence="")
    return state == State.NEWER


@dataclass
class _Part:
    """What has come of a file so far. etag: of the file that it is a part of."""

    path: Path
    etag: str = ""

    @property
    def size(self) -> int:
        return self.path.stat().st_size if self.etag and self.path.exists() else 0


def fetch(item: SourceItem) -> bool:
    """Fetch an item and lay it before somebody. Returns whether it came in. What cannot be had is refused with its
    sentence."""
    part = _Part(scratch() / f"source-item-{item.pk}.part")
    try:
        return _fetch(item, part)
    except BadInput as problem:
        refuse(item, str(problem))
        return False
    finally:
        part.path.unlink(missing_ok=True)


def _fetch(item: SourceItem, part: _Part) -> bool:
    facts = item.facts
    address = within(item.source.location, facts["path"])
    if facts["bytes"]:
        check_size(facts["name"], facts["bytes"], settings.LARGEST_UPLOAD)
    deadline = time.monotonic() + FETCH_SECONDS
    for attempt in range(TRIES):
        left = max(deadline - time.monotonic(), 0.0)
        if attempt:
            time.sleep(min(0.2 * 2**attempt, left))
        try:
            _go_on(address, part, facts["name"], left)
            break
        except _BrokenOff:
            continue
    else:
        raise BadInput(f"{facts['name']}: it broke off {TRIES} times on its way; try again later.")
    data = part.path.read_bytes()
    sha256 = hashlib.sha256(data).hexdigest()
    if facts["bytes"] not in (None, len(data)) or facts["sha256"] not in ("", sha256):
        raise BadInput(f"{facts['name']}: it is not the file that the library says it has; nothing was taken in.")
    ending = facts["format"].lower()
    name = file_path(f"{item.source.name}/{facts['pack']}/{facts['name'].replace('/', '-')}.{ending}")
    return lay_before(item, data, sha256, name)


def _go_on(address: str, part: _Part, name: str, seconds: float) -> None:
    """Fetch a file, or what is missing of it. Raises :class:`BadInput`, :class:`_BrokenOff`."""
    have = part.size
    headers = {"Range": f"bytes={have}-", "If-Range": part.etag} if have else {}
    with _asked(address, headers) as answer:
        status = answer.status_code
        if status not in (200, 206):
            raise BadInput(f"{name}: the library answers with error {status}; try again later.")
        if status == 206 and not (have and answer.headers.get("Content-Range", "").startswith(f"bytes {have}-")):
            raise BadInput(f"{name}: the library sends another part than was asked for; try again later.")
        have = have if status == 206 else 0
        part.etag = answer.headers.get("ETag", "")
        came = 0
        with part.path.open("ab" if have else "wb") as file:
            for piece in _pieces(answer, name, settings.LARGEST_UPLOAD - have, seconds):
                file.write(piece)
                came += len(piece)
        whole = answer.headers.get("Content-Length", "")
        if whole.isdecimal() and came < int(whole):
            raise _BrokenOff


def plate(item: SourceItem) -> tuple[bytes, str]:
    """The picture of an item, and its content type. Raises :class:`BadInput`."""
    if not item.facts.get("plate"):
        raise BadInput(f"{item.key}: there is no plate of it.")
    data, _ = _fetched(within(item.source.location, item.facts["plate"]), LARGEST_PLATE, PLATE_SECONDS, {})
    if data.startswith(b"\x89PNG\r\n\x1a\n"):
        return data, "image/png"
    if b"<svg" in data[:1000]:
        return data, "image/svg+xml"
    raise BadInput(f"{item.key}: its plate is neither SVG nor PNG; it is not shown.")
