"""The museum's figures and their chores, for who would like to try the studio before bringing in anything."""

import io
import zipfile
from pathlib import Path

from django.conf import settings
from django.db import transaction

from armuto.errors import BadInput
from studio.contents.services import store
from studio.ingest.models import Arrival
from studio.library.models import Original

NAME = "The museum's night.zip"


def bring_in() -> Arrival:
    """An archive of the demo files, for the worker to read.

    Raises :class:`BadInput` where the studio holds anything, or the files are not installed with it.
    """
    root = Path(settings.DEMO_FILES)
    takes = root.parent / "takes"
    paths = sorted(root.glob("*/*")) + sorted(takes.glob("*.bvh")) + sorted(root.glob("*.glb"))
    if not paths:
        raise BadInput("The museum's figures do not come with this installation; bring in files of your own.")
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as archive:
        for path in paths:
            archive.write(path, path.relative_to(takes.parent if path.parent == takes else root))
    content = store(packed.getvalue())
    # Two people may ask at once: the second waits for the first's lock and finds what that has begun.
    with transaction.atomic():
        if Original.objects.exists() or Arrival.objects.filter(name=NAME, state__in=("waiting", "reading")).exists():
            raise BadInput("The studio is not empty any more; the museum's figures are for an empty one.")
        return Arrival.objects.create(name=NAME, content=content, goes_to="auto")
