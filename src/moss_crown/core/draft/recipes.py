"""What a letter's solid is made from, as it travels: the browser asks for each solid that it lacks."""

from __future__ import annotations

from dataclasses import asdict
from functools import lru_cache
from typing import Annotated, TypeAlias

import numpy as np
from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.cache import Cache
from moss_crown.core.deform.density import with_edges
from moss_crown.core.document.form import CurvePoint
from moss_crown.core.document.kinds import Finite, Identity, Share, Size, Vec2
from moss_crown.core.document.letters import AxisPlace, AxisTag
from moss_crown.core.document.values import Model
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.setting import form_of_letter
from moss_crown.core.evaluation.solids import letter_pieces, letter_solid
from moss_crown.core.form.outline import Join
from moss_crown.core.form.pieces import Cut, Way
from moss_crown.core.form.profile import Edge, ProfileKind
from moss_crown.core.form.solid import Form, Grow
from moss_crown.core.form.tube import SectionKind, Tube
from moss_crown.core.formats.glb import write_glb
from moss_crown.core.formats.model import Node, TitleModel
from moss_crown.core.look.dress import FACE_AND_EDGE, Dress, Which, part_names
from moss_crown.core.look.material import Surface
from moss_crown.core.type.families import Axes
from moss_crown.core.type.layout import Letter
from moss_crown.core.type.shape import Glyph, faces

Part: TypeAlias = Annotated[int, Field(ge=0, le=5)]
FaceIndex: TypeAlias = Annotated[int, Field(ge=0, le=31)]
Length: TypeAlias = Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)]
GlyphIndex: TypeAlias = Annotated[int, Field(ge=0, le=65_535)]


class EdgeRecipe(Model):
    kind: ProfileKind
    width: Length
    height: Length
    segments: Annotated[int, Field(ge=1, le=24)]
    curve: list[CurvePoint] = Field(max_length=32)


class TubeRecipe(Model):
    section: SectionKind
    width: Size
    height: Size
    offset: Finite
    rows: Annotated[int, Field(ge=1, le=8)]
    gap: Finite
    start: Finite
    first: Finite
    last: Finite
    spread: bool
    segments: Annotated[int, Field(ge=1, le=24)]


class FormRecipe(Model):
    """`Form`, as it travels."""

    depth: Size
    front: EdgeRecipe
    rear: EdgeRecipe
    join: Join
    grow: Grow
    weight: Finite
    fill: bool
    wall: Length
    tube: TubeRecipe | None

    def form(self) -> Form:
        """The form that it says."""
        front, rear = (Edge(e.kind, e.width, e.height, e.segments, tuple(e.curve)) for e in (self.front, self.rear))
        tube = Tube(**self.tube.model_dump()) if self.tube else None
        return Form(self.depth, front, rear, self.join, self.grow, self.weight, self.fill, self.wall, tube)


class CutRecipe(Model):
    way: Way
    number: Annotated[int, Field(ge=1, le=limits.PIECES_A_LETTER)]
    size: Length
    even: Share
    turn: Finite
    point: Vec2
    line: list[Vec2] = Field(max_length=limits.CURVE_POINTS)
    closed: bool
    thick: Length
    seed: int
    most: Annotated[int, Field(ge=1, le=limits.PIECES_A_LETTER)]
    of: tuple[Finite, Finite, Finite, Finite, Finite, Finite]
    low: Vec2
    high: Vec2

    def cut(self) -> Cut:
        """The cut that it says."""
        return Cut(**{**self.model_dump(), "line": tuple(self.line)})


class SolidRecipe(Model):
    """What a letter's solid is made from: enough to build it anywhere, in the words of the query that asks for it."""

    family: Identity
    axes: list[tuple[AxisTag, AxisPlace]] = Field(max_length=limits.AXES)
    glyphs: list[tuple[FaceIndex, GlyphIndex, Finite, Finite]] = Field(min_length=1, max_length=32)
    unit: Annotated[float, Field(gt=0, le=1)]
    form: FormRecipe
    which: tuple[Part, Part, Part, Part, Part, Part] = FACE_AND_EDGE
    edge: Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)] = 0.0
    """Metres that no edge is longer than; 0: as it comes."""
    cut: CutRecipe | None = None
    even: Annotated[float, Field(ge=0, le=1_000, allow_inf_nan=False)] = 0.0
    """Metres that all edges are about as long as, for letters that swell; 0 for others."""


MOST_TRIANGLES = 60_000
"""Of a letter, however short its edges are wanted."""
FINEST, EM = 0.01, 1_000
"""Even edges are no shorter than this share of an em."""


def recipe_of(
    letter: Letter,
    form: Form,
    which: Which = FACE_AND_EDGE,
    edge: float = 0.0,
    cut: Cut | None = None,
    even: float = 0.0,
) -> str:
    """The recipe of a letter as JSON text, with edges no longer than so many metres, in pieces if it is cut, and of
    `even` edges about so long if it swells."""
    own = form_of_letter(letter, form)
    return _recipe(letter.family, letter.axes, letter.glyphs, letter.unit, own, which, edge, cut, even)


@lru_cache(maxsize=2048)
def _recipe(
    family: str,
    axes: Axes,
    glyphs: tuple[Glyph, ...],
    unit: float,
    form: Form,
    which: Which,
    edge: float,
    cut: Cut | None,
    even: float,
) -> str:
    recipe = SolidRecipe(
        family=family,
        axes=list(axes),
        glyphs=[(g.font, g.index, g.dx, g.dy) for g in glyphs],
        unit=unit,
        form=FormRecipe.model_validate(asdict(form)),
        which=which,
        edge=edge,
        cut=CutRecipe.model_validate(asdict(cut)) if cut else None,
        even=even,
    )
    return recipe.model_dump_json()


def build_recipe(recipe: SolidRecipe, cache: Cache) -> bytes:
    """The solid of a recipe as glTF binary, a primitive for each part that has a material of its own.

    Raises DocumentInvalid, FamilyUnknown.
    """
    known = len(faces(recipe.family, tuple(recipe.axes)))
    for k, (face, *_) in enumerate(recipe.glyphs):
        if face >= known:
            raise DocumentInvalid(f"/glyphs/{k}/0", f"below {known}", f"the family has {known} faces, not {face + 1}")
    glyphs = tuple(Glyph(*glyph) for glyph in recipe.glyphs)
    of = (glyphs, recipe.family, tuple(recipe.axes), recipe.unit, recipe.form.form())
    if recipe.even > 0:
        made = letter_solid(*of, cache, max(recipe.even, FINEST * recipe.unit * EM))
    else:
        made = letter_pieces(*of, recipe.cut.cut(), cache).solid if recipe.cut else letter_solid(*of, cache)
    if recipe.edge > 0 and not recipe.even:
        made = with_edges(made, recipe.edge, MOST_TRIANGLES)
    grey = Surface((0.8, 0.8, 0.8), 0.0, 0.5, 1.5)
    if not len(made.triangles):
        return write_glb(TitleModel("letter", [], [], []))
    return write_glb(
        TitleModel(
            "letter",
            [made],
            [Dress((grey,) * len(part_names(recipe.which)), recipe.which)],
            [Node("letter", 0, np.eye(4))],
            numbered=recipe.even > 0,
        )
    )
