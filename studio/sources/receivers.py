"""What happens to files of sources once they have been read."""

from typing import Any

from django.dispatch import receiver

from studio.ingest.models import IntakeFile
from studio.ingest.signals import file_laid_out
from studio.sources.services.intake import laid_out


@receiver(file_laid_out, dispatch_uid="armuto.sources")
def on_laid_out(sender: Any, file: IntakeFile, **_: Any) -> None:
    if file.source_item is not None:
        laid_out(file)
