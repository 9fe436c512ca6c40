"""How a delivery is to come out: what a person may choose, checked, and its JSON form."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Annotated, Any, Literal, Self

from pydantic import StrictBool, TypeAdapter, model_validator
from pydantic.dataclasses import dataclass

from armuto.choices import DECLARABLE, SEVERAL_FIGURES, UP_AXES
from armuto.errors import BadInput
from armuto.export.thinning import Bound
from armuto.validation import STRICT, Within, read

Tolerance = Annotated[float, Within(0.0001, 45.0)]


@dataclass(frozen=True, config=STRICT)
class Thinning:
    """How far thinned motion may be from what it was: degrees of a joint's own rotation, centimetres of its place."""

    degrees: Tolerance
    centimetres: Tolerance

    @property
    def bound(self) -> Bound:
        return Bound(self.degrees, self.centimetres / 100)


@dataclass(frozen=True, config=STRICT)
class DeliverySettings:
    """How a delivery is to come out.

    mesh: with the figure's mesh, where the format holds one. together: all clips of a character in one file, for "glb".
    fps: frames per second, or None for each clip's own. unit, up: of those that the format can declare; a "glb" is
    always in metres and +Y up. thinned: how far keys may be thinned, for "glb", or None. travel: see
    :mod:`armuto.export.root_motion`. first: the number of the first frame. fittings, touchups: whether these go along.
    ensembles: whether everybody of a casting gets a file in their common space, or begins at the origin, with the start
    in the manifest, or all go in one file with their props, for "glb" and "usd".
    """

    kind: Literal["glb", "bvh", "dae", "usd", "csv"] = "glb"
    mesh: StrictBool = True
    together: StrictBool = False
    fps: Annotated[int | float, Within(1.0, 480.0)] | None = None
    unit: Literal["m", "cm", "mm", "inch", "foot", "dm"] = "cm"
    up: Literal["+Y", "+Z", "+X", "-Y", "-Z", "-X"] = "+Y"
    thinned: Thinning | None = None
    travel: Literal["as made", "in place", "root"] = "as made"
    first: Annotated[int, Within(0, 1_000_000)] = 0
    fittings: StrictBool = False
    touchups: StrictBool = False
    ensembles: Literal["common space", "origin", "one file"] = "common space"

    @model_validator(mode="after")
    def _declarable(self) -> Self:
        able = DECLARABLE.get(self.kind, UP_AXES)
        if self.up not in able:
            raise ValueError(f"{self.kind} cannot say that {self.up} is up; take one of {', '.join(able)}")
        if self.ensembles == "one file" and self.kind not in SEVERAL_FIGURES:
            raise ValueError(
                f"{self.kind} holds one figure; take {' or '.join(SEVERAL_FIGURES)} for ensembles in one file"
            )
        return self


DELIVERY_SETTINGS = TypeAdapter(DeliverySettings)


def settings_from_json(tree: Mapping[str, Any]) -> DeliverySettings:
    """Read them from plain data. Raises :class:`BadInput` with one sentence for whatever cannot be meant."""
    try:
        return read(DELIVERY_SETTINGS, tree, "option")
    except ValueError as problem:
        raise BadInput(f"Delivery: {problem}.") from None


def to_json(settings: DeliverySettings) -> dict[str, Any]:
    """As plain data, as :func:`settings_from_json` reads it."""
    return asdict(settings)
