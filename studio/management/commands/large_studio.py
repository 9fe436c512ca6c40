"""A large studio to measure with: clips and characters made of the demo's, and a board full of results."""

import random
from typing import Any

from django.core.management import call_command
from django.core.management.base import CommandError
from django.db import transaction

from studio.cast.models import Character
from studio.fittings.services.steps import fitting_for
from studio.library.models import Clip, Motion, Plate, Skeleton
from studio.management.base import StudioCommand
from studio.renditions.models import Rendition, Revision

STATES = ("good", "good", "good", "good", "look", "wrong", "out of date", "accepted", "not yet", "failed")


class Command(StudioCommand):
    help = "Fill an empty studio with many clips and characters, and results without motion, to measure the board by."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--clips", type=int, default=2000)
        parser.add_argument("--characters", type=int, default=20)
        parser.add_argument("--plan", help="only clips and characters of this body plan, such as two-legged")
        parser.add_argument("--bare", action="store_true", help="without results")

    def handle(self, *args: Any, clips: Any, characters: Any, plan: Any, bare: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0)
        if Clip.objects.exists():
            raise CommandError("The studio holds data already; name an empty one by ARMUTO_DATA.")
        call_command("load_demo", stdout=self.stdout)
        with transaction.atomic():
            if plan:
                others = [row.pk for row in Skeleton.objects.all() if row.plan != plan]
                Clip.objects.filter(skeleton__in=others).delete()
                Character.objects.filter(skeleton__in=others).delete()
            self._clips(clips)
            self._characters(characters)
            if not bare:
                self._board()
        counts = (model.objects.count() for model in (Clip, Character, Rendition))
        self.stdout.write("{} clips, {} characters, {} cells.".format(*counts))

    def _clips(self, count: int) -> None:
        models = list(Clip.objects.select_related("motion", "plate"))
        for number in range(len(models), count):
            like = models[number % len(models)]
            motion, plate = like.motion, like.plate
            row = Clip.objects.get(pk=like.pk)
            row.pk, row.name, row.tags = None, f"{like.name} {number:04}", [f"shift {number % 7 + 1}"]
            row.save()
            Motion.objects.create(
                clip=row, rotations=motion.rotations, moving=motion.moving, translations=motion.translations
            )
            Plate.objects.create(clip=row, drawing=plate.drawing)

    def _characters(self, count: int) -> None:
        models = list(Character.objects.all())
        for number in range(len(models), count):
            like = models[number % len(models)]
            row = Character.objects.get(pk=like.pk)
            row.pk, row.name = None, f"{like.name} {number}"
            row.save()

    def _board(self) -> None:
        chance = random.Random(1)
        for character in Character.objects.select_related("skeleton"):
            for skeleton in Skeleton.objects.filter(clips__isnull=False).distinct():
                if skeleton.plan != character.skeleton.plan:
                    continue
                fitting = fitting_for(skeleton, character)
                cells = [
                    Rendition(clip=clip, character=character, fitting=fitting) for clip in skeleton.clips.order_by("id")
                ]
                Rendition.objects.bulk_create(cells, batch_size=500)
                states_drawn = [chance.choice(STATES) for _ in cells]
                made = [
                    self._revision(row, fitting, state)
                    for row, state in zip(cells, states_drawn, strict=True)
                    if state != "not yet"
                ]
                Revision.objects.bulk_create(made, batch_size=500)
                by_row = {revision.rendition_id: revision for revision in made}
                for row, state in zip(cells, states_drawn, strict=True):
                    row.newest = by_row.get(row.pk)
                    row.accepted = row.newest if state == "accepted" else None
                    row.work = Rendition.Work.FAILED if state == "failed" else Rendition.Work.NOTHING
                Rendition.objects.bulk_update(cells, ["newest", "accepted", "work"], batch_size=500)

    def _revision(self, row: Rendition, fitting: Any, state: str) -> Revision:
        clip, character, _ = row.transferred
        return Revision(
            rendition=row,
            number=1,
            clip_digest="" if state == "out of date" else clip.digest,
            character_digest=character.digest,
            fitting_digest=fitting.state.digest,
            clip_revision=1,
            character_revision=1,
            fitting_step=0,
            grade=state if state in ("look", "wrong") else "good",
            frames=clip.length,
            fps=clip.fps,
        )
