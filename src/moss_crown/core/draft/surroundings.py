"""What of the stage stands around a place: floor and wall hide the environment, and send the light of lamps on.

For the draft, which draws without paths: beside the environment it looks this up. Grounds throw no shadows here. What
they send each other is found by rounds of light between their middles (Goral, Torrance, Greenberg and Battaile,
"Modeling the Interaction of Light Between Diffuse Surfaces", SIGGRAPH 1984); what is glossy mirrors once, by
some of its microfacets.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.draft.room import Ground, Lamp, Room
from moss_crown.core.errors import TooMany
from moss_crown.core.look.environment import Picture, directions, lookup, shrunk, tilted, turn_matrix
from moss_crown.core.look.prefilter import weights
from moss_crown.core.values.curves import smooth

WIDTH, HEIGHT = 64, 32
"""Texels of each picture of what is around."""
ROUGHNESS = (0.0, 0.2254, 0.3675, 0.5528, 1.0)
"""Of the levels of a picture: those of a prefiltered environment, but for its second."""
_SHARP = 2
"""So many levels say what share of the environment is hidden; in the others its light is taken off. Where much is seen
at once, half of the directions are often dark, and a share would hide the bright half with them; where little is, the
pictures here are too coarse for taking off."""
_COARSE = (24, 12)
_STEPS = (4, 8, 16, 32)
_ROUNDS = 4
_FACETS = 12
_APART = (0.7548776662466927, 0.5698402909980532)
"""Of a rough piece are asked what they mirror; and how far those of neighbours stand apart (Roberts, 2018)."""
_ROUGH, _SHARPEST = 0.1, 0.002
"""A roughness up to which one is asked; and the least of its squares."""
_LIFT = 1e-4
_NEAREST = 0.05

Floats: TypeAlias = NDArray[np.float64]
Place: TypeAlias = tuple[float, float, float]


@dataclass(frozen=True)
class _Matter:
    """What a ground is made of."""

    colour: Floats  # of what is sent back to all sides
    mirrors: Floats  # of what is mirrored, seen straight
    roughness: float
    glow: Floats


@dataclass(frozen=True)
class _Piece:
    """A flat part of a ground, or a whole globe: where it is met, and the place that stands for it."""

    ground: int
    centre: Floats
    normal: Floats
    edges: Floats | None  # (2, 3) half edges; a globe has none
    radius: float
    middle: Floats


def seen_around(room: Room) -> NDArray[np.float32]:
    """(1 + grounds, levels, HEIGHT, WIDTH, 4): around the room's place, and around each ground next to it: light that
    is added to the environment's, and the share of that which is hidden before. Laid out as environments are.

    Sharp levels hold the grounds' light and the share of directions in which they stand; the others the grounds' light
    less that of the environment behind them, which may be below 0, and hide no share.

    Raises PictureUnknown, TooMany.
    """
    pieces = _all_pieces(room)
    seen = (1 + len(room.grounds)) * (len(pieces) + len(room.lamps) // 4)
    if seen > limits.ROOM_WORK:
        raise TooMany("grounds", "parts of grounds and lamps, seen from each ground", seen, limits.ROOM_WORK)
    picture = tilted(room.preset, room.tilt)
    light = _Light(
        room.lamps,
        tuple(shrunk(picture, step) for step in _STEPS),
        turn_matrix(room.turn),
        room.strength,
        [_matter(ground) for ground in room.grounds],
        pieces,
        np.zeros((len(pieces), 3)),
    )
    light = replace(light, ambient=_between(light))
    return np.stack([_levels(*_view(place, light)) for place in places_of(room)])


def places_of(room: Room) -> Floats:
    """(1 + grounds, 3) metres, from where `seen_around` sees: the room's place, and next to it on each ground."""
    pieces = _all_pieces(room)
    places = [np.array(room.place)]
    for k in range(len(room.grounds)):
        own = [piece.middle + _LIFT * piece.normal for piece in pieces if piece.ground == k]
        places.append(min(own, key=lambda p: float(np.linalg.norm(p - places[0])), default=places[0]))
    return np.stack(places)


def _all_pieces(room: Room) -> list[_Piece]:
    return [piece for k, ground in enumerate(room.grounds) for piece in _pieces(k, ground, np.array(room.place))]


def _matter(ground: Ground) -> _Matter:
    full = np.array(ground.colour, float)
    mirrors = full * ground.metal + ((ground.ior - 1) / (ground.ior + 1)) ** 2 * (1 - ground.metal)
    return _Matter(full * (1 - ground.metal), mirrors, ground.roughness, np.array(ground.glow, float))


def _pieces(number: int, ground: Ground, place: Floats) -> list[_Piece]:
    centre = np.array(ground.centre, float)
    if ground.radius > 0:
        way = place - centre
        away = float(np.linalg.norm(way))
        up = way / away if away > 1e-9 else np.array([0.0, 1.0, 0.0])
        return [_Piece(number, centre, up, None, ground.radius, centre + ground.radius * up)]
    if ground.u is not None and ground.v is not None:
        sheets = [(centre, np.array(ground.u, float), np.array(ground.v, float))]
    else:
        ends = np.array(ground.line, float).reshape(-1, 2)
        across = np.array([ground.half, 0.0, 0.0])
        sheets = [
            (centre + np.array([0.0, *(first + last) / 2]), across, np.array([0.0, *(last - first) / 2]))
            for first, last in pairwise(ends)
        ]
    found = []
    for middle, u, v in sheets:
        normal = np.cross(u, v)
        size = float(np.linalg.norm(normal))
        if size < 1e-12:
            continue
        shares = [float(np.clip((place - middle) @ edge / (edge @ edge), -1, 1)) for edge in (u, v)]
        near = middle + shares[0] * u + shares[1] * v
        found.append(_Piece(number, middle, normal / size, np.stack([u, v]), 0.0, near))
    return found


def _hits(
    pieces: list[_Piece], places: Floats, ways: Floats
) -> Iterator[tuple[int, NDArray[np.bool_], NDArray[np.int64], Floats]]:
    """What ways (n, 3) from a place (3) or from places (n, 3) meet first: each ground that any does, which of them do
    (n), and for those which piece of it, and where."""
    first = np.full(len(ways), -1)
    nearest = np.full(len(ways), np.inf)
    places = np.broadcast_to(places, ways.shape)
    for k, piece in enumerate(pieces):
        with np.errstate(divide="ignore", invalid="ignore"):
            if piece.edges is None:
                to = piece.centre - places
                along = (ways * to).sum(1)
                rest = piece.radius**2 - ((to * to).sum(1) - along**2)
                far = along - np.sqrt(rest)
                hit = np.flatnonzero((far > 1e-6) & (far < nearest))
            else:
                far = (piece.centre @ piece.normal - places @ piece.normal) / (ways @ piece.normal)
                hit = np.flatnonzero((far > 1e-6) & (far < nearest))
                for edge in piece.edges:
                    along = far[hit] * (ways[hit] @ edge) + (places[hit] @ edge - piece.centre @ edge)
                    # What lies in two pieces' common edge must not be seen through.
                    hit = hit[np.abs(along) <= (1 + 1e-6) * (edge @ edge)]
        first[hit], nearest[hit] = k, far[hit]
    meeting = places + np.where(first >= 0, nearest, 0)[:, None] * ways
    grounds = np.array([piece.ground for piece in pieces] + [-1])[first]  # the last is for what meets nothing
    for ground in np.unique(grounds[grounds >= 0]).tolist():
        own = grounds == ground
        yield ground, own, first[own], meeting[own]


def _lit(places: Floats, normals: Floats, lamps: list[Lamp]) -> Floats:
    """(n, 3) light of lamps that arrives at places (n, 3) with normals (n, 3): each as a point in its middle, without
    shadows."""
    total = np.zeros_like(places)
    for lamp in lamps:
        axis = np.array(lamp.normal, float)
        if lamp.kind == "sun":
            total += np.maximum(-normals @ axis, 0)[:, None] * np.array(lamp.radiance)
            continue
        way = np.array(lamp.centre, float) - places
        away = np.maximum(np.linalg.norm(way, axis=1), _NEAREST)
        way = way / away[:, None]
        leaving = -way @ axis
        sent = lamp.area / away**2 * np.maximum((normals * way).sum(1), 0)
        sent *= np.maximum(leaving, 0) if lamp.kind == "flat" else 0.25
        if lamp.limit > 0:
            sent *= (1 - np.minimum(away / lamp.limit, 1) ** 4) ** 2
        if lamp.spot > 0:
            outer, inner = np.cos(lamp.spot), np.cos(lamp.spot * (1 - lamp.soft))
            sent *= smooth(outer, max(inner, outer + 1e-6), leaving)
        total += sent[:, None] * np.array(lamp.radiance)
    return total


@dataclass(frozen=True)
class _Light:
    """What lights the pieces: lamps, the environment from fine to coarse, and what arrives at each piece besides.
    Pieces of one ground are asked at once: a sweep has dozens of them."""

    lamps: list[Lamp]
    environment: tuple[Picture, ...]
    turn: Floats
    strength: float
    matter: list[_Matter]  # of each ground
    pieces: list[_Piece]
    ambient: Floats

    @cached_property
    def normals(self) -> Floats:
        """(pieces, 3)"""
        return np.array([piece.normal for piece in self.pieces]).reshape(-1, 3)

    def around(self, ways: Floats, level: int) -> Floats:
        """(n, 3) of the environment in ways (n, 3), the coarser the higher the level."""
        return np.asarray(lookup(self.environment[level], ways @ self.turn), float) * self.strength

    def spread(self, ways: Floats, wide: Floats) -> Floats:
        """(n, 3) of the environment around ways (n, 3), each as wide (steradians) as it stands for."""
        texels = np.array([2 * np.pi * np.pi / picture[..., 0].size for picture in self.environment])
        level = np.clip(np.searchsorted(texels, wide), 1, len(texels)) - 1
        found = np.zeros_like(ways)
        for k in np.unique(level):
            found[level == k] = self.around(ways[level == k], k)
        return found

    def facing(self, which: NDArray[np.int64], at: Floats, ways: Floats) -> Floats:
        """The normals at places (n, 3) of pieces (n) of one ground, on the side that is seen along ways (n, 3)."""
        first = self.pieces[which[0]]
        if first.edges is None:
            normal = (at - first.centre) / first.radius
        else:
            normal = self.normals[which]
        return np.asarray(np.where((normal * ways).sum(1, keepdims=True) > 0, -normal, normal))

    def sent(self, ground: int, which: NDArray[np.int64], at: Floats, ways: Floats) -> Floats:
        """(n, 3) light of a ground from places (n, 3) of its pieces (n), seen along ways (n, 3)."""
        matter = self.matter[ground]
        normal = self.facing(which, at, ways)
        base = self.base(ground, which, at, normal)
        if not matter.mirrors.any():
            return base + matter.glow
        mirrors = self.gloss(matter, normal, ways)
        lamps = _lamps_mirrored(at, normal, -ways, self.lamps, matter.roughness)
        # What the gloss sends back does not reach the base below it.
        return base * (1 - mirrors) + matter.glow + mirrors * lamps + self.mirrored(matter, at, normal, ways)

    def base(self, ground: int, which: NDArray[np.int64], at: Floats, normal: Floats) -> Floats:
        """What a ground sends on evenly to all sides."""
        sent: Floats = self.matter[ground].colour / np.pi * (_lit(at, normal, self.lamps) + self.ambient[which])
        return sent

    def gloss(self, matter: _Matter, normal: Floats, ways: Floats) -> Floats:
        """(n, 3) share that a ground mirrors: by Schlick's formula, which rough surfaces follow less."""
        slant = -(ways * normal).sum(1, keepdims=True)
        most = np.maximum(1 - matter.roughness, matter.mirrors)
        return np.asarray(matter.mirrors + (most - matter.mirrors) * (1 - np.clip(slant, 0, 1)) ** 5)

    def mirrored(self, matter: _Matter, at: Floats, normal: Floats, ways: Floats) -> Floats:
        """(n, 3) what a ground mirrors of the environment and of what stands there, by some of its microfacets
        (`_facets`): seen at a slant, what is rough mirrors much that stands far above where a mirror would look."""
        alpha = max(matter.roughness**2, _SHARPEST)
        frame = _frames(normal)
        seen = np.einsum("nij,nj->ni", frame, -ways)
        seen[:, 2] = np.maximum(seen[:, 2], 1e-3)
        total = np.zeros_like(at)
        count = _FACETS if matter.roughness > _ROUGH else 1
        for halfway, wide in _facets(seen, alpha, count):
            slant = (seen * halfway).sum(1, keepdims=True)
            back = 2 * slant * halfway - seen
            share = matter.mirrors + (1 - matter.mirrors) * (1 - np.clip(slant, 0, 1)) ** 5
            share *= _unmasked(seen, back, alpha)[:, None]
            way = np.einsum("nij,ni->nj", frame, back)
            found = self.spread(way, wide)
            for ground, own, which, there in _hits(self.pieces, at + _LIFT * normal, way):
                facing = self.facing(which, there, way[own])
                found[own] = self.base(ground, which, there, facing) + self.matter[ground].glow
            total += share * found
        return total / count


def _frames(normal: Floats) -> Floats:
    """(n, 3, 3) rows across, along and out of places with normals (n, 3)."""
    side = np.cross(normal, np.where(np.abs(normal[:, 1:2]) < 0.9, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]]))
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    return np.stack([side, np.cross(normal, side), normal], 1)


def _facets(seen: Floats, alpha: float, count: int) -> Iterator[tuple[Floats, Floats]]:
    """Microfacets that are seen from (n, 3), and how wide (n, steradians) what each mirrors may be for what it stands
    for (Dupuy and Benyoub, "Sampling Visible GGX Normals with Spherical Caps", 2023; Krivanek and Colbert, "Real-time
    Shading with Filtered Importance Sampling", 2008). Neighbours get others of them: what is around is a mean of both.
    """
    own, turned = (np.arange(len(seen)) * _APART[0]) % 1, (np.arange(len(seen)) * _APART[1]) % 1
    spread = np.stack([alpha * seen[:, 0], alpha * seen[:, 1], seen[:, 2]], 1)
    across = np.linalg.norm(spread, axis=1)
    spread = spread / across[:, None]
    for k in range(count):
        high = 1 - (k + own) / count * (1 + spread[:, 2])
        ring, turn = np.sqrt(np.maximum(1 - high**2, 0)), 2.399963229728653 * k + 2 * np.pi * turned
        halfway = np.stack([ring * np.cos(turn), ring * np.sin(turn), high], 1) + spread
        halfway = np.stack([alpha * halfway[:, 0], alpha * halfway[:, 1], np.maximum(halfway[:, 2], 1e-6)], 1)
        halfway /= np.linalg.norm(halfway, axis=1, keepdims=True)
        steep = (halfway[:, 0] ** 2 + halfway[:, 1] ** 2) / alpha**2 + halfway[:, 2] ** 2
        yield halfway, 2 * np.pi * alpha**2 * steep**2 * (seen[:, 2] + across) / count


def _unmasked(seen: Floats, back: Floats, alpha: float) -> Floats:
    """(n) how much of what seen microfacets send back in (n, 3) others leave (Heitz, "Understanding the Masking-
    Shadowing Function in Microfacet-Based BRDFs", JCGT 3(2), 2014)."""
    out, root_out = seen[:, 2], np.sqrt(alpha**2 * (1 - seen[:, 2] ** 2) + seen[:, 2] ** 2)
    into = np.maximum(back[:, 2], 0)
    root_in = np.sqrt(alpha**2 * (1 - into**2) + into**2)
    return np.asarray(into * (out + root_out) / (out * root_in + into * root_out))


def _lamps_mirrored(at: Floats, normal: Floats, back: Floats, lamps: list[Lamp], roughness: float) -> Floats:
    """(n, 3) of lamps that rough places mirror to where they are seen from: the share of microfacets that do, as the
    draft has it (see gloss.ts): a lamp's corners are taken to slopes half way, over which GGX sums as Lambert's light
    of a polygon."""
    alpha = max(roughness**2, _SHARPEST)
    frame = _frames(normal)
    total = np.zeros_like(at)
    for lamp in lamps:
        u, v = np.array(lamp.u, float), np.array(lamp.v, float)
        if not (u.any() and v.any()):
            continue
        to = np.array(lamp.centre, float) - at
        corners = []
        for across, up in ((-1, -1), (1, -1), (1, 1), (-1, 1)):
            way = to + across * u + up * v
            half = np.einsum("nij,nj->ni", frame, way / np.linalg.norm(way, axis=1, keepdims=True) + back)
            slope = np.concatenate([half[:, :2] / np.maximum(half[:, 2:], 1e-4), np.full((len(at), 1), alpha)], 1)
            corners.append(slope / np.linalg.norm(slope, axis=1, keepdims=True))
        share = np.zeros(len(at))
        for first, last in zip(corners, corners[1:] + corners[:1], strict=True):
            turn = np.cross(first, last)
            sine = np.linalg.norm(turn, axis=1)
            share += turn[:, 2] * np.arctan2(sine, (first * last).sum(1)) / np.maximum(sine, 1e-9)
        shines = ((-to @ np.cross(u, v)) > 0) & ((to * normal).sum(1) > 0)
        total += (np.abs(share) / (2 * np.pi) * shines)[:, None] * np.array(lamp.radiance)
    return total


def _view(place: Floats, light: _Light) -> tuple[Floats, Floats]:
    """(h, w, 4) light of the pieces from around a place, and where they stand; (h, w, 3) light of the environment
    behind them: means of four directions a texel."""
    ways = directions(2 * WIDTH, 2 * HEIGHT).reshape(-1, 3)
    found = np.zeros((len(ways), 7))
    for ground, own, which, at in _hits(light.pieces, place, ways):
        behind = light.around(ways[own], 0)
        sent = light.sent(ground, which, at, ways[own])
        found[own] = np.concatenate([sent, np.ones((len(at), 1)), behind], 1)
    means = found.reshape(HEIGHT, 2, WIDTH, 2, 7).mean((1, 3))
    return means[..., :4], means[..., 4:]


def _between(light: _Light) -> Floats:
    """(pieces, 3) light that arrives at the middle of each from the environment and from other pieces."""
    pieces, count = light.pieces, len(light.pieces)
    sky = directions(*_COARSE).reshape(-1, 3)
    places = np.array([piece.middle + _LIFT * piece.normal for piece in pieces]).reshape(-1, 3)
    weight = np.maximum(light.normals @ sky.T, 0) * np.sqrt(1 - sky[:, 1] ** 2)
    weight *= np.pi / np.maximum(weight.sum(1, keepdims=True), 1e-12)
    arriving = np.tile(light.around(sky, len(_STEPS) - 1), (count, 1))
    asking, ways = np.repeat(np.arange(count), len(sky)), np.tile(sky, (count, 1))
    shares = np.zeros((count, count))
    for ground, own, which, at in _hits(pieces, places[asking], ways):
        arriving[own] = light.sent(ground, which, at, ways[own])
        np.add.at(shares, (asking[own], which), weight.ravel()[own])
    direct: Floats = np.einsum("pn,pnc->pc", weight, arriving.reshape(count, len(sky), 3))
    colours = np.array([light.matter[piece.ground].colour for piece in pieces]).reshape(-1, 3)
    sent = np.zeros_like(direct)
    for _ in range(_ROUNDS):
        sent = shares @ (colours / np.pi * (direct + sent))
    return direct + sent


def _levels(view: Floats, behind: Floats) -> NDArray[np.float32]:
    """(levels, h, w, 4): what surfaces of each of ROUGHNESS mirror of a view, and of what is behind it no more."""
    flat = np.asarray(view.reshape(-1, 4), np.float32)
    less = np.concatenate([flat[:, :3] - np.asarray(behind.reshape(-1, 3), np.float32), np.zeros_like(flat[:, :1])], 1)
    levels = [_filter(k) @ (flat if k < _SHARP else less) if k else flat for k in range(len(ROUGHNESS))]
    return np.stack(levels).reshape(-1, *view.shape)


@lru_cache(maxsize=len(ROUGHNESS))
def _filter(level: int) -> NDArray[np.float32]:
    """(texels, texels) weights of a view's texels for each texel of a level."""
    sky = directions(WIDTH, HEIGHT).reshape(-1, 3)
    return weights(sky, sky, ROUGHNESS[level] ** 2)
