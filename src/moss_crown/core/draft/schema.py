"""What a draft says to the browser: the one place that names its members and the columns of its tables.

The front end's types are made from these classes, and it reads the columns' names from `facts.json`.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from typing import Literal, Protocol, TypeAlias, TypedDict, TypeVar, cast

from pydantic import TypeAdapter
from pydantic.json_schema import JsonSchemaValue

from moss_crown.core.deform.rows import AMOUNT, KIND, ROW
from moss_crown.core.look.material import Grain, Images, Surface
from moss_crown.core.look.wear import COLUMNS
from moss_crown.core.motion.clearance import MEETS, OUT, SINKS
from moss_crown.core.motion.poses import SPEEDS
from moss_crown.core.physics.balloons import CHUNK

T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)
Two: TypeAlias = tuple[float, float]
Three: TypeAlias = tuple[float, float, float]
Four: TypeAlias = tuple[float, float, float, float]


class Tables(TypedDict):
    """How wide a table is, or what its columns are."""

    pose: int
    wear: list[str]
    speeds: list[str]
    contacts: dict[str, int]
    bend: dict[str, int]
    way: int
    chunk: int


TABLES: Tables = {
    "pose": 16,
    "wear": list(COLUMNS),
    "speeds": list(SPEEDS),
    "contacts": {"letters": MEETS, "stage": SINKS, "outside": OUT},
    "bend": {"row": ROW, "kind": KIND, "amount": AMOUNT},
    "way": 12,
    "chunk": CHUNK,
}
"""Columns of the tables: numbers of a pose (column by column), what a letter wears, whose
speeds there are, the bits of a contact, how long a row is that bends a letter, with the places of its kind and of
its amount, the numbers of a piece's way (row by row of a 3x4 matrix), and how many frames a chunk of swellings has."""


def three(values: Iterable[float]) -> Three:
    """(3) numbers, as they travel."""
    x, y, z = (float(v) for v in values)
    return x, y, z


def two(values: Iterable[float]) -> Two:
    """(2) numbers, as they travel."""
    x, y = (float(v) for v in values)
    return x, y


class _Made(Protocol[T_co]):
    def __call__(self, **members: object) -> T_co: ...


def grown(kind: type[T], one: Grain | Images | Surface | SeenHead | SeenSpanHead, **more: object) -> T:
    """One of a class that has more members than another: those of `one` as they are, and the others."""
    return cast(_Made[T], kind)(**({member.name: getattr(one, member.name) for member in fields(one)} | more))


@dataclass(frozen=True, slots=True)
class GrainDrawn(Grain):
    """A texture at a frame by the `name` of its pattern, with the way `to` its space (rows of a 4x4 matrix)."""

    name: str = ""
    to: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class ImagesDrawn(Images):
    """Own pictures at a frame, `tall` metres high, with bumps of up to `deep` metres, and the way `to` their space
    (rows of a 4x4 matrix)."""

    tall: float = 1.0
    deep: float = 0.0
    to: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class SurfaceDrawn(Surface):
    """A material at a frame. `grazing` is what a dielectric mirrors at a grazing angle."""

    grain: GrainDrawn | None = None
    images: ImagesDrawn | None = None
    grazing: float = 0.0


@dataclass(frozen=True, slots=True)
class PartSurface(SurfaceDrawn):
    """A surface of a block with the `part` of each letter that it covers: face, edge, or a facet that has its own."""

    part: str = ""


@dataclass(frozen=True, slots=True)
class Wardrobe:
    """What letters of a block wear, and which of it each letter does."""

    dresses: list[list[PartSurface]]
    wears: list[int]


@dataclass(frozen=True, slots=True)
class SheetDrawn:
    """A flat part of the stage by its middle and half edges. Of what `catches` only the shadows on it are seen."""

    surface: SurfaceDrawn
    catches: bool
    centre: Three
    u: Three
    v: Three


@dataclass(frozen=True, slots=True)
class GlobeDrawn:
    """A ball of the stage."""

    surface: SurfaceDrawn
    catches: bool
    centre: Three
    radius: float


@dataclass(frozen=True, slots=True)
class SweptDrawn:
    """A line of heights and depths drawn out across, `half` to each side; normals at the ends of its pieces."""

    surface: SurfaceDrawn
    catches: bool
    line: list[Two]
    normals: list[tuple[Two, Two]]
    half: float


GroundDrawn: TypeAlias = SheetDrawn | GlobeDrawn | SweptDrawn


@dataclass(frozen=True, slots=True)
class HazeDrawn:
    """Haze, or a horizon: see `stage.scene.Haze`."""

    density: float
    colour: Three


@dataclass(frozen=True, slots=True)
class Touches:
    """The blocks whose faces and whose edges a lamp lights, null for all, whether it lights the stage, and whether
    letters and the stage mirror it."""

    face: list[int] | None
    edge: list[int] | None
    stage: bool
    mirrored: tuple[bool, bool] = (True, True)


@dataclass(frozen=True, slots=True)
class LampDrawn:
    """A lamp as the draft draws it: lit from its middle, with its radiance and the area that shines (for a sun, 0, and
    the light on what faces it in the radiance's place); mirrored as a rectangle of half edges `u`, `v`, as large as a
    flat lamp of any shape, and nothing where it looks the same from everywhere; of a sun those of its disc, a metre
    away. `spot` is half the angle of its cone in
    radians, 0 for none; `dark` how dark its shadows are on letters and on the stage."""

    kind: Literal["flat", "around", "sun"]
    centre: Three
    normal: Three
    radiance: Three
    area: float
    spot: float
    soft: float
    limit: float
    dark: Two
    touches: Touches
    u: Three = (0.0, 0.0, 0.0)
    v: Three = (0.0, 0.0, 0.0)


@dataclass(frozen=True, slots=True)
class BackdropDrawn:
    """What fills the frame: the colours of its corners (below left and right, above left and right), and a picture over
    them with the shares of its width and height that are seen."""

    corners: list[Three]
    picture: str | None
    seen: Two | None


@dataclass(frozen=True, slots=True)
class EnvironmentDrawn:
    """What is all around; `tilt` in degrees towards the camera and to the right. `standing`: the rows of a 3x3 matrix
    that says where what stood level and unturned is seen."""

    preset: str
    strength: float
    turn: float
    tilt: Two
    standing: tuple[float, ...]
    behind: Literal["nothing", "environment"] | BackdropDrawn


@dataclass(frozen=True, slots=True)
class LookDrawn:
    """How a frame looks, but for poses and what motion makes of materials. The `horizon` is what grounds go over into
    around the middle of the stage."""

    blocks: list[Wardrobe]
    grounds: list[GroundDrawn]
    haze: HazeDrawn | None
    horizon: HazeDrawn | None
    lights: list[LampDrawn]
    environment: EnvironmentDrawn


@dataclass(frozen=True, slots=True)
class LetterAtRest:
    """A letter: `first` is the place of its first character in the block's text, `tint` its own colour (scene-linear),
    `recipe` that of its solid as JSON text, `box` its left, bottom, right and top, `rest` the rows of the 3x4 matrix to
    its place in the title; `pieces` the number of its first piece in the span, and how many it has."""

    text: str
    block: int
    line: int
    word: int
    first: int
    lacking: bool
    tint: Three | None
    recipe: str
    box: Four
    rest: list[float]
    number: int
    pieces: tuple[int, int]


@dataclass(frozen=True, slots=True)
class BlockAtRest:
    """A block of a span: its step and form step by id, cap height, and a cut through a stem, in metres; the curve that
    its lines run along, before it is fitted to them."""

    step: str
    form: str
    size: float
    stem: float
    section: list[Two]
    path: list[Two]


@dataclass(frozen=True, slots=True)
class LeverDrawn:
    """A value of a step, by the name of its member: its grip stands at `base` when it is 0, and one more takes it by
    `way`. `whole` is what stands in its place where it is 0."""

    member: str
    base: Three
    way: Three
    whole: float


@dataclass(frozen=True, slots=True)
class PathLaid:
    """The path that a wrap lies along: points of its curve in its own metres, and which way a metre to the right of
    its drawing and one up go from the centre."""

    curve: list[Two]
    right: Three
    up: Three


@dataclass(frozen=True, slots=True)
class HandlesDrawn:
    """Of a step that bends letters, in the own space at rest of a letter of the span, or in the world (`letter` -1):
    its centre, and that as `own` place of a pivot, in numbers each `unit` metres long along the rows of a 3x3 matrix;
    its levers, and the drawn path that it lies along, if it does."""

    letter: int
    centre: Three
    own: Three
    unit: float
    axes: list[float]
    levers: list[LeverDrawn]
    path: PathLaid | None


@dataclass(frozen=True, slots=True)
class SwellingDrawn:
    """How letters of a span swell: the number of each in the span, and its first vertex and the one after its last, of
    so many; `chunks` of frames by their addresses, the first of them a frame after `begin`, before which letters are as
    they rest: after the last they stay as they are."""

    letters: list[tuple[int, int, int]]
    vertices: int
    begin: float
    chunks: list[str]


@dataclass(frozen=True, slots=True)
class SeenSpanHead:
    """Frames with the same letters, as far as they are seen. `worn`: are letters tinted, soft, or let light through?
    `pivots` of letters in their own space, by the id of the step that turns them. Letters go through so many `bends`,
    which are of these kinds; `handles` by the id of the step that bends. There are so many `pieces` of letters that are
    ever in pieces. `swellings`: those of each block that swells."""

    first: int
    last: int
    letters: list[LetterAtRest]
    blocks: list[BlockAtRest]
    worn: bool
    pivots: dict[str, list[Three | None]]
    bends: int
    bent_by: list[str]
    handles: dict[str, HandlesDrawn]
    pieces: int
    swellings: list[SwellingDrawn]


@dataclass(frozen=True, slots=True)
class SpanHead(SeenSpanHead):
    """Frames with the same letters: at which frame each drive, by id, starts with each letter, and each rests."""

    starts: dict[str, list[float]]
    rest: list[float]


@dataclass(frozen=True, slots=True)
class Lens:
    """The camera's half tangents and shift, and the rows of the 3x3 matrix of exposure and white balance."""

    half: Two
    shift: Two
    grade: list[float]


@dataclass(frozen=True, slots=True)
class SeenHead:
    """What is seen of a shot. Frames that look alike share a look (`look_of`); one lens where it stays the same.
    `middle`: where the letters stand on the whole; `centres`: pivots of groups by id, in the world. `sent`: the chunks
    of swellings that come with it, by their addresses, how many vertices and letters each has. `solved`: the frame
    until which all is known that is solved frame by frame; none where all of it is."""

    width: int
    height: int
    first: int
    last: int
    fps: tuple[int, int]
    spans: Sequence[SeenSpanHead]
    looks: list[LookDrawn]
    look_of: list[int]
    middle: Three
    centres: dict[str, Three]
    lenses: list[Lens]
    sent: dict[str, tuple[int, int]]
    solved: float | None


@dataclass(frozen=True, slots=True)
class Note:
    """What a user should know of a step."""

    step: str
    code: str
    text: str


@dataclass(frozen=True, slots=True)
class ContoursDrawn:
    """Of a step that grows tubes: the number in the span of the first letter of its block, where contours start, as a
    share of their length, and for each letter the places of its longest contour, evenly along it."""

    first: int
    start: float
    letters: list[list[Two]]


@dataclass(frozen=True, slots=True)
class DraftHead(SeenHead):
    """What is seen of a shot, and what the sheet and the desk show besides: the frame of rest; values that change, by
    JSON pointer, at each frame; the music's beats, and whether a bar begins with each; of drives, by id, the strength
    for reaches from 0 to 1; of follow-throughs, by id, how far letters go past their end as a share of the way;
    `contours` by the id of the step that grows them."""

    spans: Sequence[SpanHead]
    rest: float
    keyed: dict[str, list[object]]
    beats: list[tuple[float, bool]]
    responses: dict[str, list[float]]
    overshoots: dict[str, float]
    contours: dict[str, ContoursDrawn]
    notes: list[Note]


SEEN, DRAFT, LOOK = TypeAdapter(SeenHead), TypeAdapter(DraftHead), TypeAdapter(LookDrawn)


def described(reference: str) -> dict[str, JsonSchemaValue]:
    """JSON Schemas of all classes here by their names, with references by a template (JSON Schema 2020-12)."""
    found: dict[str, JsonSchemaValue] = {}
    for name, adapter in (("SeenHead", SEEN), ("DraftHead", DRAFT)):
        schema = adapter.json_schema(ref_template=reference, mode="serialization")
        found |= schema.pop("$defs", {})
        found[name] = schema
    for schema in found.values():
        schema["required"] = list(schema["properties"])  # all of them travel, defaults too
    return found
