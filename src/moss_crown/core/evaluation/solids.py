"""Solids of letters, each built once, and the cross-section of a block's."""

from __future__ import annotations

import math
from dataclasses import replace
from statistics import median
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.cache import Cache, address
from moss_crown.core.errors import TooMany
from moss_crown.core.evaluation.setting import Block, form_of_letter
from moss_crown.core.form.mesh import Solid
from moss_crown.core.form.outline import FINER, TOLERANCE, letter_outline
from moss_crown.core.form.part import part_of
from moss_crown.core.form.pieces import Cut, Pieces, in_pieces
from moss_crown.core.form.section import section
from moss_crown.core.form.solid import Form, solid
from moss_crown.core.form.stems import stem
from moss_crown.core.form.tube import Line
from moss_crown.core.stage.scene import Camera, triangle_areas
from moss_crown.core.type import emblem
from moss_crown.core.type.families import Axes
from moss_crown.core.type.layout import Letter
from moss_crown.core.type.shape import Glyph, faces

CHORD_PIXELS = 0.15
SECTION_LETTERS = 24
"""A stem's usual width is taken from so many of a block's letters."""

Glyphs: TypeAlias = tuple[Glyph, ...]


def solid_address(
    glyphs: Glyphs,
    family: str,
    axes: Axes,
    unit: float,
    form: Form,
    edge: float | None = None,
    tolerance: float = TOLERANCE,
) -> str:
    """What a letter's solid is kept under: a hash of all that it depends on."""
    fonts = faces(family, axes)
    keys = tuple(fonts[glyph.font].key for glyph in glyphs)
    return address("solid", [(g.index, g.dx, g.dy) for g in glyphs], keys, unit, form, tolerance, edge)


def letter_solid(
    glyphs: Glyphs,
    family: str,
    axes: Axes,
    unit: float,
    form: Form,
    cache: Cache,
    edge: float | None = None,
    tolerance: float = TOLERANCE,
) -> Solid:
    """A letter's solid, built once for each glyph, form, size and tolerance; of even density with an `edge`. Parts of
    tubes are cut from the whole."""
    if form.tube and form.tube != form.tube.whole:
        tube, entire = form.tube, replace(form, tube=form.tube.whole)
        whole = letter_solid(glyphs, family, axes, unit, entire, cache, edge, tolerance)
        return cache.get(
            solid_address(glyphs, family, axes, unit, form, edge, tolerance), lambda: part_of(whole, tube), _bytes
        )
    return cache.get(
        solid_address(glyphs, family, axes, unit, form, edge, tolerance),
        lambda: solid(
            letter_outline(glyphs, faces(family, axes), tolerance), form, unit, strokes_of(glyphs, family), edge
        ),
        _bytes,
    )


SHELL_EDGE = 0.22
"""Of a patch of a shell: edges of its mesh are so long."""
SHELL_SPAN = (0.02, 0.1)
"""Cap heights: the shortest and the longest of these."""


def letter_pieces(
    glyphs: Glyphs,
    family: str,
    axes: Axes,
    unit: float,
    form: Form,
    cut: Cut,
    cache: Cache,
    tolerance: float = TOLERANCE,
) -> Pieces:
    """A letter in pieces: the same pieces at any tolerance."""
    key = solid_address(glyphs, family, axes, unit, form, None, tolerance)

    def made() -> Pieces:
        if cut.way == "shell":
            usual = letter_solid(glyphs, family, axes, unit, form, cache)
            area = float(triangle_areas(usual.vertices[usual.triangles]).sum())
            wide = cut.size or math.sqrt(area / max(min(cut.number, cut.most), 1))
            tall = float(np.ptp(usual.vertices[:, 1])) if len(usual.vertices) else 1.0
            least, most = SHELL_SPAN[0] * tall, SHELL_SPAN[1] * tall
            edge = float(np.clip(SHELL_EDGE * wide, least, most))
            return in_pieces(letter_solid(glyphs, family, axes, unit, form, cache, edge), cut)
        solid = letter_solid(glyphs, family, axes, unit, form, cache, None, tolerance)
        if tolerance == TOLERANCE:
            return in_pieces(solid, cut)
        return in_pieces(solid, cut, letter_pieces(glyphs, family, axes, unit, form, cut, cache))

    return cache.get(address("pieces", key, cut), made, lambda pieces: pieces.nbytes)


def _bytes(solid: Solid) -> int:
    return solid.vertices.nbytes + solid.triangles.nbytes + solid.facet.nbytes + solid.normals.nbytes


def as_many(triangles: int) -> int:
    """So many triangles in all. Raises TooMany where there may not be."""
    if triangles > limits.TRIANGLES:
        raise TooMany("/steps", "triangles", triangles, limits.TRIANGLES)
    return triangles


def strokes_of(glyphs: Glyphs, family: str) -> list[Line]:
    """The middle lines of an emblem's strokes; none for letters."""
    if not emblem.is_emblem(family):
        return []
    return [line for glyph in glyphs for line in emblem.find(family).lines[glyph.index]]


def solid_of(letter: Letter, form: Form, cache: Cache, edge: float | None = None) -> Solid:
    """The solid of a letter of a block with this form."""
    own = form_of_letter(letter, form)
    return letter_solid(letter.glyphs, letter.family, letter.axes, letter.unit, own, cache, edge)


def pieces_of(letter: Letter, form: Form, cut: Cut, cache: Cache) -> Pieces:
    """The pieces of a letter of a block with this form."""
    own = form_of_letter(letter, form)
    return letter_pieces(letter.glyphs, letter.family, letter.axes, letter.unit, own, cut, cache)


def block_section(block: Block) -> tuple[NDArray[np.float64], float]:
    """The cross-section of a block's letters through a stem of their usual width, and that width in metres."""
    form = block.form
    stems = [
        stem(m.glyphs, m.family, m.axes, m.unit, form.weight + m.weight, form.fill, form.wall, form.join)
        for m in block.letters[:SECTION_LETTERS]
    ]
    usual = median(stems) if stems else 0.0
    return section(form, usual), usual


def fineness(letter: Letter, pose: NDArray[np.float64], camera: Camera, height: int) -> float:
    """The tolerance of a letter's curves at which no chord is off by more than CHORD_PIXELS in a frame so high."""
    wide = pixel(letter, pose, camera, height)
    if wide == np.inf:
        return FINER[0]
    wanted = CHORD_PIXELS * wide / letter.unit  # in thousandths of an em
    return next((tolerance for tolerance in FINER if tolerance <= wanted), FINER[-1])


def pixel(letter: Letter, pose: NDArray[np.float64], camera: Camera, height: int) -> float:
    """The width of a pixel of a frame so high where a letter is, in metres of the letter's own space; endless where
    that is behind the camera."""
    middle = len(camera.poses) // 2
    centre = pose[:3, :3] @ (*letter.centre, 0.0) + pose[:3, 3]
    away = float((camera.poses[middle, :3, 3] - centre) @ camera.poses[middle, :3, 2])
    if away <= 0:
        return np.inf
    size = float(np.linalg.norm(pose[:3, :3], axis=0)[:2].max())
    return 2 * camera.half[1] * away / (max(size, 1e-12) * height)
