"""Making renditions in the worker."""

from dataclasses import asdict

from django.db import transaction
from django_tasks import task

from armuto.errors import BadInput
from armuto.findings import find, grade
from studio.fittings.keeping import value_of
from studio.fittings.models import Rendition, RenditionMotion
from studio.fittings.performing import clip_value, perform
from studio.library import arrays

STATES = {"good": Rendition.State.GOOD, "look": Rendition.State.LOOK, "wrong": Rendition.State.WRONG}


@task()
def make_rendition(rendition_id: int) -> None:
    """Compute one rendition, unless it was stopped before its turn. Stopping in between leaves the last motion in place."""
    states = Rendition.State
    row = (
        Rendition.objects.filter(pk=rendition_id, state=states.WAITING)
        .select_related("clip__skeleton", "clip__motion", "fitting__state", "character__skeleton")
        .first()
    )
    if row is None:
        return

    def reached(share: float) -> bool:
        """Record progress; False once somebody has stopped it."""
        return bool(
            Rendition.objects.filter(pk=rendition_id, state__in=[states.WAITING, states.WORKING]).update(
                state=states.WORKING, progress=share
            )
        )

    try:
        if not reached(0.1):
            return
        clip, fitting = clip_value(row.clip), value_of(row.fitting)
        done = perform(fitting, row.clip)
        made = done.clip
        if not reached(0.6):
            return
        found = find(clip, made, fitting, done.found)
        if not reached(0.9):
            return
        with transaction.atomic():
            if not Rendition.objects.filter(pk=rendition_id, state=states.WORKING).exists():
                return
            RenditionMotion.objects.update_or_create(
                rendition_id=rendition_id,
                defaults={
                    "frames": made.frames,
                    "fps": made.fps,
                    "rotations": arrays.packed(made.rotations),
                    "moving": made.moving.tolist(),
                    "translations": arrays.packed(made.translations),
                },
            )
            Rendition.objects.filter(pk=rendition_id).update(
                state=STATES[grade(found)],
                progress=1.0,
                sentence="",
                findings=[asdict(finding) for finding in found],
                clip_revision=row.clip.revision,
                character_revision=row.character.revision,
                limits_revision=row.character.limits_revision,
                fitting_revision=row.fitting.state_id,
            )
    except BadInput as problem:
        Rendition.objects.filter(pk=rendition_id).update(state=states.WRONG, sentence=str(problem))
    except Exception:
        sentence = f"{row.clip.name}: transferring it to {row.character.name} failed; the last result was kept."
        Rendition.objects.filter(pk=rendition_id).update(state=states.WRONG, sentence=sentence)
        raise
