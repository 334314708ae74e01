"""Steps that decide how letters look and what is around them: materials, environment, lights, stage."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.kinds import (
    Colour,
    Degrees,
    Facts,
    Fading,
    Identity,
    PictureId,
    Share,
    Size,
    StepBase,
    Strength,
    Vec3,
)
from moss_crown.core.document.letters import Some
from moss_crown.core.document.values import Model, Value

Pattern: TypeAlias = Literal[
    "plain",
    "brushed",
    "cast",
    "hammered",
    "blotches",
    "veins",
    "speckles",
    "chips",
    "strata",
    "rings",
    "concrete",
    "plaster",
    "knit",
    "weave",
    "felt",
    "dots",
    "stripes",
    "paper",
    "crackle",
    "frost",
    "dust",
    "clumps",
    "depths",
    "grid",
]


class Texture(Model):
    """A pattern that mixes a second layer into a material, changes its tone, and gives it relief.

    `scale` is a unit of the pattern in metres. `amount` is the share of the second layer, `contrast` how sharp its
    borders are, `tone` how strong the pattern's own light and dark, `relief` how deep. `wear` uncovers the second layer
    on bevels. A texture runs through the whole title, or begins afresh on each letter; `turn` goes about the face's
    normal, `shift` in metres.
    """

    pattern: Value[Pattern] = "plain"
    scale: Value[Annotated[float, Field(ge=0.001, le=100, allow_inf_nan=False)]] = 0.6
    amount: Value[Share] = 0.5
    contrast: Value[Share] = 0.5
    tone: Value[Share] = 0.3
    relief: Value[Share] = 0.0
    wear: Value[Share] = 0.0
    colour: Value[Colour] = (0.2, 0.2, 0.2)
    metal: Value[Share] = 0.0
    roughness: Value[Share] = 0.5
    place: Value[Literal["title", "letter"]] = "title"
    turn: Value[Degrees] = 0.0
    shift: Value[Vec3] = (0.0, 0.0, 0.0)


class Pictures(Model):
    """Own pictures on a material, over its texture: as its colour, its roughness (black is smooth), its bumps (white is
    high). They lie on the surface by the side that it looks to, their middle at `shift`, `width` metres wide, and begin
    afresh on each letter where the texture does.

    `mix` is the share of the picture's colour, times its own alpha; `tint` colours it; `rough` is the share of the
    roughness that the picture decides; `height` is how high bumps are, below 0 how deep, 1 for a tenth of `width`.
    """

    colour: Value[PictureId] | None = None
    roughness: Value[PictureId] | None = None
    bump: Value[PictureId] | None = None
    width: Value[Size] = 1.0
    tiling: Value[Literal["repeat", "mirror", "once"]] = "repeat"
    mix: Value[Share] = 1.0
    tint: Value[Colour] = (1.0, 1.0, 1.0)
    rough: Value[Share] = 1.0
    height: Value[Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]] = 0.3
    turn: Value[Degrees] = 0.0
    shift: Value[Vec3] = (0.0, 0.0, 0.0)


class Material(Model):
    """Metal by base colour, or a clear dielectric over a diffuse base; `metal` mixes between them.

    A clear `coat` lies over it, `sheen` is the bright edge of cloth. `glow` is light of its own, as strong as a white
    surface under that much light, in `glow_colour`. `brushed` draws the highlight out along a direction of the letter,
    `brush_turn` degrees from its baseline.

    `transmission` makes it glass of that share: solid, with its colour reached after `tint_depth` metres, or with
    `thin` like a sheet or a bubble. What `opacity` leaves is not there at all.
    """

    colour: Value[Colour] = (0.8, 0.8, 0.8)
    metal: Value[Share] = 0.0
    roughness: Value[Share] = 0.4
    ior: Value[Annotated[float, Field(ge=1, le=3, allow_inf_nan=False)]] = 1.5
    coat: Value[Share] = 0.0
    coat_roughness: Value[Share] = 0.08
    sheen: Value[Share] = 0.0
    glow: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 0.0
    glow_colour: Value[Colour] = (1.0, 0.9, 0.7)
    brushed: Value[Share] = 0.0
    brush_turn: Value[Degrees] = 0.0
    transmission: Value[Share] = 0.0
    thin: Value[bool] = False
    tint_depth: Value[Annotated[float, Field(ge=0.001, le=100, allow_inf_nan=False)]] = 0.3
    opacity: Value[Share] = 1.0
    texture: Texture = Texture()
    pictures: Pictures = Pictures()


class MaterialStep(StepBase):
    """`face` covers face and rear; `edge` covers bevel, return and rear bevel, and of letters in pieces what was
    inside; each that has its own takes that. Of several, each letter wears the last that is on and `some` of whose
    letters it is."""

    facts: ClassVar[Facts] = Facts(
        title="Material",
        about="What faces and edges of letters are made of",
        work="look",
        column="look",
        looks=True,
    )
    kind: Literal["material"] = "material"
    some: Some = Some()
    face: Material = Material(colour=(0.90, 0.66, 0.30), metal=1.0, roughness=0.24)
    edge: Material = Material(colour=(0.62, 0.30, 0.11), metal=1.0, roughness=0.16)
    bevel: Material | None = None
    rear_bevel: Material | None = None
    rear: Material | None = None
    inside: Material | None = None


EnvironmentPreset: TypeAlias = Literal[
    "wide_scrim",
    "two_windows",
    "overcast",
    "dusk_harbour",
    "paper_tent",
    "long_softbox",
    "lamp_row",
    "low_sun",
    "night_market",
    "cold_tube",
    "rim_pair",
    "top_light",
    "morning_mist",
    "lantern_room",
    "storm_break",
]
EnvironmentSource: TypeAlias = EnvironmentPreset | PictureId
"""One of ours, or a picture that was brought in."""


class EnvironmentStep(StepBase):
    """What metal reflects: one of our own, or a picture of all directions (equirectangular) that was brought in. `tilt`
    leans it towards the camera, then to the right; `turn` goes about the vertical after that. Behind everything the
    camera sees nothing, the environment itself, `colour`, a gradient from that on the lower border to `colour_above`
    (in a direction `gradient_turn` degrees to the right of upward), or `backdrop`, a picture that fills the frame over
    `colour`."""

    facts: ClassVar[Facts] = Facts(
        title="Environment",
        about="What is all around, lights and is mirrored",
        work="look",
        column="env",
        once=True,
        looks=True,
    )
    kind: Literal["environment"] = "environment"
    preset: Value[EnvironmentSource] = "two_windows"
    strength: Value[Strength] = 0.85
    turn: Value[Degrees] = 0.0
    tilt: Value[tuple[Degrees, Degrees]] = (0.0, 0.0)
    behind: Value[Literal["nothing", "environment", "colour", "gradient", "picture"]] = "nothing"
    colour: Value[Colour] = (0.16, 0.2, 0.19)
    colour_above: Value[Colour] = (0.03, 0.045, 0.055)
    gradient_turn: Value[Degrees] = 0.0
    backdrop: Value[PictureId | None] = None


class Light(Model):
    """A lamp that shines towards `aim`. `power` spreads over its area, so that its size only softens shadows.

    A rectangle and a disc shine to one side, a tube (along its width) and a ball to all. A sun lights everything from
    the direction of its place, as bright as a rectangle of its power eight metres away; `angle` is its width in the
    sky. `white` is its colour temperature in kelvin (6500: neutral), `stops` doubles or halves its light. `spot` is the
    whole angle of its cone, 0 for none, `soft` the share of it over which it fades. Beyond `limit` metres it does not
    reach, 0 for no limit. It lights what the switches say, and of blocks those in `only`, or all when that is empty.
    What does not mirror it is still lit by it, but no gloss shows its shape.

    `on_letters_dark` and `on_stage_dark` say how dark its shadows are there: 1 as they fall, 0 none. A `stack` of more
    than 1 shares its light among so many sources in the same place, each `spread` times as wide as the one before: a
    shadow with as many edges, from tight to wide.
    """

    name: Annotated[str, Field(max_length=80)] = "light"
    shape: Value[Literal["rectangle", "disc", "tube", "ball", "sun"]] = "rectangle"
    place: Value[Vec3] = (-4.0, 5.0, 6.0)
    aim: Value[Vec3] = (0.0, 0.5, 0.0)
    width: Value[Size] = 2.0
    height: Value[Size] = 2.0
    angle: Value[Annotated[float, Field(ge=0.05, le=60, allow_inf_nan=False)]] = 0.6
    colour: Value[Colour] = (1.0, 1.0, 1.0)
    white: Value[Annotated[float, Field(ge=1_000, le=15_000, allow_inf_nan=False)]] = 6500.0
    power: Value[Strength] = 400.0
    stops: Value[Annotated[float, Field(ge=-20, le=20, allow_inf_nan=False)]] = 0.0
    spot: Value[Annotated[float, Field(ge=0, le=179, allow_inf_nan=False)]] = 0.0
    soft: Value[Share] = 0.3
    limit: Value[Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]] = 0.0
    shadow: Value[bool] = True
    on_letters_dark: Value[Share] = 1.0
    on_stage_dark: Value[Share] = 1.0
    stack: Value[Annotated[int, Field(ge=1, le=6)]] = 1
    spread: Value[Annotated[float, Field(ge=1, le=8, allow_inf_nan=False)]] = 2.5
    on_faces: Value[bool] = True
    on_edges: Value[bool] = True
    on_stage: Value[bool] = True
    mirrored_letters: Value[bool] = True
    mirrored_stage: Value[bool] = True
    only: list[Identity] = Field(default_factory=list, max_length=limits.STEPS)


class LightsStep(StepBase):
    facts: ClassVar[Facts] = Facts(
        title="Lights",
        about="Lamps of several shapes, and suns",
        work="look",
        column="lamp",
        looks=True,
    )
    kind: Literal["lights"] = "lights"
    lights: list[Light] = Field(default_factory=list, max_length=limits.LIGHTS)


class StageStep(StepBase):
    """What letters stand on and before, with its floor at height 0.

    A `corner` is a floor and a back wall, each there or not; a floor without a wall goes on behind. A `sweep` is both
    in one piece, joined by a curve of `radius`, in the wall's material. `steps` rise behind the letters from where the
    wall would stand: so many, each `rise` high and `run` deep. A `globe` of `radius` has its top at `globe_place`. A
    `card`, `card_width` by `card_height` metres, stands on the floor in the wall's place; a picture of the wall's
    material fills it.

    With `catch` the camera sees only the shadows on all that, and the alpha of a picture holds those. What is
    `haze` metres away has lost half of itself to haze of `haze_colour`; 0 for clear air. With a `horizon` above 0 the
    stage itself goes over into `horizon_colour`: half of the way that many metres around its middle.
    """

    facts: ClassVar[Facts] = Facts(
        title="Floor and wall",
        about="What letters stand on and before, and the haze between",
        work="look",
        column="look",
        once=True,
        looks=True,
    )
    kind: Literal["stage"] = "stage"
    shape: Value[Literal["corner", "sweep", "steps", "globe", "card"]] = "corner"
    radius: Value[Size] = 1.5
    globe_place: Value[Vec3] = (0.0, 0.0, 0.0)
    steps: Value[Annotated[int, Field(ge=1, le=60)]] = 5
    rise: Value[Size] = 0.22
    run: Value[Size] = 0.4
    card_width: Value[Size] = 8.0
    card_height: Value[Size] = 4.5
    haze: Value[Fading] = 0.0
    haze_colour: Value[Colour] = (0.16, 0.2, 0.21)
    horizon: Value[Fading] = 0.0
    horizon_colour: Value[Colour] = (0.16, 0.2, 0.21)
    floor: Value[bool] = True
    wall: Value[bool] = True
    wall_distance: Value[Annotated[float, Field(gt=0, le=1_000, allow_inf_nan=False)]] = 1.25
    catch: Value[bool] = False
    floor_material: Material = Material(colour=(0.035, 0.04, 0.037), roughness=0.2)
    wall_material: Material = Material(colour=(0.05, 0.072, 0.066), roughness=0.6)
