"""Results of castings: everybody's motion and that of the props, made, kept, read again."""

import time
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np

from armuto import formats
from armuto.choices import SEVERAL_FIGURES
from armuto.constraints.root_bone import rooted, wants_root
from armuto.ensembles.casting import Stage
from armuto.ensembles.files import in_one_file, prop_file
from armuto.ensembles.findings import THRESHOLDS, find_in_ensemble
from armuto.ensembles.measures import measure_ensemble
from armuto.ensembles.model import Shape
from armuto.ensembles.pipeline import EnsembleResult, on_stage
from armuto.ensembles.prop_motion import PropMotion
from armuto.errors import BadInput
from armuto.formats import AS_USUAL, Form
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.quality import findings as quality
from armuto.quality.findings import grade, rank
from armuto.retarget.fitting import Fitting
from studio.ensembles import queries
from studio.ensembles.models import Casting, Role
from studio.fittings.models import FittingState
from studio.fittings.services.clip_exceptions import of_clip
from studio.library import arrays
from studio.renditions.models import CastingResult, PerformerMotion, Rendition, Revision
from studio.renditions.results import Made, Stopped, fitting_record_value, motion_of, packed_motion


def compute(row: Rendition, reached: Callable[[float], bool]) -> Made:
    """What a casting does now, not yet kept. As :func:`studio.renditions.results.compute`."""
    casting = row.casting
    assert casting is not None
    begun = time.perf_counter()
    digest, cast = queries.digest_of_casting(casting), _cast(casting)

    def report(share: float) -> None:
        if not reached(share * 0.9):
            raise Stopped

    result = queries.perform(casting, report)
    measures = measure_ensemble(result)
    found = find_in_ensemble(result, measures)
    made = Revision(
        rendition=row,
        casting_digest=digest,
        clip_revision=0,
        character_revision=0,
        fitting_step=0,
        grade=grade(found),
        findings=[asdict(finding) for finding in found],
        rank=rank(found, {**quality.THRESHOLDS, **THRESHOLDS}),
        frames=result.recording.frames,
        fps=result.recording.fps,
        seconds=time.perf_counter() - begun,
    )
    about = CastingResult(
        stage={
            "turn": result.stage.turn.tolist(),
            "shift": result.stage.shift.tolist(),
            "size": float(result.stage.size),
        },
        first=result.recording.first,
        props=_props(result),
        tracks=b"".join(arrays.packed(rows) for rows in queries.prop_rows(result.props)),
        measures=queries.measures_as_json(result, measures),
    )
    motions = [
        PerformerMotion(
            performer=role.performer,
            character=role.character,
            skeleton_id=role.character.skeleton_id,
            fitting_digest=state.digest,
            exceptions=of_clip(state, role.performer.clip_id),
            **packed_motion(result.clips[role.performer.name]),
        )
        for role, state in cast
    ]
    return Made(made, [about, *motions], [state for _, state in cast])


def _cast(casting: Casting) -> list[tuple[Role, FittingState]]:
    """Who plays, through which fittings as they are now. Raises :class:`BadInput` where one pairs nothing."""
    out = []
    for role in casting.roles.select_related("performer__clip__skeleton", "character__skeleton"):
        fitting = queries.fitting_of(role)
        if fitting is None or fitting.state is None:
            raise BadInput(
                f"{casting.ensemble.name}: {role.character.name} has no pairs with “{role.performer.name}”; pair them "
                "in a fitting."
            )
        out.append((role, fitting.state))
    return out


def _props(result: EnsembleResult) -> list[dict[str, Any]]:
    return [
        {
            "name": prop.name,
            "size": result.sizes[prop.name],
            "shapes": [asdict(shape) for shape in prop.shapes],
        }
        for prop in result.recording.ensemble.props
    ]


def performer_clip(row: PerformerMotion, revision: Revision) -> Clip:
    """What somebody does in a revision, in the common space, on the skeleton it was made on."""
    return arrays.clip_value(row.performer.clip.name, row.skeleton.value(), revision.fps, revision.frames, row)


def performer_fitting(row: PerformerMotion) -> Fitting:
    """The fitting that somebody's part was made through, as it was then."""
    source = row.performer.clip.skeleton.value()
    return fitting_record_value(row.fitting_digest, row.exceptions, row.character, source, row.skeleton.value())


def prop_motions(about: CastingResult, frames: int) -> dict[str, PropMotion]:
    """How the props of a revision move, by name."""
    rows = arrays.unpacked(bytes(about.tracks), len(about.props), frames, 7)
    return {prop["name"]: PropMotion(row[:, :3], row[:, 3:]) for prop, row in zip(about.props, rows, strict=True)}


def prop_shapes(prop: dict[str, Any]) -> list[Shape]:
    return [Shape(**shape) for shape in prop["shapes"]]


def source_blocks(revision: Revision) -> list[FloatArray]:
    """The recording as it lies on the stage of a revision: of each performer the places of joints and end sites
    ``(frames, points, 3)``, then of each prop its position and rotation ``(frames, 7)``.

    Raises :class:`BadInput` where the ensemble is of other frames by now.
    """
    about, casting = revision.casting_result, revision.rendition.casting
    assert casting is not None
    recording = queries.recording_of(casting.ensemble)
    if (recording.first, recording.frames) != (about.first, revision.frames):
        raise BadInput(f"{casting.ensemble.name}: it is of other frames since; bring the casting up to date first.")
    stage = Stage(np.array(about.stage["turn"]), np.array(about.stage["shift"]), about.stage["size"])
    worlds = [clip.world() for clip in recording.clips.values()]
    places = [np.concatenate([world.positions, world.ends], axis=1) for world in worlds]
    props = {name: on_stage(motion, stage, stage.size) for name, motion in recording.props.items()}
    return [stage.direction(block * stage.size) + stage.shift for block in places] + queries.prop_rows(props)


def performers_of(revision: Revision) -> list[PerformerMotion]:
    related = ("performer__clip__skeleton", "character__skeleton", "skeleton")
    return list(revision.performers.select_related(*related))


def motions_of(revision: Revision) -> list[Clip]:
    """The motion of a revision, or of everybody in it."""
    if not revision.casting_digest:
        return [motion_of(revision)]
    return [performer_clip(row, revision) for row in performers_of(revision)]


def file_of(revision: Revision, kind: str, form: Form = AS_USUAL) -> bytes:
    """Everybody and everything of a revision in one file. Raises :class:`BadInput` for a kind that holds but one."""
    ensemble = revision.rendition.title
    if kind not in SEVERAL_FIGURES:
        return in_one_file(ensemble, {}, kind)
    files = {
        row.performer.name: formats.write([delivered_clip(row, revision)], row.character.document(), kind, form=form)
        for row in performers_of(revision)
    }
    return in_one_file(ensemble, files | prop_files(revision, kind, form), kind)


def delivered_clip(row: PerformerMotion, revision: Revision) -> Clip:
    """What somebody does as it leaves the house: on a root bone where the fitting wants one."""
    clip, fitting = performer_clip(row, revision), performer_fitting(row)
    return rooted(clip, fitting) if wants_root(fitting) else clip


def prop_files(revision: Revision, kind: str, form: Form = AS_USUAL, fps: float | None = None) -> dict[str, bytes]:
    """The props of a revision as files by their names. fps: frames a second, the revision's own without."""
    about, out = revision.casting_result, {}
    motions = prop_motions(about, revision.frames)
    for prop in about.props:
        motion = motions[prop["name"]].resampled(revision.fps, fps or revision.fps)
        shapes = prop_shapes(prop)
        out[prop["name"]] = prop_file(prop["name"], shapes, motion, fps or revision.fps, prop["size"], kind, form)
    return out
