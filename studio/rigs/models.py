"""Bones that characters were given here: the mesh as it came, and what was decided about its bones."""

from django.db import models

from armuto.rigging import definition as core
from armuto.rigging.definition import RigDefinition
from studio.cast.models import Character
from studio.contents.models import Content
from studio.library.models import Original
from studio.platform.optimistic import Versioned


class Rig(Versioned):
    """original: the file as it came. facts: of its mesh (:func:`armuto.rigging.preparing.facts_of`). definition: in
    the core's JSON form. made: the digest of the definition whose bones the character has now, or empty where it has
    others. revision: the character's when this was begun, or when it was given these bones last; where it has another,
    another file has come in for it."""

    character = models.OneToOneField(Character, models.CASCADE, primary_key=True, related_name="rig")
    original = models.ForeignKey(Original, models.PROTECT, related_name="rigs")
    facts = models.JSONField()
    definition = models.JSONField()
    made = models.CharField(max_length=64, default="")
    revision = models.PositiveIntegerField(default=1)
    created = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.character.name

    def value(self) -> RigDefinition:
        return core.from_json(self.definition, self.character.name)

    @property
    def mesh_name(self) -> str:
        """The name of its .glb in sentences."""
        return f"{self.original.name.rsplit('.', 1)[0]}.glb"


class RigMesh(models.Model):
    """The mesh without bones, as .glb. bound: in the pose in which it was bound. standing: in the one in which the
    bones stood that it had, where that is another."""

    rig = models.OneToOneField(Rig, models.CASCADE, primary_key=True, related_name="mesh")
    bound = models.ForeignKey(Content, models.PROTECT, related_name="+")
    standing = models.ForeignKey(Content, models.PROTECT, null=True, related_name="+")

    def content(self, pose: str) -> bytes:
        """In a pose of :data:`armuto.rigging.definition.POSES`."""
        return (self.standing if pose == "standing" and self.standing is not None else self.bound).data
