"""Load the night shift, once: the figures and clips of demo/files, and the takes of several in demo/takes."""

import json
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from studio.cast.models import Character
from studio.ensembles import services as ensembles
from studio.ensembles.models import Ensemble
from studio.ingest.services.reading import take_in
from studio.library.models import Clip, Original, Skeleton


class Command(BaseCommand):
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
        load_ensembles(root.parent / "takes")
        clips, figures = Clip.objects.count(), Character.objects.count()
        self.stdout.write(f"Loaded {clips} clips and {figures} character{'' if figures == 1 else 's'}.")


def load_ensembles(takes: Path) -> None:
    """Takes with several performers, and what the museum's ensembles are: their props, and who performs in them."""
    for path in sorted(takes.glob("*.bvh")):
        take_in(path.read_bytes(), path.name)
    for path in sorted(takes.glob("*.json")):
        table = json.loads(path.read_text())
        row = Ensemble.objects.filter(name=table["name"]).first()
        if row is None:
            names = [performer["clip"].replace("_", " ") for performer in table["performers"]]
            clips = {clip.name: clip.pk for clip in Clip.objects.filter(name__in=names)}
            row = ensembles.create([clips[name] for name in names], table["name"])
            called = zip(row.performers.order_by("pk"), table["performers"], strict=True)
            people = {each.name: {"name": performer["name"]} for each, performer in called}
            ensembles.change(row, {"performers": people}, None)
        props = [
            {**prop, "recorded": f"track {prop['name']}"} if "recorded" in prop else prop
            for prop in table.get("props", [])
        ]
        ensembles.change(row, {"props": props}, None)
