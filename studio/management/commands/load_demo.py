"""Load the night shift, once: the figures and clips of demo/files, the takes of several in demo/takes, and the motions
that are wanted (demo/call_sheet.csv)."""

from pathlib import Path
from typing import Any

from django.conf import settings

from studio.callsheet.services import read_table
from studio.cast.models import Character
from studio.ensembles.museum import describe_ensembles
from studio.ingest.services.reading import take_in
from studio.library.models import Clip, Original, Skeleton
from studio.management.base import StudioCommand


class Command(StudioCommand):
    help = "Load the demo data into an empty studio. A studio that holds anything is left as it is."

    def handle(self, *args: Any, **options: Any) -> None:
        if Original.objects.exists():
            self.stdout.write("The studio holds data already; it was left as it is.")
            return
        root = Path(settings.DEMO_FILES)
        for path in sorted(root.glob("*/*")):
            found = take_in(path.read_bytes(), path.name)
            taken = Clip.objects.filter(pk__in=found.clips)
            Skeleton.objects.filter(clips__in=taken).update(name=path.parent.name)
        for path in sorted(root.glob("*.glb")):
            take_in(path.read_bytes(), path.name)
        for path in sorted((root.parent / "takes").glob("*.bvh")):
            take_in(path.read_bytes(), path.name)
        describe_ensembles()
        sheet = root.parent / "call_sheet.csv"
        if sheet.is_file():
            read_table(sheet.read_text("utf-8"), sheet.name)
        clips, figures = Clip.objects.count(), Character.objects.count()
        self.stdout.write(f"Loaded {clips} clips and {figures} character{'' if figures == 1 else 's'}.")
