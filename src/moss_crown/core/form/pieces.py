"""Letters in pieces: a solid cut by convex cells, by the sides of a line, or into polygons of its surface.

Nothing is lost or added: pieces are closed, and their volumes add up to the letter's. What was inside it is a facet of
its own. Which pieces there are follows from a solid at one tolerance; the same letter at any other is cut by the same
cells, and its parts are those pieces that they lie nearest to.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import FACETS, INSIDE, IntN3, Solid, boundary, directed
from moss_crown.core.values.noise import hashed, seed_of

Floats: TypeAlias = NDArray[np.float64]
Ints: TypeAlias = NDArray[np.int64]
Way: TypeAlias = Literal["chunks", "shell", "strips", "bricks", "rays", "line"]

OUTER = len(FACETS) - 1
"""So many facets a letter has before it is cut."""
LEAST_PART = 0.2
"""A part smaller than this share of a usual piece goes with the one that it lies against."""
TOUCHING = 1e-5
"""Metres."""
BEYOND = 0.05
"""Cells reach this far beyond a letter, as a share of its size."""
BRICK = 2.0
"""So many times as wide as high is a brick."""
_ROUNDS = 14
_SHELL_ROUNDS = 40
_POINTS_A_CELL = 60
_MOST_POINTS = 24_000


@dataclass(frozen=True)
class Cut:
    """How a letter is cut. Metres, in its own space.

    About `number` pieces of even size, or with `size` above 0 pieces about so large, whatever their number. `even`: 1
    for pieces that are as alike as may be, 0 for what chance gives. `turn` (radians) of strips and bricks; rays go out
    from `point`; a letter is cut along a `line` (n, 2), which is `closed` or goes on straight at both ends. Strips,
    bricks and rays lie in a frame of their own, `of` (a, b, c, d, x, y) leading there from the letter's, and between
    `low` and `high` of it, or where both are alike from end to end of the letter. `thick`: of a shell. There are never
    more than about `most` pieces.
    """

    way: Way = "chunks"
    number: int = 24
    size: float = 0.0
    even: float = 1.0
    turn: float = 0.0
    point: tuple[float, float] = (0.0, 0.0)
    line: tuple[tuple[float, float], ...] = ()
    closed: bool = False
    thick: float = 0.05
    seed: int = 1
    most: int = 400
    of: tuple[float, float, float, float, float, float] = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
    low: tuple[float, float] = (0.0, 0.0)
    high: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class Parts:
    """The cell of each part (n), its middle (n, 3), and the piece that it is of (n); the box (2, 3) that cells fill,
    and the seeds of those that have any (c, 3)."""

    cells: Ints
    middles: Floats
    pieces: Ints
    box: Floats
    seeds: Floats


NO_PARTS = Parts(np.zeros(0, np.int64), np.zeros((0, 3)), np.zeros(0, np.int64), np.zeros((2, 3)), np.zeros((0, 3)))


@dataclass(frozen=True)
class Pieces:
    """A letter in pieces: a solid of all of them, each closed by itself, which says what each vertex is of. Of each
    piece (p): its middle (p, 3), its volume in cubic metres, and the corners of its box (p, 2, 3). `parts`: what
    the cells made of the letter, with the piece that each went into."""

    solid: Solid
    middles: Floats
    volumes: Floats
    boxes: Floats
    parts: Parts

    @property
    def of(self) -> NDArray[np.int32]:
        """(n): which piece each vertex is of."""
        assert self.solid.piece is not None
        return self.solid.piece

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.middles)

    @cached_property
    def hulls(self) -> list[Floats]:
        """Of each piece corners (n, 3) whose hull is about its own: the farthest along many directions."""
        ends = np.searchsorted(self.of, np.arange(self.count + 1))
        return [_farthest(self.solid.vertices[a:b]) for a, b in pairwise(ends.tolist())]

    @property
    def nbytes(self) -> int:
        """What it takes in memory."""
        s = self.solid
        return s.vertices.nbytes + s.triangles.nbytes + s.facet.nbytes + s.normals.nbytes + self.of.nbytes


def _farthest(points: Floats) -> Floats:
    along = points[:, 0, None] * WAYS[:, 0] + points[:, 1, None] * WAYS[:, 1] + points[:, 2, None] * WAYS[:, 2]
    return np.asarray(points[np.unique(np.argmax(along, 0))])


def _around(count: int) -> Floats:
    """(n, 3) directions spread evenly (a spiral over the ball by the golden angle)."""
    k = np.arange(count) + 0.5
    z, angle = 1 - 2 * k / count, k * math.pi * (3 - math.sqrt(5))
    flat = np.sqrt(1 - z * z)
    return np.stack([flat * np.cos(angle), flat * np.sin(angle), z], 1)


WAYS = _around(120)


def in_pieces(solid: Solid, cut: Cut, known: Pieces | None = None) -> Pieces:
    """A solid cut into pieces. `known` are those of the same letter at another tolerance: these
    pieces are the same."""
    if not len(solid.triangles):
        return _gathered(solid, [])
    if cut.way == "shell":
        return _shell(solid, cut)
    if known is not None and not known.count:
        return known
    made, first = _as_manifold(solid)
    parts: list[tuple[int, Any]] = []
    box, points = _bounds(solid, cut) if known is None else (known.parts.box, known.parts.seeds)
    for number, cell in enumerate(_cells(cut, box, points)):
        parts += [(number, part) for part in cell(made).decompose() if part.volume() > 0]
    cells, middles = np.array([cell for cell, _ in parts], np.int64), np.array([_middle(part) for _, part in parts])
    which = _grouped(parts) if known is None else _nearest(cells, middles, known.parts)
    count = (max(which) + 1 if which else 0) if known is None else known.count
    groups = [[part for (_, part), k in zip(parts, which, strict=True) if k == p] for p in range(count)]
    found = _gathered(
        solid, groups, Parts(cells, middles.reshape(-1, 3), np.array(which, np.int64), box, points), first
    )
    if known is None:
        return found
    return replace(found, middles=known.middles, volumes=known.volumes, boxes=known.boxes, parts=known.parts)


def _nearest(cells: Ints, middles: Floats, known: Parts) -> list[int]:
    """Of which piece each part is: as the known part that it is nearest to, of its cell, or where that has none, of
    all."""
    found = []
    for cell, middle in zip(cells, middles, strict=True):
        away = np.square(known.middles - middle).sum(1)
        own = known.cells == cell
        found.append(int(known.pieces[np.argmin(np.where(own, away, np.inf) if own.any() else away)]))
    return found


def _middle(part: Any) -> Floats:
    low, high = np.array(part.bounding_box()).reshape(2, 3)
    return np.asarray((low + high) / 2)


def _grouped(parts: list[tuple[int, Any]]) -> list[int]:
    """Of which piece each part is, counted from 0: crumbs go with what they lie against."""
    volumes = np.array([part.volume() for _, part in parts])
    usual = float(np.median(volumes)) if len(parts) else 0.0
    boxes = np.array([part.bounding_box() for _, part in parts]).reshape(-1, 2, 3)
    group = list(range(len(parts)))
    for k in np.argsort(volumes, kind="stable").tolist():
        if volumes[k] >= LEAST_PART * usual:
            break
        near = (boxes[:, 0] <= boxes[k, 1] + TOUCHING) & (boxes[:, 1] >= boxes[k, 0] - TOUCHING)
        beside = [j for j in np.flatnonzero(near.all(1)).tolist() if j != k]
        beside.sort(key=lambda j: -_shared(boxes[k], boxes[j]))
        for j in beside:
            if group[j] != group[k] and parts[k][1].min_gap(parts[j][1], 2 * TOUCHING) <= TOUCHING:
                before, after = group[k], group[j]
                group = [after if own == before else own for own in group]
                volumes[[own == after for own in group]] = volumes[j] + volumes[k]
                break
    numbers = {own: number for number, own in enumerate(sorted(set(group)))}
    return [numbers[own] for own in group]


def _shared(a: Floats, b: Floats) -> float:
    """How much of two boxes (2, 3) lies beside each other."""
    return float(np.maximum(np.minimum(a[1], b[1]) - np.maximum(a[0], b[0]), TOUCHING).prod())


def _as_manifold(solid: Solid) -> tuple[Any, int]:
    """A solid whose facets are runs of their own: what they become is told by the ids of the runs. Answers it and the
    id of the first facet."""
    import manifold3d

    first = int(manifold3d.Manifold.reserve_ids(OUTER))
    order = np.argsort(solid.facet, kind="stable")
    starts = np.searchsorted(solid.facet[order], np.arange(OUTER + 1))
    mesh = manifold3d.Mesh64(
        np.ascontiguousarray(solid.vertices),
        np.ascontiguousarray(solid.triangles[order], np.uint64),
        run_index=(3 * starts).astype(np.uint64),
        run_original_id=np.arange(first, first + OUTER, dtype=np.uint32),
        face_id=order.astype(np.uint64),
    )
    return manifold3d.Manifold(mesh), first


def _gathered(solid: Solid, groups: Sequence[Sequence[Any]], own: Parts = NO_PARTS, first: int = 0) -> Pieces:
    """Parts by pieces as one solid; facets and normals are those of the triangles that they were cut from."""
    vertices, triangles, facets, normals, of = [np.zeros((0, 3))], [np.zeros((0, 3), np.int64)], [], [], []
    volumes, count = [], 0
    for number, parts in enumerate(groups):
        volumes.append(sum(float(part.volume()) for part in parts))
        for part in parts:
            places, corners, facet, normal = _as_arrays(part, solid, first)
            vertices.append(places)
            triangles.append(corners + count)
            facets.append(facet)
            normals.append(normal)
            of.append(np.full(len(places), number, np.int32))
            count += len(places)
    every, whole = np.concatenate(vertices), np.concatenate([np.zeros(0, np.int32), *of])
    made = Solid(
        every,
        np.concatenate(triangles),
        np.concatenate([np.zeros(0, np.uint8), *facets]),
        np.concatenate([np.zeros((0, 3, 3), np.float32), *normals]),
        False,
        piece=whole,
    )
    boxes = _boxes(every, whole, len(groups))
    return Pieces(made, boxes.mean(1), np.array(volumes), boxes, own)


def _boxes(vertices: Floats, of: NDArray[np.int32], count: int) -> Floats:
    """(p, 2, 3) the boxes around the vertices of each piece."""
    boxes = np.zeros((count, 2, 3))
    if len(vertices):
        starts = np.searchsorted(of, np.arange(count))
        boxes[:, 0] = np.minimum.reduceat(vertices, starts)
        boxes[:, 1] = np.maximum.reduceat(vertices, starts)
    return boxes


def _as_arrays(part: Any, solid: Solid, first: int) -> tuple[Floats, IntN3, NDArray[np.uint8], NDArray[np.float32]]:
    """Vertices, triangles, facets and corner normals of a part of a solid."""
    mesh = part.to_mesh64()
    places = np.asarray(mesh.vert_properties)[:, :3].astype(np.float64)
    corners = np.asarray(mesh.tri_verts).astype(np.int64)
    facet = np.full(len(corners), INSIDE, np.uint8)
    ids, runs = np.asarray(mesh.run_original_id), np.asarray(mesh.run_index).astype(np.int64) // 3
    for id, begin, end in zip(ids, runs[:-1], runs[1:], strict=True):
        if first <= id < first + OUTER:
            facet[begin:end] = id - first
    at = places[corners]
    flat = np.cross(at[:, 1] - at[:, 0], at[:, 2] - at[:, 0])
    flat /= np.maximum(np.sqrt(np.square(flat).sum(1, keepdims=True)), 1e-300)
    normals = np.repeat(flat[:, None], 3, 1)
    outer = np.flatnonzero(facet != INSIDE)
    normals[outer] = _carried(solid, np.asarray(mesh.face_id).astype(np.int64)[outer], at[outer])
    return places, corners, facet, normals.astype(np.float32)


def _carried(solid: Solid, source: Ints, at: Floats) -> Floats:
    """(m, 3, 3) corner normals at places (m, 3, 3) within triangles of a solid."""
    a, b, c = (solid.vertices[solid.triangles[source, k]][:, None] for k in range(3))
    u, v, w = b - a, c - a, at - a
    uu, uv, vv = (u * u).sum(-1), (u * v).sum(-1), (v * v).sum(-1)
    wu, wv = (w * u).sum(-1), (w * v).sum(-1)
    size = np.maximum(uu * vv - uv * uv, 1e-300)
    share_b, share_c = (vv * wu - uv * wv) / size, (uu * wv - uv * wu) / size
    shares = np.clip(np.stack([1 - share_b - share_c, share_b, share_c], -1), 0, 1)
    found = (shares[..., None] * solid.normals[source][:, None].astype(np.float64)).sum(2)
    return np.asarray(found / np.maximum(np.sqrt(np.square(found).sum(-1, keepdims=True)), 1e-12))


def _bounds(solid: Solid, cut: Cut) -> tuple[Floats, Floats]:
    """The box (2, 3) that cells of a solid fill, and their seeds (c, 3) where they have any."""
    low, high = solid.vertices.min(0), solid.vertices.max(0)
    margin = BEYOND * float((high - low).max())
    points = seeds(solid, cut) if cut.way == "chunks" else np.zeros((0, 3))
    return np.array([low - margin, high + margin]), points


def _cells(cut: Cut, box: Floats, points: Floats) -> list[Any]:
    """For each cell what it makes of a manifold."""
    import manifold3d

    low, high = box

    def within(points: Floats) -> Any:
        hull = manifold3d.Manifold.hull_points(points)
        return lambda made: made ^ hull

    if cut.way == "chunks":
        return [within(cell) for cell in voronoi(points, low, high)]
    if cut.way == "line":
        return _sides(cut, low, high)
    return [within(_upright(polygon, low[2], high[2])) for polygon in _polygons(cut, low, high)]


def _upright(polygon: Floats, low: float, high: float) -> Floats:
    """The corners of a prism over a polygon (n, 2)."""
    return np.concatenate([np.column_stack([polygon, np.full(len(polygon), z)]) for z in (low, high)])


def _sides(cut: Cut, low: Floats, high: Floats) -> list[Any]:
    """One side of a line and the other; or its inside and what is around it."""
    import manifold3d

    line = np.array(cut.line, np.float64).reshape(-1, 2)
    if len(line) < 2:
        return [lambda made: made]
    if not cut.closed:
        far = 4 * float(np.abs(np.concatenate([high - low, high, low])).max() + np.abs(line).max())
        ends = [line[0] - line[1], line[-1] - line[-2]]
        ends = [way / max(float(np.sqrt(way @ way)), 1e-12) for way in ends]
        begin, end = line[0] + far * ends[0], line[-1] + far * ends[1]
        aside = np.array([end[1] - begin[1], begin[0] - end[0]])
        aside = aside / max(float(np.sqrt(aside @ aside)), 1e-12) * 2 * far
        line = np.vstack([begin, line, end, end + aside, begin + aside])
    over = manifold3d.CrossSection([line], manifold3d.FillRule.NonZero)
    prism = over.extrude(float(high[2] - low[2])).translate((0.0, 0.0, float(low[2])))
    return [lambda made: made ^ prism, lambda made: made - prism]


def _polygons(cut: Cut, low: Floats, high: Floats) -> list[Floats]:
    """Convex polygons (n, 2) in the letter's own space that cover it: strips, bricks, or rays."""
    a, b, c, d, x, y = cut.of
    into = np.array([[a, b], [c, d]])
    back = np.linalg.inv(into)
    box = np.array([(low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1])])
    around = box @ into.T + (x, y)  # the letter, in the frame of what it is cut in
    whole = np.array([cut.low, cut.high]) if cut.low != cut.high else np.array([around.min(0), around.max(0)])
    cos, sin = float(np.cos(cut.turn)), float(np.sin(cut.turn))
    turned = np.array([[cos, sin], [-sin, cos]])
    if cut.way == "rays":
        found = _rays(cut, around)
    else:
        own = around @ turned.T
        corners = np.array([(i, j) for i in whole[:, 0] for j in whole[:, 1]]) @ turned.T
        low2, high2 = corners.min(0), corners.max(0)
        made = _strips(cut, own, low2, high2) if cut.way == "strips" else _bricks(cut, own, low2, high2)
        found = [polygon @ turned for polygon in made]
    return [(polygon - (x, y)) @ back.T for polygon in found]


def _strips(cut: Cut, own: Floats, low: Floats, high: Floats) -> list[Floats]:
    """Across the first axis, from `low` to `high`, those that meet what reaches as far as `own` (n, 2)."""
    long = float(high[0] - low[0])
    count = max(1, min(cut.most, round(long / cut.size) if cut.size > 0 else cut.number))
    at = _uneven(low[0], long, count, cut.even, seed_of(cut.seed, "strips"))
    at[0], at[-1] = min(at[0], float(own[:, 0].min())) - 1, max(at[-1], float(own[:, 0].max())) + 1
    bottom, top = float(own[:, 1].min()) - 1, float(own[:, 1].max()) + 1
    least, largest = float(own[:, 0].min()), float(own[:, 0].max())
    return [
        np.array([(p, bottom), (q, bottom), (q, top), (p, top)]) for p, q in pairwise(at) if q > least and p < largest
    ]


def _uneven(begin: float, long: float, count: int, even: float, seed: int) -> list[float]:
    """Where so many stretches begin, and the last ends."""
    wide = long / count
    off = (hashed(seed, np.arange(count + 1)) - 0.5) * 0.9 * (1 - even) * wide
    off[0] = off[-1] = 0
    return [float(begin + k * wide + off[k]) for k in range(count + 1)]


def _bricks(cut: Cut, own: Floats, low: Floats, high: Floats) -> list[Floats]:
    area = float(np.prod(high - low))
    tall = cut.size if cut.size > 0 else float(np.sqrt(area / (BRICK * max(cut.number, 1))))
    tall = max(tall, float(np.sqrt(area / (BRICK * cut.most))))
    rows = max(1, round(float(high[1] - low[1]) / tall))
    up = _uneven(float(low[1]), float(high[1] - low[1]), rows, cut.even, seed_of(cut.seed, "rows"))
    up[0], up[-1] = min(up[0], float(own[:, 1].min())) - 1, max(up[-1], float(own[:, 1].max())) + 1
    columns = max(1, round(float(high[0] - low[0]) / (BRICK * tall)))
    wide = float(high[0] - low[0]) / columns
    least, largest = own.min(0), own.max(0)
    found = []
    for row in range(rows):
        begin = float(low[0]) - (0.5 * wide if row % 2 else 0.0)
        count = columns + row % 2
        across = _uneven(begin, count * wide, count, cut.even, seed_of(cut.seed, "row", row))
        across[0], across[-1] = min(across[0], least[0]) - 1, max(across[-1], largest[0]) + 1
        if up[row] > largest[1] or up[row + 1] < least[1]:
            continue
        found += [
            np.array([(p, up[row]), (q, up[row]), (q, up[row + 1]), (p, up[row + 1])])
            for p, q in pairwise(across)
            if q > least[0] and p < largest[0]
        ]
    return found


def _rays(cut: Cut, around: Floats) -> list[Floats]:
    """Wedges about a point."""
    count = max(3, min(cut.most, cut.number))
    middle = np.array(cut.point)
    far = 4 * float(np.abs(around - middle).max()) + 1
    at = np.array(_uneven(0.0, 2 * np.pi, count, cut.even, seed_of(cut.seed, "rays"))) + cut.turn
    ends = middle + far * np.stack([np.cos(at), np.sin(at)], 1)
    return [np.array([middle, p, q]) for p, q in pairwise(ends)]


def seeds(solid: Solid, cut: Cut) -> Floats:
    """(n, 3) the middles of cells of a solid. Even ones move, a share of the way, to the middles of what is nearest to
    them, over and over (Lloyd, "Least squares quantization in PCM", 1982)."""
    wanted = cut.number
    if cut.size > 0:
        thick = float(np.ptp(solid.vertices[:, 2]))
        wanted = round(solid.volume / (cut.size**2 * min(cut.size, max(thick, 1e-9))))
    count = max(1, min(cut.most, wanted))
    points = _inside(solid, min(_MOST_POINTS, max(400, _POINTS_A_CELL * count)), cut.seed)
    order = np.argsort(hashed(seed_of(cut.seed, "chosen"), np.arange(len(points))), kind="stable")
    chosen = points[order[:count]].copy()
    from scipy.spatial import cKDTree  # loads for long

    for _ in range(round(_ROUNDS * cut.even)):
        _, near = cKDTree(chosen).query(points)
        held = np.maximum(np.bincount(near, minlength=len(chosen)), 1)
        middles = np.stack([np.bincount(near, points[:, axis], len(chosen)) / held for axis in range(3)], 1)
        chosen = np.where((np.bincount(near, minlength=len(chosen)) > 0)[:, None], middles, chosen)
    return chosen


def _inside(solid: Solid, count: int, seed: int) -> Floats:
    """(n, 3) places all through a solid that is as deep behind its middle as before it, spread evenly by area of its
    front, each anywhere between front and rear."""
    a, b, c = (solid.vertices[solid.triangles[:, k]] for k in range(3))
    area = ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])) / 2
    middle = float(solid.vertices[:, 2].min() + solid.vertices[:, 2].max()) / 2
    front = np.where((area > 0) & ((a[:, 2] + b[:, 2] + c[:, 2]) / 3 >= middle), area, 0.0)
    rising = np.cumsum(front)
    # Even steps along the rising area, each moved by chance within its step: no two are as near as chance alone allows.
    at = (np.arange(count) + hashed(seed_of(seed, "step"), np.arange(count))) / count * rising[-1]
    which = np.minimum(np.searchsorted(rising, at, side="right"), len(front) - 1)
    u, v, w = (hashed(seed_of(seed, name), np.arange(count)) for name in ("u", "v", "w"))
    u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
    places = a[which] + u[:, None] * (b - a)[which] + v[:, None] * (c - a)[which]
    places[:, 2] = middle + (places[:, 2] - middle) * (2 * w - 1)
    return np.asarray(places)


def voronoi(points: Floats, low: Floats, high: Floats) -> list[Floats]:
    """The corners of what of a box is nearer to each of some points within it (n, 3) than to all others. Mirror images
    in the sides of the box bound the cells."""
    from scipy.spatial import Voronoi

    mirrored = [points]
    for axis in range(3):
        for bound in (low, high):
            other = points.copy()
            other[:, axis] = 2 * bound[axis] - other[:, axis]
            mirrored.append(other)
    cells = Voronoi(np.vstack(mirrored))
    return [cells.vertices[cells.regions[cells.point_region[k]]] for k in range(len(points))]


def _shell(solid: Solid, cut: Cut) -> Pieces:
    """The surface of an evenly meshed solid, in polygons about some of its vertices: of each triangle the part that is
    nearest to a corner, bounded by the middles of its edges, goes with what that corner is of; with a thickness."""
    v, t = solid.vertices, solid.triangles
    flat = np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]])
    unit = _at_vertices(solid, flat)
    piece_of = _patches(solid, cut)
    # A triangle is of the piece that most of its corners are of, or the first's.
    own = piece_of[t]
    tri = np.where((own[:, 1] == own[:, 2]), own[:, 1], own[:, 0])
    count = int(piece_of.max()) + 1
    order = np.argsort(tri, kind="stable")
    t, tri = t[order], tri[order]
    facet, corner_normals = solid.facet[order], solid.normals[order].astype(np.float64)
    top, first = _fans(t, tri)
    of, at = tri[first // 3].astype(np.int32), t.ravel()[first]
    outer, inner = v[at], v[at] - cut.thick * unit[at]
    n = len(first)
    low = top[:, ::-1] + n
    p, q = boundary(top)
    walls = np.concatenate([np.stack([p, p + n, q + n], 1), np.stack([p, q + n, q], 1)])
    triangles = np.concatenate([top, low, walls])
    vertices = np.concatenate([outer, inner])
    facets = np.concatenate([facet, np.full(len(low) + len(walls), INSIDE, np.uint8)])
    inside = vertices[np.concatenate([low, walls])]
    plain = np.cross(inside[:, 1] - inside[:, 0], inside[:, 2] - inside[:, 0])
    plain /= np.maximum(np.sqrt(np.square(plain).sum(1, keepdims=True)), 1e-300)
    normals = np.concatenate([corner_normals, np.repeat(plain[:, None], 3, 1)])
    return _sorted(vertices, triangles, facets, normals, np.concatenate([of, of]), count)


def _at_vertices(solid: Solid, flat: Floats) -> Floats:
    """(n, 3) unit normals at vertices, from those of triangles by their area (m, 3)."""
    corner = solid.triangles.ravel()
    sums = [np.bincount(corner, np.repeat(flat[:, i], 3), len(solid.vertices)) for i in range(3)]
    normal = np.stack(sums, 1).astype(np.float64)
    return np.asarray(normal / np.maximum(np.sqrt(np.square(normal).sum(1, keepdims=True)), 1e-300))


def _fans(triangles: IntN3, tri: Ints) -> tuple[IntN3, Ints]:
    """Triangles (m, 3) with vertices of their own for each patch (m), and for each fan of it about a vertex that it
    only touches there: new triangles, and for each new vertex a corner (3 m) that it is of."""
    from scipy.sparse import coo_matrix  # loads for long
    from scipy.sparse.csgraph import connected_components

    count = triangles.size
    corner = np.arange(count).reshape(-1, 3)
    there, back = directed(triangles)
    order = np.argsort(there)
    place = np.minimum(np.searchsorted(there[order], back), count - 1)
    other = order[place]
    own = (there[other] == back) & (tri[other // 3] == np.repeat(tri, 3))
    a = np.flatnonzero(own)
    b = other[a]
    # An edge begins where its other side ends.
    ahead = corner[a // 3, (a + 1) % 3], corner[b // 3, (b + 1) % 3]
    rows, columns = np.concatenate([a, ahead[0]]), np.concatenate([ahead[1], b])
    links = coo_matrix((np.ones(len(rows)), (rows, columns)), (count, count))
    _, fan = connected_components(links, directed=False)
    _, first, numbers = np.unique(fan, return_index=True, return_inverse=True)
    return numbers.reshape(-1, 3), first


def _sorted(
    vertices: Floats, triangles: IntN3, facet: NDArray[np.uint8], normals: Floats, of: NDArray[np.int32], count: int
) -> Pieces:
    """Pieces from arrays in any order: vertices are put into the order of their pieces."""
    order = np.argsort(of, kind="stable")
    place = np.empty(len(order), np.int64)
    place[order] = np.arange(len(order))
    vertices, of, triangles = vertices[order], of[order], place[triangles]
    a, b, c = (vertices[triangles[:, k]] for k in range(3))
    volumes = np.bincount(of[triangles[:, 0]], (a * np.cross(b, c)).sum(1) / 6, count).astype(np.float64)
    boxes = _boxes(vertices, of, count)
    solid = Solid(vertices, triangles, facet, normals.astype(np.float32), False, piece=of)
    return Pieces(solid, boxes.mean(1), volumes, boxes, NO_PARTS)


def _patches(solid: Solid, cut: Cut) -> Ints:
    """(n): which patch of the surface each vertex is of; patches are about as large as each other."""
    from scipy.spatial import cKDTree

    v, t = solid.vertices, solid.triangles
    flat = np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]])
    area = np.sqrt(np.square(flat).sum(1)) / 2
    weight = np.bincount(t.ravel(), np.repeat(area / 3, 3), len(v))
    wanted = round(float(area.sum()) / cut.size**2) if cut.size > 0 else cut.number
    count = max(1, min(cut.most, wanted, len(v)))
    normal = _at_vertices(solid, flat)
    # What looks another way is as far off as a third of a patch: front and rear of a thin letter are never one.
    seen = np.concatenate([v, normal * (0.35 * np.sqrt(float(area.sum()) / count))], 1)
    order = np.argsort(hashed(seed_of(cut.seed, "vertices"), np.arange(len(v))), kind="stable")
    mixed = np.cumsum(weight[order])
    at = (np.arange(count) + hashed(seed_of(cut.seed, "patch"), np.arange(count))) / count * mixed[-1]
    chosen = seen[order[np.minimum(np.searchsorted(mixed, at), len(v) - 1)]].copy()
    near: Ints = np.zeros(len(v), np.int64)
    for _ in range(1 + round(_SHELL_ROUNDS * cut.even)):
        _, near = cKDTree(chosen).query(seen)
        held = np.bincount(near, weight, len(chosen))
        sums = np.stack([np.bincount(near, weight * seen[:, axis], len(chosen)) for axis in range(6)], 1)
        middles = sums / np.maximum(held, 1e-300)[:, None]
        chosen = np.where((held > 0)[:, None], middles, chosen)
    _, numbers = np.unique(near, return_inverse=True)
    return np.asarray(numbers)
