"""What the API says and hears. The front end's types are generated from these."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, field_validator

from moss_crown.core import limits
from moss_crown.core.document.kinds import FrameNumber, FrameRate, Identity, Name, Share, Text
from moss_crown.core.document.look import Material
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Key
from moss_crown.core.proposals.kits import Effect, Kit, Mending
from moss_crown.core.proposals.look_book import PARTS, Part
from moss_crown.farm.orders import TakeOrders
from moss_crown.server.db.storage import Kind


class Message(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Problem(BaseModel):
    type: str
    title: str
    status: int
    code: str
    detail: str
    field: str | None = None
    bound: str | None = None
    request_id: str


class Health(BaseModel):
    status: Literal["up"]


class LaneOut(BaseModel):
    """A lane of compute processes: jobs that it has not answered, and processes that were replaced."""

    waiting: int
    replaced: int


class Ready(BaseModel):
    """`failures`: how often each thing that runs beside requests has failed and was begun again."""

    database: bool
    kernels: bool
    failures: dict[str, int]
    lanes: dict[str, LaneOut]


class ShotDefaults(Message):
    """What a new shot of a production starts with."""

    width: Annotated[int, Field(ge=16, le=limits.SIDE_PIXELS)] = 1280
    height: Annotated[int, Field(ge=16, le=limits.SIDE_PIXELS)] = 720
    fps: FrameRate = FrameRate()
    first: int = 0
    last: int = 72


class StoredOut(BaseModel):
    """A kind of thing that a production keeps: how many and their bytes; by the rule, what of them may go."""

    kind: Kind
    rule: str
    count: int
    bytes: int
    spare: int
    spare_bytes: int


class MakeRoom(Message):
    """Kinds of which what may go is let go of."""

    kinds: Annotated[list[Kind], Field(min_length=1)]


class EstimateOut(BaseModel):
    """Seconds that a take will last, as far as frames before it tell: those of this shot, else of others, else none
    (`known` false)."""

    seconds: float
    known: bool


class NewProduction(Message):
    name: Name


class ProductionOut(BaseModel):
    id: UUID
    name: str
    defaults: ShotDefaults
    shots: int


class NewShot(ShotDefaults):
    title: Name = "Untitled"
    text: Text = "KESTREL TIDE"


class ShotCard(BaseModel):
    """A shot on the slate. `poster` is the revision its poster shows, 0 while there is none; `texts` is what can be
    read in it, and what it is made of where that is a formula."""

    id: UUID
    title: str
    width: int
    height: int
    seconds: float
    revision: int
    updated_at: datetime
    poster: int
    strip: list[float]
    letters: int
    texts: list[str]
    take: str


class ProofOrder(BaseModel):
    """What a window asks of the renderer over the live channel: `samples` and `noise` as in the orders of a take."""

    frame: Annotated[int, Field(ge=-1_000_000, le=1_000_000)]
    width: Annotated[int, Field(ge=16, le=limits.SIDE_PIXELS)]
    height: Annotated[int, Field(ge=16, le=limits.SIDE_PIXELS)]
    samples: Annotated[int, Field(ge=1, le=limits.SAMPLES)] = 16
    noise: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.0
    motion_blur: bool = True
    region: tuple[Share, Share, Share, Share] | None = None
    """Left, top, right, bottom of a part of the frame, in shares of it."""

    @field_validator("region")
    @classmethod
    def _has_room(cls, region: tuple[float, float, float, float] | None) -> tuple[float, float, float, float] | None:
        if region and not (region[2] - region[0] >= 0.02 and region[3] - region[1] >= 0.02):
            raise ValueError("at least 2 % of the frame wide and high")
        return region


class ProofOut(BaseModel):
    """A finished proof that was kept, with the revision of the shot that it shows."""

    id: UUID
    revision: int
    frame: int
    samples: int
    made_at: datetime


class HotOut(BaseModel):
    """A light behind white pixels, and its share of the light there."""

    light: str
    share: float


class ReadingOut(BaseModel):
    """How a letter stands in a frame: `letter` is its number in the title. Its face's light of that of white; the
    median contrast along its outline, and the share of that which reads; the share of it that is white; what is behind
    it where it stands apart least, whether it is darker than that, and the light that brings most of what is seen of
    it."""

    letter: int
    text: str
    level: float
    contrast: float
    legible: float
    clipped: float
    behind: str
    darker: bool
    lit_by: str


class MendOrder(Message):
    """A frame whose light is to be mended: dark letters lifted, outlines set apart, white calmed."""

    revision: int
    frame: Annotated[int, Field(ge=-1_000_000, le=1_000_000)]
    what: Mending


class MendingOut(BaseModel):
    """A change of light that was tried, to be looked at and made: what it does, and its letters before and after."""

    revision: int
    patch: list[dict[str, Any]]
    about: str
    before: list[ReadingOut]
    after: list[ReadingOut]


class ShotMove(Message):
    production: UUID


class SlateOrder(Message):
    shots: Annotated[list[UUID], Field(max_length=10_000)]


class Edit(Message):
    revision: int
    label: Annotated[str, Field(min_length=1, max_length=120)]
    patch: list[dict[str, Any]]


class ShotOut(BaseModel):
    id: UUID
    production_id: UUID
    production: str
    document: Shot
    revision: int
    undo: str
    redo: str


class Arrangement(Message):
    """Blocks to arrange as they rest at a frame: one aligned, fitted in width, stood on the stage, hung on its wall or
    leant against it by an angle in degrees; all spaced evenly, brought clear of the stage as they rest or wherever they
    move, or kept apart on their way."""

    revision: int
    frame: FrameNumber
    what: Literal[
        "align",
        "space_evenly",
        "fit_width",
        "stand",
        "hang",
        "lean",
        "inside_ring",
        "clear_rest",
        "clear_motion",
        "keep_apart",
    ]
    step: Identity = "block"
    side: Literal["left", "centre", "right", "top", "middle", "bottom"] = "centre"
    to: Literal["blocks", "frame", "action_safe", "title_safe"] = "frame"
    share: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 0.8
    angle: Annotated[float, Field(gt=0, lt=90, allow_inf_nan=False)] = 12.0


Frames = Annotated[list[FrameNumber], Field(max_length=limits.KEYS_A_VALUE)]
Pointer = Annotated[str, Field(max_length=400, pattern=r"^/")]


class KeyMove(Message):
    """Chosen keys, frames by the JSON pointer of their value: reversed, scaled about a frame, shifted; or copied so."""

    revision: int
    chosen: Annotated[dict[Pointer, Frames], Field(max_length=limits.PATCH_OPERATIONS)]
    by: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)] = 0.0
    scale: Annotated[float, Field(ge=0.001, le=1_000, allow_inf_nan=False)] = 1.0
    about: FrameNumber | None = None
    reverse: bool = False
    copied: bool = False


class KeyPaste(Message):
    """Keys put on values, the first at a frame; on each further value `delay` frames later."""

    revision: int
    keys: Annotated[list[Key[Any]], Field(min_length=1, max_length=limits.KEYS_A_VALUE)]
    paths: Annotated[list[Pointer], Field(min_length=1, max_length=limits.PATCH_OPERATIONS)]
    frame: FrameNumber
    reverse: bool = False
    delay: Annotated[float, Field(ge=-1_000, le=1_000, allow_inf_nan=False)] = 0.0


class Retiming(Message):
    """Another frame rate, and what it keeps: the frames, or the seconds."""

    revision: int
    fps: FrameRate
    keep: Literal["frames", "seconds"]


class FormulaTrial(Message):
    path: Pointer
    formula: Annotated[str, Field(max_length=2_000)]


class TrialOut(BaseModel):
    """What is wrong with a formula and at which character (0 the first); or how it runs, a line for each part or
    letter."""

    problem: str
    at: int
    frames: list[float]
    lines: list[list[float]]


class FormulaWords(BaseModel):
    """What formulas may name, and what it means."""

    names: dict[str, str]
    functions: dict[str, str]
    values: list[str]


class MotionOut(BaseModel):
    """A named motion on the shot's own title: for each frame and letter the affine way of its outline to a picture from
    -1 to 1 across (a, b, c, d, e, f) and its opacity; `which` says which outline each letter has in each frame."""

    id: str
    name: str
    group: Literal["arrive", "leave", "stay", "rig", "own"]
    about: str
    texts: bool
    frames: list[list[list[float]]]
    outlines: list[str]
    which: list[list[int]]


class NamedMotion(BaseModel):
    """A motion of the book: what it is called, what it does, and whether it goes through texts of its own."""

    id: str
    name: str
    group: Literal["arrive", "leave", "stay", "rig"]
    about: str
    texts: bool


class MotionOrder(Message):
    """A motion to give to a shot: one of the book or a kept one, in place of its motion or added to it; `texts` are
    what a rig goes through before the block's own."""

    revision: int
    motion: Annotated[str, Field(max_length=60)]
    texts: Annotated[list[Text], Field(max_length=40)] = []
    keep: bool = False


class MotionName(Message):
    name: Name


class Lighting(Message):
    """Lights to place: a kit around the title, or one light by its effect on a place of the picture.

    x, y: shares of the picture's width and height, from the top left. A highlight spreads over `letters`, their numbers
    in the title, where there are any.
    """

    revision: int
    frame: FrameNumber
    letters: list[Annotated[int, Field(ge=0, lt=limits.LETTERS_A_SHOT)]] = Field(
        default=[], max_length=limits.LETTERS_A_SHOT
    )
    kit: Kit | None = None
    step: Identity = "lights"
    light: int = Field(default=0, ge=0, le=1_000)
    effect: Effect = "highlight"
    x: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.5
    y: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.5


class LookOut(BaseModel):
    """A look: one of ours (`own` false) or one that the production keeps."""

    id: str
    name: str
    own: bool


class LookName(Message):
    name: Name
    frame: FrameNumber


class Wearing(Message):
    """A look to put on, and which parts of it."""

    revision: int
    frame: FrameNumber
    look: Annotated[str, Field(min_length=1, max_length=60)]
    parts: list[Part] = Field(default_factory=lambda: list(PARTS), min_length=1)


class Dressing(Message):
    """Letters that get a material of their own: their places in reading order, counted on through all blocks."""

    revision: int
    frame: FrameNumber
    letters: list[Annotated[int, Field(ge=0, lt=limits.LETTERS_A_SHOT)]] = Field(
        min_length=1, max_length=limits.LETTERS_A_SHOT
    )


class AssetOut(BaseModel):
    """`bundled`: it ships with the application, and is in every production."""

    id: str
    kind: str
    name: str
    remarks: list[str]
    path: str
    box: list[float]
    bundled: bool = False


class AxisOut(BaseModel):
    """`at` is where the family stands when the document says nothing."""

    tag: str
    name: str
    least: float
    most: float
    at: float


class FeatureOut(BaseModel):
    tag: str
    name: str
    on: bool


class FamilyOut(BaseModel):
    id: str
    name: str
    character: str
    scripts: list[str]
    axes: list[AxisOut]
    features: list[FeatureOut]
    licence: str | None


class MaterialOut(BaseModel):
    """A curated material; `controls` name the texture's values that matter."""

    id: str
    name: str
    group: str
    controls: dict[str, str]
    material: Material


class SampleOut(BaseModel):
    """A text set in a family: SVG path data, y downward, and the left, top, width and height of its ink."""

    family: str
    weight: float | None
    path: str
    box: tuple[float, float, float, float]
    lacking: bool


class RidgesOut(BaseModel):
    letters: list[str]


class FrameOut(BaseModel):
    frame: int
    seconds: float


class TakeOut(BaseModel):
    """A take with its progress. `left` seconds to go and `give` or take, as far as the last frames tell."""

    id: UUID
    shot_id: UUID
    number: int
    revision: int
    state: Literal["queued", "running", "stopping", "stopped", "done", "failed"]
    message: str
    orders: TakeOrders
    fps: FrameRate
    pixel_shape: float
    title: str
    done: int
    total: int
    a_frame: float | None
    left: float | None
    give: float | None
    frames: list[FrameOut]
    files: dict[str, int]
    created_at: datetime
