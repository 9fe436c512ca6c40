"""What the museum's ensembles are, for the demo and for who tries the studio with the museum's figures."""

import json
from pathlib import Path

from django.conf import settings

from studio.ensembles.models import Ensemble
from studio.ensembles.services import change, create
from studio.library.models import Clip


def describe_ensembles() -> None:
    """Props, and who performs: of takes that came in with several performers, and of clips that were recorded side by
    side, where all of them are in the library."""
    takes = Path(settings.DEMO_FILES).parent / "takes"
    for path in sorted(takes.glob("*.json")):
        table = json.loads(path.read_text())
        row = Ensemble.objects.filter(name=table["name"]).first()
        if row is None:
            names = [performer["clip"].replace("_", " ") for performer in table["performers"]]
            clips = {clip.name: clip.pk for clip in Clip.objects.filter(name__in=names)}
            if len(clips) < len(names):
                continue
            row = create([clips[name] for name in names], table["name"])
            called = zip(row.performers.order_by("pk"), table["performers"], strict=True)
            people = {each.name: {"name": performer["name"]} for each, performer in called}
            change(row, {"performers": people}, None)
        props = [
            {**prop, "recorded": f"track {prop['name']}"} if "recorded" in prop else prop
            for prop in table.get("props", [])
        ]
        change(row, {"props": props}, None)
