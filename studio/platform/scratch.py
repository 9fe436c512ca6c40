"""Where whatever lasts no longer than a request or a task is put."""

from pathlib import Path

from django.conf import settings


def scratch() -> Path:
    """The folder of it; emptied when the studio starts."""
    folder = Path(settings.FILE_UPLOAD_TEMP_DIR)
    folder.mkdir(parents=True, exist_ok=True)
    return folder
