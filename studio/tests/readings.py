"""What a file was read as, for the tests that begin with the same file: hundreds do, and each reading takes a process.

How files are read, apart and within their limits, is tested where that is the matter.
"""

import hashlib
import pickle
from collections.abc import Callable, Mapping
from typing import Any

from django.conf import settings

from armuto import isolation
from armuto.formats import Document
from armuto.intake.detection import NOTHING, ImportOptions

MOST = 32  # readings that are kept
_call = isolation.call


def remembered(read: Callable[..., Document]) -> Callable[..., Document]:
    """:func:`studio.platform.reader.read`, which gives the same answer again, as a copy, while nothing is said about
    the file and nobody has changed how it is read."""
    held: dict[tuple[Any, ...], bytes] = {}

    def again(
        data: bytes, file: str, options: ImportOptions = NOTHING, files: Mapping[str, bytes] | None = None
    ) -> Document:
        if files or options != NOTHING or isolation.call is not _call:
            return read(data, file, options, files)
        limits = settings.READER_MEMORY, settings.READER_SECONDS
        key = file, hashlib.sha256(data).digest(), *limits
        if key not in held:
            document = read(data, file)
            while len(held) >= MOST:
                held.pop(next(iter(held)))
            held[key] = pickle.dumps(document, protocol=5)
            return document
        return pickle.loads(held[key])  # type: ignore[no-any-return]

    return again
