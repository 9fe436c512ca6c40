"""Patterns of naming, and body plans that people make."""

from django.db import models

from armuto.pairing import patterns as core
from studio.platform.optimistic import Versioned


class Pattern(Versioned):
    """A naming convention. parts: part name to bone names. shipped: whether it came with Armuto."""

    name = models.CharField(max_length=120, unique=True)
    plan = models.CharField(max_length=120)
    about = models.TextField(default="")
    parts = models.JSONField()
    left_out = models.JSONField(default=list)
    shipped = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def value(self) -> core.Pattern:
        parts = {part: tuple(names) for part, names in self.parts.items()}
        return core.Pattern(self.name, self.plan, parts, self.about, tuple(self.left_out))


class OwnPlan(Versioned):
    """A body plan that somebody made by copying one and changing its limbs. table: as the plans that ship are
    written."""

    name = models.CharField(max_length=120, unique=True)
    table = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name
