"""What the API of rigs takes and answers. Lengths are metres with +Y up."""

from typing import Literal

from ninja import Schema

from studio.platform.described import described

PoseName = Literal["bound", "standing"]
BodyPlanName = Literal["two-legged", "four-legged", "winged"]


class RigLandmark(Schema):
    """confidence: 0 to 1 of a proposal; null where a person has set it."""

    at: list[float]
    confidence: float | None = None


class RigOptions(Schema):
    """How many bones of a kind there are."""

    spine: int
    neck: int
    tail: int
    twists: int
    toes: bool
    root: bool


class RigCorrection(Schema):
    """A region of the surface that follows a bone more or less than was found. amount: -1 to 1."""

    bone: str
    at: list[float]
    radius: float
    amount: float
    mirrored: bool


class RigNaming(Schema):
    """What bones are called in the file: names by the part of the body, as a pattern has them."""

    pattern: str
    parts: dict[str, list[str]]


class RigMove(Schema):
    """How a piece is turned about a place and then moved. offset, pivot: in metres; turn: the axis, as long as the
    angle in degrees."""

    offset: list[float]
    turn: list[float]
    pivot: list[float]


class RigDefinitionData(Schema):
    """What is decided about the bones of a mesh (:class:`armuto.rigging.definition.RigDefinition`)."""

    plan: BodyPlanName
    landmarks: dict[str, RigLandmark]
    origin: list[float]
    side: list[float]
    ahead: list[float]
    options: RigOptions
    omitted: list[int]
    follows: dict[str, str | None]
    softness: dict[str, float]
    corrections: list[RigCorrection]
    pose: PoseName
    moves: dict[str, RigMove]
    unit: float | None
    up: str | None
    naming: RigNaming | None


class RigPiece(Schema):
    number: int
    name: str
    points: int
    middle: list[float]
    size: list[float]


class RigFlaws(Schema):
    holes: int
    doubled: int
    crowded: int
    turned: int


class RigFacts(Schema):
    """What is known of the mesh. nodes: how many its file has, behind which its bones stand. low, high: its corners."""

    points: int
    triangles: int
    pieces: list[RigPiece]
    flaws: RigFlaws
    low: list[float]
    high: list[float]
    unit: float
    up: str
    turn: list[float]
    evidence: list[str]
    nodes: int


class RigSkeleton(Schema):
    """The bones that landmarks make: world places of the joints, then of end sites, whose parents are in ends.
    names_in_file: what they are called where they are fetched and in the line-up."""

    names: list[str]
    names_in_file: list[str]
    parents: list[int]
    ends: list[int]
    places: list[list[float]]


class RigOut(Schema):
    """current: whether the character has the bones of this definition. poses: in which the mesh can be. meanings: of
    landmarks, in anatomical words."""

    character_id: int
    name: str
    file: str
    definition: described(RigDefinitionData)  # type: ignore[valid-type]
    facts: described(RigFacts)  # type: ignore[valid-type]
    skeleton: RigSkeleton
    meanings: dict[str, str]
    poses: list[PoseName]
    current: bool
    lock_version: int


class RigChange(Schema):
    definition: described(RigDefinitionData)  # type: ignore[valid-type]


class RigProposalIn(Schema):
    """unit: metres per unit of the file; up: its axis; plan: what kind of body it is. Null for what its size and shape
    say. pose: as it was bound to the bones that it had, or as these stood; null for the one that it is in."""

    unit: float | None = None
    up: str | None = None
    plan: BodyPlanName | None = None
    pose: PoseName | None = None


class RigFingersIn(Schema):
    """count: of each hand; null for as many as its shape shows."""

    definition: described(RigDefinitionData)  # type: ignore[valid-type]
    count: Literal[0, 1, 2, 3, 4, 5] | None = None


class RigMovesIn(Schema):
    """moves: of pieces, by their numbers; one by nothing puts a piece back."""

    definition: described(RigDefinitionData)  # type: ignore[valid-type]
    moves: dict[str, RigMove]


class RigPivot(Schema):
    at: list[float]


class RigProposalOut(Schema):
    definition: described(RigDefinitionData)  # type: ignore[valid-type]


class RigSection(Schema):
    """A cut through the body: segments of two corners each; own: of the outline nearest to the point; middle: of the
    area within that, null where nothing is cut."""

    segments: list[list[list[float]]]
    own: list[bool]
    middle: list[float] | None
    normal: list[float]


class RigProblem(Schema):
    """What is wrong with the binding: points of the wrong side, stretched edges, or volume lost in a bend. at: where it
    is worst, at rest. posture: in which it is seen."""

    kind: str
    bone: str
    value: float
    count: int
    at: list[float]
    posture: str
    sentence: str


class RigBinding(Schema):
    """follows: bones that pieces go along with as they are, by the pieces' numbers. nodes: of the bones in the
    figure's file, in the order of names."""

    problems: list[RigProblem]
    follows: dict[str, str]
    names: list[str]
    parents: list[int]
    nodes: list[int]


class RigProgress(Schema):
    """share: 0 to 1 of a binding, or null where none is under way. doing: what is done now."""

    share: float | None
    doing: str


class RigPosture(Schema):
    name: str
    frame: int


class RigPostures(Schema):
    frames: int
    fps: float
    postures: list[RigPosture]
