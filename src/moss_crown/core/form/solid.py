"""A solid letter: one plan, lifted by the front's profile and by the rear's, joined by the return."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.even import even_levels, even_plan
from moss_crown.core.form.field import InsetField
from moss_crown.core.form.lift import Rim, Side, lift, lift_undercut
from moss_crown.core.form.mesh import BEVEL, FACE, NOTHING, REAR, REAR_BEVEL, RETURN, FloatN3, IntN3, Solid, directed
from moss_crown.core.form.normals import corner_normals
from moss_crown.core.form.outline import Join, Ring, shaped
from moss_crown.core.form.part import part_of
from moss_crown.core.form.plan import Plan, plan
from moss_crown.core.form.profile import (
    SQUARE,
    Edge,
    leaning,
    merge_levels,
    over_levels,
    profile,
    sloped,
    undercut,
)
from moss_crown.core.form.tube import Line, Tube, along, bands, middle_lines

Floats: TypeAlias = NDArray[np.float64]
Grow: TypeAlias = Literal["both", "forward", "backward"]

MOST_EDGES = 0.996
"""Front and rear edges share the depth; together they take at most this much of it."""

LEAST = 1e-6
"""A part has volume when it would fill so much of a square thousandth of an em, as deep as the letter is."""

GENTLE = 0.4
"""How far a riser leans inward, in thousandths of an em, where an upright one cannot stand."""


@dataclass(frozen=True)
class Form:
    """What a letter's outline becomes. Metres; `weight` in thousandths of an em.

    The depth grows from the plane of the type: to both sides alike, forward or backward. Front and rear edges count
    within it. `wall` makes the letter hollow, `fill` closes its counters, before it gets depth. With a `tube` the
    letter is not filled but drawn by tubes along its outline.
    """

    depth: float
    front: Edge = SQUARE
    rear: Edge = SQUARE
    join: Join = "mitre"
    grow: Grow = "both"
    weight: float = 0.0
    fill: bool = False
    wall: float = 0.0
    tube: Tube | None = None

    @property
    def limit(self) -> float:
        """By how much both edges are made smaller, so that a return remains between them; 1 when they fit."""
        wanted = sum(edge.height for edge in (self.front, self.rear) if edge.cuts)
        return min(1.0, MOST_EDGES * self.depth / wanted) if wanted else 1.0

    @property
    def front_used(self) -> Edge:
        """The front's edge as it fits into the depth."""
        return self.front.scaled(self.limit)

    @property
    def rear_used(self) -> Edge:
        """The rear's edge as it fits into the depth."""
        return self.rear.scaled(self.limit)

    @property
    def middle(self) -> float:
        """z of the middle of the depth."""
        return {"both": 0.0, "forward": self.depth / 2, "backward": -self.depth / 2}[self.grow]


def solid(rings: list[Ring], form: Form, unit: float, strokes: Sequence[Line] = (), edge: float | None = None) -> Solid:
    """Build a letter's solid from its clean outline in thousandths of an em; `unit` takes those to metres.

    `strokes`: middle lines of a drawing, along which tubes run instead of along the outline. With an `edge` in metres
    all triangles get edges about as long, and good shapes: for what bends, melts or breaks.
    """
    rings = shaped(rings, form.weight, form.fill, form.wall / unit, form.join)
    if form.tube is not None:
        return part_of(_tubes(rings, list(strokes), form, form.tube.whole, unit, edge), form.tube)
    if not rings:  # a glyph without ink
        return NOTHING
    lines = [_upright(profile(edge) / (unit, 1.0)) for edge in (form.front_used, form.rear_used)]
    built = _build(rings, lines, form, unit, edge)
    if not closed(built.triangles):
        # Where a level touches itself an upright riser would share an edge with another: let risers lean a little.
        built = _build(rings, [line if undercut(line) else sloped(line, GENTLE) for line in lines], form, unit, edge)
    # Only a shaped outline can be so thin somewhere; letters as they are drawn need not be looked through.
    return with_volume(built, LEAST * unit**2 * form.depth) if form.weight or form.wall else built


def with_volume(built: Solid, least: float) -> Solid:
    """A closed solid without those of its parts (triangles that hang together by edges) whose volume is not above
    `least` cubic metres: a weight that eats a hairline can leave two triangles back to back."""
    from scipy.sparse import coo_matrix  # loads for long, and few letters need it
    from scipy.sparse.csgraph import connected_components

    count = len(built.triangles)
    if not count:
        return built
    there, back = directed(built.triangles)
    neighbours = coo_matrix((np.ones(3 * count), (np.argsort(there) // 3, np.argsort(back) // 3)), (count, count))
    parts, part = connected_components(neighbours, directed=False)
    if parts == 1:
        return built
    a, b, c = (built.vertices[built.triangles[:, k]] for k in range(3))
    volume = np.bincount(part, np.einsum("ij,ij->i", a, np.cross(b, c)) / 6, parts)
    keep = (np.abs(volume) > least)[part]
    if keep.all():
        return built
    used, triangles = np.unique(built.triangles[keep], return_inverse=True)
    return Solid(
        np.ascontiguousarray(built.vertices[used]),
        triangles.reshape(-1, 3),
        built.facet[keep],
        built.normals[keep],
        built.ridged,
        None if built.along is None else built.along[used],
        None if built.ring is None else built.ring[used],
    )


def _upright(line: Floats) -> Floats:
    """Risers stay upright, except in a profile that is undercut: there they lean."""
    return leaning(line, GENTLE) if undercut(line) else line


def _tubes(rings: list[Ring], strokes: list[Line], form: Form, tube: Tube, unit: float, edge: float | None) -> Solid:
    rows = middle_lines(rings, strokes, tube, unit, form.join)
    lines = [line for row in rows for line in row]
    outline = bands(lines, tube, unit)
    if not outline:
        return NOTHING
    section = tube.edge
    # The edges of a round section take all its height but the sliver that a return needs.
    swept = Form(tube.depth / MOST_EDGES, section, section, "sharp", form.grow)
    built = solid(outline, swept, unit, edge=edge)
    shares, line = along(lines, built.vertices[:, :2] / unit)
    ring = np.array([closed for closed, _ in lines])[line]
    facet = built.facet
    if tube.rows > 1:
        # Those beside the first wear what the rear of a letter does, and nothing of the first does.
        _, nearest = along(lines, built.vertices[built.triangles].mean(1)[:, :2] / unit)
        beside = np.repeat(np.arange(len(rows)), [len(row) for row in rows])[nearest] > 0
        facet = np.where(beside, REAR, np.where(facet == REAR, FACE, facet)).astype(np.uint8)
    return replace(built, ridged=False, facet=facet, along=shares, ring=ring)


def _build(rings: list[Ring], lines: list[Floats], form: Form, unit: float, edge: float | None) -> Solid:
    if edge is None:
        levels = merge_levels(*lines)
        made = plan(rings, levels, form.join)
    else:
        levels, narrowest = even_levels([line * (1, 1 / unit) for line in lines], edge / unit)
        made = even_plan(rings, levels, narrowest, edge / unit, form.join)
    half = form.depth / 2
    front, rear = (
        _lifted(made, levels, line, half - used.height * used.cuts, rings, form.join)
        for line, used in zip(lines, (form.front_used, form.rear_used), strict=True)
    )
    count = len(front.points)
    vertices = np.vstack([front.points * (unit, unit, 1), rear.points * (unit, unit, -1)])
    vertices[:, 2] += form.middle
    rims = front.rim, (rear.rim[0] + count, rear.rim[1] + count)
    vertices, returns = _returns(vertices, *rims, edge)
    facet = np.concatenate(
        [
            np.where(front.on_face, FACE, BEVEL),
            np.full(len(returns), RETURN),
            np.where(rear.on_face, REAR, REAR_BEVEL),
        ]
    ).astype(np.uint8)
    used, triangles = np.unique(
        np.vstack([front.triangles, returns, rear.triangles[:, ::-1] + count]), return_inverse=True
    )
    triangles = triangles.reshape(-1, 3)
    vertices = np.ascontiguousarray(vertices[used])
    normals = corner_normals(vertices, triangles, facet)
    return Solid(vertices, triangles, facet, normals, _has_ridge(made.inset, levels))


def _lifted(made: Plan, levels: Floats, line: Floats, base: float, rings: list[Ring], join: Join) -> Side:
    if undercut(line):
        return lift_undercut(made, levels, line, base, InsetField(rings, float(levels[-1]), join))
    return lift(made, levels, over_levels(line, levels), base)


def _returns(vertices: FloatN3, front: Rim, rear: Rim, edge: float | None) -> tuple[FloatN3, IntN3]:
    """The walls from the front's rim to the rear's: one strip, or more of about an edge each, diagonals alternating."""
    start = front[0]
    depth = float(np.abs(vertices[start[0], 2] - vertices[rear[0][0], 2])) if len(start) else 0.0
    strips = 1 if edge is None else max(1, round(depth / edge))
    rim, place = np.unique(np.concatenate(front), return_inverse=True)
    below = np.empty(len(rim), np.int64)
    below[place] = np.concatenate(rear)
    rows = [rim]
    added = [vertices]
    count = len(vertices)
    for k in range(1, strips):
        share = k / strips
        added.append(vertices[rim] * (1 - share) + vertices[below] * share)
        rows.append(count + np.arange(len(rim)))
        count += len(rim)
    rows.append(below)
    a, b = place[: len(start)], place[len(start) :]
    walls = []
    for k in range(strips):
        p, q, r, s = rows[k][a], rows[k + 1][a], rows[k + 1][b], rows[k][b]
        if k % 2 == 0:
            walls += [np.stack([p, q, s], 1), np.stack([s, q, r], 1)]
        else:
            walls += [np.stack([p, q, r], 1), np.stack([p, r, s], 1)]
    return np.vstack(added), np.vstack(walls)


def closed(triangles: IntN3) -> bool:
    """Is every edge used once in each direction?"""
    there, back = directed(triangles)
    there.sort()
    back.sort()
    return bool((there[1:] != there[:-1]).all() and (there == back).all())


def _has_ridge(inset: NDArray[np.float64], levels: NDArray[np.float64]) -> bool:
    """A vertex between two levels was put in by refinement: the bevel meets itself there."""
    if len(levels) < 2:
        return False
    off = np.abs(inset[:, None] - levels[None]).min(1)
    return bool((off > 0.02 * levels[-1]).any())
