"""The intake over HTTP: files in, rows to look at and change, plates, names by the rule, acceptance."""

from typing import Any, Literal

from django.db import transaction
from django.db.models import Count, Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, Status
from ninja.files import UploadedFile

from armuto.choices import UNITS, UP_AXES
from armuto.errors import BadInput
from armuto.formats.bounds import LONGEST_NAME
from armuto.intake import naming
from armuto.refining import to_json
from studio.cast.models import Character
from studio.contents.models import Content
from studio.contents.services import store
from studio.ingest.models import IntakeFile, IntakeRow, NamingRule
from studio.ingest.schemas import (
    Brought,
    FigureOut,
    FileChange,
    FileOut,
    Reading,
    Refusal,
    RowOut,
    RowsChange,
    RuleIn,
    RuleOut,
    Summary,
    Telling,
    Wanted,
)
from studio.ingest.services import companions
from studio.ingest.services.acceptance import begin, names_for, skeletons_called
from studio.ingest.services.staging import document_of, lay_out, skeleton_names
from studio.ingest.services.together import forget_lonely
from studio.ingest.tasks import accept_file, propose_refining, read_file
from studio.library.models import Clip
from studio.library.schemas import PlateOut
from studio.library.services import check_range, floor_said, parse_recipe
from studio.platform import leases, reader
from studio.platform.compression import compressed_once
from studio.platform.fields import Id
from studio.platform.uploads import file_path, received

router = Router(tags=["intake"])
State = IntakeFile.State
AT_ONCE = 4  # files that are read again within the request


@router.post("files", response={201: Brought, 413: Refusal}, operation_id="intake_files")
def bring(
    request: HttpRequest,
    files: File[list[UploadedFile]],
    paths: Form[list[str]] = [],  # noqa: B006
    goes_to: Form[Literal["auto", "library", "cast"]] = "auto",
) -> Status[Any]:
    """Lay files out for a decision. They are read by the worker; paths: where each lay in its folder.

    Files that name others which came with them, as a mesh its materials, become an archive with these. Of several
    files, one that cannot be taken lies there with its sentence, and the others are read; one alone is refused.
    """
    contents: list[tuple[str, bytes]] = []
    rows: list[tuple[int, str, Content | None, str]] = []  # place in the request, path, content, and why there is none
    places: dict[str, int] = {}
    for number, file in enumerate(files):
        try:
            name, data = received(file)
            path = file_path(paths[number] if number < len(paths) else name)
            contents.append((path, data))
            places.setdefault(path, number)
        except BadInput as problem:
            if len(files) == 1:
                raise
            rows.append((number, (file.name or "file")[-LONGEST_NAME:], None, str(problem)))
    for path, data in companions.packed(contents):
        rows.append((places.get(path, len(files)), path, store(data), ""))
    ids, readable = [], []
    with transaction.atomic():
        for _, path, content, sentence in sorted(rows, key=lambda row: row[0]):
            state = State.WAITING if content is not None else State.REFUSED
            row = IntakeFile.objects.create(path=path, content=content, goes_to=goes_to, state=state, sentence=sentence)
            ids.append(row.pk)
            if content is not None:
                readable.append(row.pk)
    for pk in readable:
        read_file.enqueue(pk)
    return Status(201, {"ids": ids})


@router.post("clips/{clip_id}", response={201: Brought}, operation_id="read_clip_again")
def read_again(request: HttpRequest, clip_id: Id, payload: Reading) -> Status[Any]:
    """Lay the file that a clip came from out once more, read with another up axis, unit or facing; the clip itself
    stays."""
    clip = get_object_or_404(Clip.objects.select_related("take__content"), pk=clip_id)
    changes = {key: value for key, value in payload.dict().items() if value not in (None, "detect")}
    _checked(changes)
    row = IntakeFile.objects.create(path=clip.take.name, content=clip.take.content, goes_to="library", told=changes)
    read_file.enqueue(row.pk)
    return Status(201, {"ids": [row.pk]})


def _checked(given: dict[str, Any]) -> None:
    """Raises :class:`BadInput` for a unit or an axis that there is not, and for a unit with a height."""
    if given.get("unit") is not None and given.get("height") is not None:
        raise BadInput("A unit and a height say the same thing; say one of them.")
    if given.get("unit") not in (None, "detect", *UNITS):
        raise BadInput(f"{given['unit']}: there is no such unit; take one of {', '.join(UNITS)}.")
    if given.get("up") not in (None, "detect", *UP_AXES):
        raise BadInput(f"{given['up']}: there is no such axis; take one of {', '.join(UP_AXES)}.")


@router.get("", response=Summary, operation_id="get_intake")
def summary(request: HttpRequest) -> Any:
    """How many files wait, are being read, accepted or refused; and the ids of all rows and files."""
    counts = IntakeFile.objects.aggregate(
        reading=Count("id", filter=Q(state__in=[State.WAITING, State.READING])),
        ready=Count("id", filter=Q(state=State.READY)),
        accepting=Count("id", filter=Q(state=State.ACCEPTING)),
        refused=Count("id", filter=Q(state=State.REFUSED)),
    )
    return counts | {
        "measuring": IntakeRow.laid_out.filter(proposals__isnull=True, file__state=State.READY).count(),
        "rows": list(IntakeRow.laid_out.values_list("pk", flat=True)),
        "files": list(IntakeFile.objects.values_list("pk", flat=True)),
    }


@router.get("files", response=list[FileOut], operation_id="list_intake_files")
def list_files(request: HttpRequest) -> Any:
    """The files that wait in the intake, with what was detected of them and what was said instead."""
    return IntakeFile.objects.select_related("together")


@router.get("rows", response=list[RowOut], operation_id="list_intake_rows")
def list_rows(request: HttpRequest, after: int = 0) -> Any:
    """The clips that wait in the intake, with what was found in each."""
    return rows_out(IntakeRow.laid_out.filter(pk__gt=after))


def rows_out(rows: Any) -> list[dict[str, Any]]:
    rows = list(rows.select_related("file").defer("plate"))
    known = skeleton_names({row.identity for row in rows})
    called = skeletons_called({row.identity for row in rows})
    contents = {row.content for row in rows}
    twins = dict(Clip.objects.filter(content__in=contents).values_list("content", "name"))
    seen: dict[str, IntakeRow] = {}
    for row in IntakeRow.objects.filter(content__in=contents).select_related("file").defer("plate"):
        seen.setdefault(row.content, row)
    named: dict[str, list[tuple[int, str]]] = {}
    for pk, name, identity in Clip.objects.filter(skeleton__identity__in=known).values_list(
        "pk", "name", "skeleton__identity"
    ):
        named.setdefault(identity, []).append((pk, name))
    out = []
    for row in rows:
        skeleton = called[row.identity]
        facts = row.facts(skeleton)
        first = seen.get(row.content)
        twin = twins.get(row.content) or (first.file.path if first and first.pk != row.pk else "")
        alike = {facts.original.casefold(), row.name.casefold()} - {""}
        out.append(
            {
                key: getattr(row, key)
                for key in ("file_id", "clip", "ticked", "name", "fields", "frames", "fps", "first", "last", "floor")
            }
            | {key: getattr(row, key) for key in ("found", "proposals", "recipe", "identity", "becomes_id", "revision")}
            | {
                "id": row.pk,
                "facts": facts.__dict__,
                "skeleton": skeleton,
                "known": row.identity in known,
                "twin": twin,
                "could_become": [pk for pk, name in named.get(row.identity, []) if name.casefold() in alike],
            }
        )
    return out


@router.patch("rows", response=list[RowOut], operation_id="change_intake_rows")
def change_rows(request: HttpRequest, payload: RowsChange) -> Any:
    """Change what is given in some rows: tick, name, range, floor, fields of the rule, the clip it is a version of."""
    rows = IntakeRow.objects.filter(pk__in=payload.ids).defer("plate")
    given = payload.dict(exclude_unset=True)
    if given.get("recipe") is not None:
        given["recipe"] = to_json(parse_recipe("The intake", given["recipe"]))
    if unknown := set(given.get("fields") or {}) - set(naming.FIELDS):
        raise BadInput(f"{min(unknown)}: there is no such naming field; take one of {', '.join(naming.FIELDS)}.")
    with transaction.atomic():
        for row in rows:
            if given.get("ticked") is not None:
                row.ticked = given["ticked"]
            if given.get("name") is not None:
                row.name = " ".join(given["name"].split())[:255]
            if given.get("range"):
                row.first = row.found.get("calibration", 0) if given["range"] == "proposed" else 0
                row.last = row.frames - 1
            first, last = given.get("first", row.first), given.get("last", row.last)
            check_range(row.clip, first, last, row.frames)
            row.first, row.last = first, last
            for key, value in (given.get("fields") or {}).items():
                if value is None:
                    row.fields.pop(key, None)
                else:
                    row.fields[key] = value[:80]
            if "floor" in given:
                measured = given["floor"] in (None, "measured")
                row.floor = None if measured else floor_said(row.clip, given["floor"])
            if given.get("recipe") is not None:
                row.recipe = given["recipe"]
            if "becomes_id" in given:
                clip = Clip.objects.filter(pk=given["becomes_id"]).select_related("skeleton").first()
                if clip and clip.skeleton.identity != row.identity:
                    raise BadInput(
                        f"{row.clip}: “{clip.name}” is on another skeleton; bring it in as a clip of its own."
                    )
                row.becomes = clip
                row.ticked = row.ticked or clip is not None
            row.save()
    return rows_out(IntakeRow.objects.filter(pk__in=payload.ids))


@router.get("rows/{row_id}/plate", response=PlateOut | None, operation_id="get_intake_plate")
def get_plate(request: HttpRequest, row_id: Id) -> Any:
    """The plate of a row's whole take; null where it has just been accepted or dismissed."""
    row = IntakeRow.objects.filter(pk=row_id).first()
    return row.plate if row else None


@router.post("tell", response=list[FileOut], operation_id="tell_intake")
def tell(request: HttpRequest, changes: Telling) -> Any:
    """Overrule what was detected. A few files are read again at once, many by the worker."""
    given = changes.dict(exclude_unset=True, exclude={"files"})
    _checked(given)
    # Of a file that was refused unread there is nothing to read in another way.
    readable = IntakeFile.objects.filter(content__isnull=False)
    rows = list(readable.filter(pk__in=changes.files).exclude(state=State.ACCEPTING))
    for row in rows:
        if given.get("unit") is not None or given.get("height") is not None:
            row.told = {key: value for key, value in row.told.items() if key not in ("unit", "height")}
        for key, value in given.items():
            if value in (None, "detect", 0, False):
                row.told.pop(key, None)
            else:
                row.told[key] = value
        row.state, row.attempts = State.WAITING, 0
        row.save()
    if len(rows) <= AT_ONCE:
        for row in rows:
            try:
                lay_out(row)
                propose_refining.enqueue(row.pk)
            except BadInput as problem:
                IntakeFile.objects.filter(pk=row.pk).update(state=State.REFUSED, sentence=str(problem))
    else:
        for row in rows:
            read_file.enqueue(row.pk)
    return IntakeFile.objects.select_related("together").filter(pk__in=changes.files)


@router.patch("files/{file_id}", response=FileOut, operation_id="change_intake_file")
def change_file(request: HttpRequest, file_id: Id, payload: FileChange) -> Any:
    """A character's name, or of which character it is a new version."""
    row = get_object_or_404(IntakeFile, pk=file_id)
    given = payload.dict(exclude_unset=True)
    if "name" in given:
        row.name = " ".join((given["name"] or "").split())[:255]
    if "becomes_id" in given:
        row.becomes = Character.objects.filter(pk=given["becomes_id"]).first()
    row.save()
    return row


@router.get("files/{file_id}/display", operation_id="get_intake_display", response={200: None, 204: None})
def display(request: HttpRequest, file_id: Id) -> HttpResponse:
    """One self-contained .glb of a character that waits for a decision; nothing where it has just been decided on."""
    row = IntakeFile.objects.filter(pk=file_id, content__isnull=False).select_related("content").first()
    if row is None:
        return HttpResponse(status=204)
    document = document_of(row)
    if document.display is None:
        raise BadInput(f"{row.path}: there is no figure in it to show.")
    response = compressed_once(request, reader.display_copy(document.display, row.path), "model/gltf-binary")
    response["Cache-Control"] = "no-store"
    return response


@router.get("files/{file_id}/figure", response=FigureOut | None, operation_id="get_intake_figure")
def figure(request: HttpRequest, file_id: Id) -> Any:
    """A waiting figure without its mesh; null where it has just been accepted or dismissed."""
    row = IntakeFile.objects.filter(pk=file_id, content__isnull=False).select_related("content").first()
    if row is None:
        return None
    document = document_of(row)
    tree, frame = document.skeleton, document.skeleton.file_frame
    part = {bone.joint: name for name, bones in document.parts.items() for bone in bones}
    return {
        "names": list(tree.names),
        "parents": tree.parents.tolist(),
        "parts": [part.get(joint) for joint in range(len(tree))],
        "ends": tree.end_parents.tolist(),
        "nodes": list(document.rig.nodes) if document.rig else [],
        "space": {"unit": frame.unit, "turn": list(frame.turn)},
        "bounds": [] if document.bounds is None else document.bounds.tolist(),
        "height": document.height,
    }


@router.get("rule", response=RuleOut, operation_id="get_naming_rule")
def get_rule(request: HttpRequest) -> Any:
    """The rule that clips are named by at intake."""
    return naming.to_json(NamingRule.at("intake")) | {"fields": list(naming.FIELDS), "styles": list(naming.STYLES)}


@router.put("rule", response=RuleOut, operation_id="set_naming_rule")
def put_rule(request: HttpRequest, rule: RuleIn) -> Any:
    """Another rule to name clips by at intake."""
    try:
        made = naming.from_json(rule.dict())
    except ValueError as problem:
        raise BadInput(f"Naming rule: {problem}.") from None
    NamingRule.objects.update_or_create(place="intake", defaults={"rule": naming.to_json(made)})
    return get_rule(request)


@router.get("names", response=dict[int, str], operation_id="get_intake_names")
def get_names(request: HttpRequest) -> Any:
    """The name that every ticked row will have."""
    return names_for(IntakeRow.objects.select_related("file", "becomes").defer("plate"))


@router.post("accept", response=Brought, operation_id="accept_intake")
def accept(request: HttpRequest, payload: Wanted) -> dict[str, Any]:
    """Take the files in, one transaction each, in the worker."""
    files = IntakeFile.objects.filter(state__in=[State.READY, State.REFUSED])
    ids = begin(files if payload.files is None else files.filter(pk__in=payload.files))
    for pk in ids:
        accept_file.enqueue(pk)
    return {"ids": ids}


@router.post("stop", response=Summary, operation_id="stop_intake")
def stop(request: HttpRequest) -> Any:
    """Stop accepting. What is in stays in; the rest goes back to waiting for a decision."""
    IntakeFile.objects.filter(state=State.ACCEPTING).update(state=State.READY, **leases.RELEASED)
    return summary(request)


@router.post("dismiss", response=Summary, operation_id="dismiss_intake")
def dismiss(request: HttpRequest, payload: Wanted) -> Any:
    """Take files out of the intake; nothing of them is kept."""
    files = IntakeFile.objects.exclude(state=State.ACCEPTING)
    (files if payload.files is None else files.filter(pk__in=payload.files)).delete()
    forget_lonely()
    return summary(request)
