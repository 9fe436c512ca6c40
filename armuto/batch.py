"""A batch from a file: clips × characters, over all cores, resumable, with the manifest that deliveries have."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Any

from pydantic import BaseModel, Field, TypeAdapter

from armuto import __version__, formats, refining, touchups
from armuto.errors import BadInput
from armuto.export import package
from armuto.export import settings as delivery_settings
from armuto.export.package import Result
from armuto.export.settings import DeliverySettings
from armuto.formats import Document
from armuto.intake import naming
from armuto.pipeline import retarget
from armuto.quality.findings import find, grade
from armuto.refining import Refined
from armuto.retarget import fitting, fitting_file
from armuto.retarget.fitting import Fitting
from armuto.touchups import Layers
from armuto.touchups.applying import TouchUps
from armuto.validation import STRICT, read

DONE = ".armuto-batch"  # folder in the output, with what is done
USUAL = naming.Rule((naming.Field("character"), naming.Word(" "), naming.Field("original")))


Files = Annotated[list[str], Field(min_length=1)]


class FittingChoice(BaseModel):
    """A fitting's file, for which character, and for which clips where not for all; each by a pattern of file names."""

    model_config = STRICT

    character: str
    file: str
    clips: str = "*"


class RecipeChoice(BaseModel):
    """A recipe's file, and for which clips, by a pattern of file names."""

    model_config = STRICT

    file: str
    clips: str = "*"


class TouchUpChoice(BaseModel):
    """A file with layers of touch-ups, for which characters and clips, by patterns of file names."""

    model_config = STRICT

    file: str
    character: str = "*"
    clips: str = "*"


class BatchPlan(BaseModel):
    """The JSON form of a plan (docs/cli.md). Paths and patterns are meant from its own folder."""

    model_config = STRICT

    clips: Files
    characters: Files
    fittings: list[FittingChoice] = []
    recipes: list[RecipeChoice] = []
    touchups: list[TouchUpChoice] = []
    wanted: DeliverySettings = DeliverySettings()
    rule: dict[str, Any] | None = None
    out: str = "out"


BATCH_PLAN = TypeAdapter(BatchPlan)


@dataclass(frozen=True)
class Job:
    """One file to write: where to, for whom, and the clips in it, each by its file, its number there and its name; with
    the fitting and the recipe of each where the plan names any."""

    output: Path
    character: Path
    clips: tuple[tuple[Path, int, str], ...]
    fittings: tuple[Path | None, ...]
    recipes: tuple[Path | None, ...]
    touchups: tuple[Path | None, ...]
    wanted: DeliverySettings


@dataclass(frozen=True)
class Outcome:
    """What became of a job: rows of the manifest, or a sentence. skipped: it was done already."""

    output: Path
    rows: tuple[dict[str, Any], ...] = ()
    sentence: str = ""
    skipped: bool = False


def jobs(plan: Path) -> list[Job]:
    """Read a plan (docs/cli.md). Paths in it are meant from its own folder. Raises :class:`BadInput` for a wrong
    one."""
    try:
        tree = json.loads(plan.read_bytes())
    except OSError as problem:
        raise BadInput(f"{plan}: cannot be opened ({problem.strerror}); check the name.") from None
    except ValueError as problem:
        raise BadInput(f"{plan}: it is not JSON ({problem}).") from None
    try:
        read_plan = read(BATCH_PLAN, tree, "field")
        rule = USUAL if read_plan.rule is None else naming.from_json(read_plan.rule)
    except (ValueError, TypeError, AttributeError) as problem:
        raise BadInput(f"{plan}: {problem}; see the form of a plan in docs/cli.md.") from None
    home, settings = plan.resolve().parent, read_plan.wanted
    clips, characters = (_listed(plan, home, patterns) for patterns in (read_plan.clips, read_plan.characters))
    fits = [_fitting_row(plan, home, row) for row in read_plan.fittings]
    recipes = [(row.clips, _recipe_file(plan, home, row.file)) for row in read_plan.recipes]
    layers = [(row.character, row.clips, _layers_file(plan, home, row.file)) for row in read_plan.touchups]
    out = home / read_plan.out
    members = [(character, *member) for character in characters for path in clips for member in _members(path)]
    names = package.file_names(
        settings, rule, [(character.stem, naming.facts(name, name)) for character, _, _, name in members]
    )
    grouped: dict[tuple[str, Path], list[tuple[Path, int, str]]] = {}
    for (character, path, number, name), file in zip(members, names, strict=True):
        grouped.setdefault((file, character), []).append((path, number, name))
    return [
        Job(
            out / file,
            character,
            tuple(rows),
            tuple(_fits(fits, character, path) for path, _, _ in rows),
            tuple(_recipe_of(recipes, path) for path, _, _ in rows),
            tuple(_fits(layers, character, path) for path, _, _ in rows),
            settings,
        )
        for (file, character), rows in grouped.items()
    ]


def _listed(plan: Path, home: Path, patterns: Sequence[str]) -> list[Path]:
    out: list[Path] = []
    for pattern in patterns:
        found = sorted(home.glob(pattern)) if not Path(pattern).is_absolute() else [Path(pattern)]
        if not found or not found[0].exists():
            raise BadInput(f"{plan}: no file is called “{pattern}”; paths are meant from the plan's own folder.")
        out += found
    return list(dict.fromkeys(out))


def _fitting_row(plan: Path, home: Path, row: FittingChoice) -> tuple[str, str, Path]:
    file = home / row.file
    if not file.is_file():
        raise BadInput(f"{plan}: there is no fitting “{row.file}”; write one with “armuto fit”.")
    return row.character, row.clips, file


def _fits(rows: Sequence[tuple[str, str, Path]], character: Path, clip: Path) -> Path | None:
    """The file that the plan names for a clip on a character: the last one that matches."""
    for who, which, file in reversed(rows):
        if character.match(who) and clip.match(which):
            return file
    return None


def _recipe_file(plan: Path, home: Path, name: str) -> Path:
    file = home / name
    if not file.is_file():
        raise BadInput(f"{plan}: there is no recipe “{name}”; paths are meant from the plan's own folder.")
    refining.from_file(file.read_bytes(), str(file))
    return file


def _layers_file(plan: Path, home: Path, name: str) -> Path:
    file = home / name
    if not file.is_file():
        raise BadInput(f"{plan}: there are no touch-ups “{name}”; paths are meant from the plan's own folder.")
    touchups.from_file(file.read_bytes(), str(file))
    return file


def _recipe_of(rows: Sequence[tuple[str, Path]], clip: Path) -> Path | None:
    """The recipe that the plan names for a clip: the last one that matches."""
    return next((file for which, file in reversed(rows) if clip.match(which)), None)


def _members(path: Path) -> Iterator[tuple[Path, int, str]]:
    """The clips of a file. One that cannot be read has one, which will say why."""
    try:
        clips = _read(path).clips
    except BadInput:
        yield path, 0, path.stem
        return
    for number, clip in enumerate(clips):
        yield path, number, path.stem if len(clips) == 1 else f"{path.stem} {clip.name}"


@lru_cache(maxsize=8)
def _read(path: Path) -> Document:
    return formats.read(path.read_bytes(), str(path))


@lru_cache(maxsize=8)
def _refined(path: Path, number: int, recipe: Path | None) -> Refined:
    """A clip of a file, as a recipe has it."""
    document = _read(path)
    if not document.clips:
        raise BadInput(f"{path}: there is no motion in it; name files with at least one clip.")
    clip = document.clips[number]
    if recipe is None:
        return Refined.of_take(clip)
    try:
        return refining.from_file(recipe.read_bytes(), str(recipe)).refine(clip, document.parts)
    except BadInput as problem:
        raise BadInput(f"{path}: {problem}") from None


@lru_cache(maxsize=8)
def _fitted(source: Path, character: Path, fitting_path: Path | None) -> Fitting:
    clip, figure = _read(source), _read(character)
    if fitting_path is not None:
        return fitting_file.from_json(
            fitting_path.read_bytes(), str(fitting_path), clip.skeleton, figure.skeleton, figure.capsules
        )
    try:
        made = fitting.fit(clip.skeleton, figure.skeleton, clip.parts, figure.parts)
    except fitting.NothingToPair as problem:
        raise BadInput(f"{character}: does not fit {source}: {problem}; check the bone names of both.") from None
    return replace(made, capsules=figure.capsules)


def run(
    todo: Sequence[Job], workers: int | None = None, report: Callable[[Outcome, int], None] | None = None
) -> list[Outcome]:
    """Do jobs over several processes, all cores where workers is not given. What was done before of the same is left.

    report: called after each job with its outcome and how many are through. A job that fails does not stop the others.
    """
    outcomes: dict[Path, Outcome] = {}

    def through(outcome: Outcome) -> None:
        outcomes[outcome.output] = outcome
        if report:
            report(outcome, len(outcomes))

    left = []
    for job in todo:
        done = _done_before(job)
        if done:
            through(done)
        else:
            left.append(job)
    if left:
        count = max(1, min(workers or os.cpu_count() or 1, len(left)))
        with ProcessPoolExecutor(count) as pool:
            try:
                for future in as_completed([pool.submit(do, job) for job in left]):
                    through(future.result())
            except KeyboardInterrupt:
                pool.shutdown(wait=False, cancel_futures=True)
                raise
    return [outcomes[job.output] for job in todo]


def do(job: Job) -> Outcome:
    """Transfer the clips of a job and write its file, whole or not at all."""
    try:
        results = [
            _performed(job, path, number, name, *chosen)
            for (path, number, name), *chosen in zip(job.clips, job.fittings, job.recipes, job.touchups, strict=True)
        ]
        (file,) = package.pack([(job.output.name, result) for result in results], job.wanted)
        _write(job.output, file.content)
        row = {"state": _state(job), "rows": list(file.rows)}
        _write(_mark(job), json.dumps(row).encode())
        return Outcome(job.output, file.rows)
    except BadInput as problem:
        return Outcome(job.output, sentence=str(problem))
    except OSError as problem:
        return Outcome(job.output, sentence=f"{problem.filename or job.output}: {problem.strerror}.")


def _performed(
    job: Job,
    path: Path,
    number: int,
    name: str,
    fitting_path: Path | None,
    recipe: Path | None,
    layers_path: Path | None,
) -> Result:
    refined, figure = _refined(path, number, recipe), _read(job.character)
    clip = refined.clip
    fits = _fitted(path, job.character, fitting_path)
    layers = touchups.from_file(layers_path.read_bytes(), str(layers_path)) if layers_path else Layers()
    fps = _read(path).clips[number].fps
    done = retarget(clip, fits, touchups=TouchUps.of_refined(layers, refined, fps))
    found = find(clip, done.clip, fits, done.contacts, done.trace)
    about = {
        "clip_name": name,
        "source": path.name,
        "fitting": fitting_path.name if fitting_path else None,
        "recipe": recipe.name if recipe else None,
        "touchups": layers_path.name if layers_path else None,
        "grade": grade(found),
        "findings": [
            {key: value for key, value in asdict(outcome).items() if key in ("text", "frames", "grade")}
            for outcome in found
        ],
    }
    return Result(job.character.stem, name, done.clip, fits, job.character.stem, figure, about)


def _state(job: Job) -> str:
    """Hash of everything a file is made from, to know it again."""
    digest = hashlib.sha256(
        json.dumps([__version__, delivery_settings.to_json(job.wanted), [row[1:] for row in job.clips]]).encode()
    )
    for path in (
        job.character,
        *(row[0] for row in job.clips),
        *filter(None, (*job.fittings, *job.recipes, *job.touchups)),
    ):
        digest.update(hashlib.sha256(path.read_bytes()).digest())
    return digest.hexdigest()


def _mark(job: Job) -> Path:
    return job.output.parent / DONE / f"{job.output.name}.json"


def _done_before(job: Job) -> Outcome | None:
    try:
        tree = json.loads(_mark(job).read_bytes())
        same = hashlib.sha256(job.output.read_bytes()).hexdigest() == tree["rows"][0]["sha256"]
        return Outcome(job.output, tuple(tree["rows"]), skipped=True) if same and tree["state"] == _state(job) else None
    except (OSError, ValueError, KeyError, IndexError, TypeError):
        return None


def _write(path: Path, content: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    part.write_bytes(content)
    part.replace(path)


def manifest(outcomes: Sequence[Outcome], settings: DeliverySettings, name: str) -> dict[str, Any]:
    """The manifest of a batch: that of a delivery, and what failed."""
    rows = [row for outcome in outcomes for row in outcome.rows]
    failed = [{"file": outcome.output.name, "sentence": outcome.sentence} for outcome in outcomes if outcome.sentence]
    return package.manifest(rows, settings, name=name, armuto=__version__) | {"failed": failed}
