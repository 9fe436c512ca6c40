"""Originals, skeletons and clips. Blobs lie in tables of their own so that lists stay light."""

import json
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
from django.db import models

from armuto import refining
from armuto.body.estimation import ground_of
from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import plan_of
from armuto.kinematics.clip import Clip as ClipValue
from armuto.kinematics.observed import from_json as observed_from
from armuto.kinematics.skeleton import Skeleton as SkeletonValue
from armuto.refining import Recipe, Refined
from studio.contents.models import Content
from studio.library import arrays
from studio.platform.digests import digest
from studio.platform.optimistic import Versioned

#: The format of an original that says of which other clips a clip was made here.
DERIVED = "splice"


class Original(models.Model):
    """A file as it came. Told apart by content: the same bytes are kept once."""

    name = models.CharField(max_length=255)
    format = models.CharField(max_length=8)
    size = models.PositiveBigIntegerField()
    sha256 = models.CharField(max_length=64, unique=True)
    content = models.ForeignKey(Content, models.PROTECT, related_name="+")
    created = models.DateTimeField(auto_now_add=True)


class Skeleton(Versioned):
    """A skeleton in the core's conventions. identity: hash of names, tree and rest, to tell skeletons apart.

    tree: names, parents, rest and end sites as plain lists. parts: part name to bone names. readings: how surely each
    of those bones was read, 0 to 1, and why. observed: what its clips have shown of hinges and soles
    (:mod:`armuto.body.estimation`), by bone name.
    """

    name = models.CharField(max_length=255)
    identity = models.CharField(max_length=64, unique=True)
    tree = models.JSONField()
    parts = models.JSONField(default=dict)
    readings = models.JSONField(default=dict)
    observed = models.JSONField(default=dict)
    joints = models.PositiveIntegerField()
    height = models.FloatField()
    facing = models.FloatField(null=True)

    def __str__(self) -> str:
        return self.name

    def value(self) -> SkeletonValue:
        return skeleton_value(self.identity, json.dumps(self.observed, sort_keys=True))

    def assignment(self) -> Assignment:
        """The parts as they were read, with confidence and reason."""
        index = self.value().index
        sure = self.readings
        return {
            part: tuple(PartBone(index[name], *sure.get(name, (1.0, "kept"))) for name in names)
            for part, names in self.parts.items()
            if names
        }

    @property
    def plan(self) -> str:
        """The name of its body plan, or nothing where no part was recognised."""
        return plan_of(self.parts).name if self.parts else ""

    def keep_parts(self, parts: Assignment) -> None:
        """Other parts than were read so far, for what is made from now on."""
        names = self.value().names
        self.parts = {part: [names[bone.joint] for bone in bones] for part, bones in parts.items()}
        self.readings = {
            names[bone.joint]: [bone.confidence, bone.reason] for bones in parts.values() for bone in bones
        }
        self.save(update_fields=["parts", "readings"])


@lru_cache(maxsize=64)
def skeleton_value(identity: str, observed: str) -> SkeletonValue:
    """Skeletons never change once written but for what is observed of them (JSON), so their values are kept while
    people work with them."""
    value = arrays.skeleton_value(Skeleton.objects.get(identity=identity).tree)
    return replace(value, observed=observed_from(json.loads(observed), value.index))


@lru_cache(maxsize=64)
def recipe_value(recipe: str) -> Recipe:
    """Recipes (JSON) as values, which never change."""
    return refining.from_json(json.loads(recipe))


class Visible(models.Manager["Clip"]):
    """Clips whose import is through."""

    def get_queryset(self) -> models.QuerySet["Clip"]:
        return super().get_queryset().filter(arriving="")


def no_steps() -> dict[str, Any]:
    """The recipe of a clip that is its take's range as it is."""
    return refining.to_json(Recipe())


class Clip(Versioned):
    """A clip of the library: frames first to last of the take that its motion row keeps whole.

    take: the original it was read from. frames: of the whole take. travel: metres over the ground within the range.
    calibration: how many leading frames look like calibration. loop: it ends as it began. retired: out of the library's
    sight, with a way back. contacts: those that a person set, in frames of the take, or None where they are as found.
    content: hash of the take's motion. digest: of everything a rendition takes from the clip. segment_of: the clip from
    whose take it was cut. ground: how high feet rest in the range, and what was known then of where that puts the floor
    (:func:`armuto.body.estimation.ground`). floor: where a person says that the floor is. recipe: what is done to the
    range (:mod:`armuto.refining`), as JSON. refined_frames: how many frames that leaves, or None where it does nothing.
    arriving: the import that brings it, while that goes on and nobody sees it.
    """

    name = models.CharField(max_length=255)
    skeleton = models.ForeignKey(Skeleton, models.PROTECT, related_name="clips")
    take = models.ForeignKey(Original, models.PROTECT, related_name="clips")
    frames = models.PositiveIntegerField()
    fps = models.FloatField()
    travel = models.FloatField(default=0)
    first = models.PositiveIntegerField(default=0)
    last = models.PositiveIntegerField()
    calibration = models.PositiveIntegerField(default=0)
    contacts = models.JSONField(null=True, default=None)
    tags = models.JSONField(default=list)
    loop = models.BooleanField(default=False)
    ground = models.JSONField(default=dict)
    floor = models.FloatField(null=True, default=None)
    recipe = models.JSONField(default=no_steps)
    refined_frames = models.PositiveIntegerField(null=True, default=None, editable=False)
    content = models.CharField(max_length=64, db_index=True, default="")
    digest = models.CharField(max_length=64, default="", editable=False)
    segment_of = models.ForeignKey("self", models.SET_NULL, null=True, related_name="segments")
    retired = models.BooleanField(default=False)
    notes = models.JSONField(default=list)
    revision = models.PositiveIntegerField(default=1)
    arriving = models.CharField(max_length=128, default="", db_index=True, editable=False)
    created = models.DateTimeField(auto_now_add=True)

    objects = Visible()
    everything = models.Manager["Clip"]()

    class Meta:
        ordering = ["name", "id"]

    def __str__(self) -> str:
        return self.name

    def set_digest(self) -> None:
        set_by_hand = () if self.floor is None else (self.floor,)
        steps = self.steps
        refined = {"recipe": steps.digest} if steps.active else {}
        self.digest = digest(self.content, self.first, self.last, self.contacts, *set_by_hand, *refined.items())

    def save(self, *args: Any, update_fields: Any = None, **kwargs: Any) -> None:
        self.set_digest()
        if update_fields is not None:
            update_fields = {*update_fields, "digest"}
        super().save(*args, update_fields=update_fields, **kwargs)

    @property
    def steps(self) -> Recipe:
        """Its recipe as the core's value."""
        return recipe_value(json.dumps(self.recipe))

    @property
    def motion_key(self) -> tuple[Any, ...]:
        """Equal where the clip's motion is."""
        return self.skeleton_id, self.content, self.first, self.last, self.steps.digest

    @property
    def length(self) -> int:
        """Frames of the clip itself."""
        return self.last - self.first + 1 if self.refined_frames is None else self.refined_frames

    def known_ground(self) -> dict[str, float | None]:
        """Its ground, with what all clips of its skeleton show of the soles by now."""
        seen = self.skeleton.observed
        return ground_of(self.ground.get("feet"), seen.get("sole"), seen.get("sole_clips", 0))

    def whole(self) -> ClipValue:
        """The whole take as the core's value, motion included."""
        return arrays.clip_value(self.name, self.skeleton.value(), self.fps, self.frames, self.motion)

    def cut(self) -> ClipValue:
        """The range of the take that the clip is, before anything is done to it."""
        return self.whole().cut(self.first, self.last)

    def value(self) -> ClipValue:
        """The clip as the core's value: its range of the take, as its recipe has it."""
        if self.refined_frames is None:
            return self.cut()
        return arrays.clip_value(self.name, self.skeleton.value(), self.fps, self.refined_frames, self.refined)

    def refined_value(self) -> Refined:
        """The clip, and which frame of the take each of its frames shows."""
        if self.refined_frames is None:
            return Refined.of_take(self.cut(), self.first)
        return Refined(self.value(), np.frombuffer(self.refined.frames, "<f8"), self.refined.mirrored)


class Motion(models.Model):
    """Motion of a clip as little-endian float32. moving: the joints that have translations."""

    clip = models.OneToOneField(Clip, models.CASCADE, primary_key=True, related_name="motion")
    rotations = models.BinaryField()
    moving = models.JSONField(default=list)
    translations = models.BinaryField()


class RefinedMotion(models.Model):
    """Motion of a clip as its recipe has it, made once. frames: the frame of the take that each of its frames shows, as
    little-endian float64. mirrored: its left is the take's right."""

    clip = models.OneToOneField(Clip, models.CASCADE, primary_key=True, related_name="refined")
    rotations = models.BinaryField()
    moving = models.JSONField(default=list)
    translations = models.BinaryField()
    frames = models.BinaryField()
    mirrored = models.BooleanField(default=False)


class Analysis(models.Model):
    """What was measured of a long clip in the worker. motion: digest of the motion that it is of. result: as the API
    answers it, null until it is there."""

    clip = models.OneToOneField(Clip, models.CASCADE, primary_key=True, related_name="analysis")
    motion = models.CharField(max_length=64)
    result = models.JSONField(null=True, default=None)


class KeptRecipe(models.Model):
    """A recipe that was kept under a name, to be used for other clips."""

    name = models.CharField(max_length=255, unique=True)
    recipe = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "id"]

    def __str__(self) -> str:
        return self.name


class Plate(models.Model):
    """The plate of a clip, made once. drawing: strokes and heads in millimetres, and how to read them."""

    clip = models.OneToOneField(Clip, models.CASCADE, primary_key=True, related_name="plate")
    drawing = models.JSONField()
