"""What of the stage stands around a place: floor and wall hide the environment, and send the light of lamps on.

For the draft, which draws without paths: beside the environment it looks this up. Grounds are matt here and throw no
shadows; what they send each other is found by rounds of light between their middles (Goral, Torrance, Greenberg and
Battaile, "Modeling the Interaction of Light Between Diffuse Surfaces", SIGGRAPH 1984).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Annotated, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.values import Model
from moss_crown.core.look.environment import Picture, Preset, directions, lookup, tilted
from moss_crown.core.look.prefilter import weights

WIDTH, HEIGHT = 64, 32
"""Texels of each picture of what is around."""
ROUGHNESS = (0.0, 0.2254, 0.3675, 0.5528, 1.0)
"""Of the levels of a picture: those of a prefiltered environment, but for its second."""
_COARSE = (24, 12)
_ROUNDS = 4
_LIFT = 1e-4
_NEAREST = 0.05

Floats: TypeAlias = NDArray[np.float64]
Place: TypeAlias = tuple[float, float, float]
_Number = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
_Light = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
_Three: TypeAlias = tuple[_Number, _Number, _Number]
_Sent: TypeAlias = tuple[_Light, _Light, _Light]


class Ground(Model):
    """A flat sheet by its middle and half edges, a line (height, depth) drawn out `half` across to both sides, or a
    globe; with the share of light that it sends back, and light of its own."""

    colour: _Sent
    glow: _Sent = (0.0, 0.0, 0.0)
    centre: _Three = (0.0, 0.0, 0.0)
    u: _Three | None = None
    v: _Three | None = None
    radius: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 0.0
    line: Annotated[tuple[tuple[_Number, _Number], ...], Field(max_length=256)] = ()
    half: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 0.0


class Lamp(Model):
    """A lamp as the draft draws it: see `draft._lamp`."""

    kind: Literal["flat", "around", "sun"]
    centre: _Three
    normal: _Three
    radiance: _Sent
    area: _Light
    spot: Annotated[float, Field(ge=0, le=4)] = 0.0
    soft: Annotated[float, Field(ge=0, le=1)] = 0.0
    limit: _Light = 0.0


class Room(Model):
    """The stage, the lamps and the environment around a place."""

    place: _Three
    grounds: Annotated[list[Ground], Field(max_length=limits.STEPS)]
    lamps: Annotated[list[Lamp], Field(max_length=limits.STEPS * limits.LIGHTS)]
    preset: Preset
    strength: _Light
    turn: _Number
    tilt: tuple[_Number, _Number]


@dataclass(frozen=True)
class _Piece:
    """A flat part of a ground, or a whole globe: where it is met, and the place that stands for it."""

    ground: int
    colour: Floats
    glow: Floats
    centre: Floats
    normal: Floats
    edges: Floats | None  # (2, 3) half edges; a globe has none
    radius: float
    middle: Floats


def seen_around(room: Room) -> NDArray[np.float32]:
    """(1 + grounds, levels, HEIGHT, WIDTH, 4): around the room's place, and around each ground next to it: light that
    comes from grounds, and the share of directions in which they stand. Laid out as environments are.

    Raises PictureUnknown.
    """
    pieces = [piece for k, ground in enumerate(room.grounds) for piece in _pieces(k, ground, np.array(room.place))]
    picture = tilted(room.preset, room.tilt)
    ambient = _between(pieces, room, picture)
    places = [np.array(room.place)]
    for k in range(len(room.grounds)):
        own = [piece.middle + _LIFT * piece.normal for piece in pieces if piece.ground == k]
        places.append(min(own, key=lambda p: float(np.linalg.norm(p - places[0])), default=places[0]))
    return np.stack([_levels(_view(place, pieces, ambient, room.lamps)) for place in places])


def _pieces(number: int, ground: Ground, place: Floats) -> list[_Piece]:
    colour, glow, centre = (np.array(v, float) for v in (ground.colour, ground.glow, ground.centre))
    if ground.radius > 0:
        way = place - centre
        away = float(np.linalg.norm(way))
        up = way / away if away > 1e-9 else np.array([0.0, 1.0, 0.0])
        return [_Piece(number, colour, glow, centre, up, None, ground.radius, centre + ground.radius * up)]
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
        found.append(_Piece(number, colour, glow, middle, normal / size, np.stack([u, v]), 0.0, near))
    return found


def _met(pieces: list[_Piece], place: Floats, ways: Floats) -> tuple[NDArray[np.int64], Floats]:
    """For each way (n, 3) from a place the piece that it meets first, -1 for none, and how far away."""
    first = np.full(len(ways), -1)
    nearest = np.full(len(ways), np.inf)
    for k, piece in enumerate(pieces):
        with np.errstate(divide="ignore", invalid="ignore"):
            if piece.edges is None:
                to = piece.centre - place
                along = ways @ to
                rest = piece.radius**2 - (to @ to - along**2)
                far = along - np.sqrt(rest)
                hit = (rest > 0) & (far > 0)
            else:
                far = ((piece.centre - place) @ piece.normal) / (ways @ piece.normal)
                at = place + far[:, None] * ways - piece.centre
                shares = at @ piece.edges.T / (piece.edges**2).sum(1)
                # What lies in two pieces' common edge must not be seen through.
                hit = (far > 0) & (np.abs(shares) <= 1 + 1e-6).all(1)
            hit &= far < nearest
        first[hit], nearest[hit] = k, far[hit]
    return first, nearest


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
            part = np.clip((leaving - outer) / max(inner - outer, 1e-6), 0, 1)
            sent *= part**2 * (3 - 2 * part)
        total += sent[:, None] * np.array(lamp.radiance)
    return total


def _view(
    place: Floats, pieces: list[_Piece], ambient: Floats, lamps: list[Lamp], size: tuple[int, int] = (WIDTH, HEIGHT)
) -> Floats:
    """(h, w, 4) light of the pieces from around a place, and where they stand: means of four directions a texel."""
    width, height = size
    ways = directions(2 * width, 2 * height).reshape(-1, 3)
    first, far = _met(pieces, place, ways)
    found = np.zeros((len(ways), 4))
    for k, piece in enumerate(pieces):
        own = first == k
        at = place + far[own, None] * ways[own]
        if piece.edges is None:
            normal = (at - piece.centre) / piece.radius
        else:
            normal = np.broadcast_to(piece.normal, at.shape)
        # It is seen from either side, and lit on the side that is seen.
        normal = np.where((normal * ways[own]).sum(1, keepdims=True) > 0, -normal, normal)
        arriving = _lit(at, normal, lamps) + ambient[k]
        found[own] = np.concatenate([piece.colour / np.pi * arriving + piece.glow, np.ones((len(at), 1))], 1)
    return np.asarray(found.reshape(height, 2, width, 2, 4).mean((1, 3)))


def _between(pieces: list[_Piece], room: Room, picture: Picture) -> Floats:
    """(pieces, 3) light that arrives at the middle of each from the environment and from other pieces."""
    if not pieces:
        return np.zeros((0, 3))
    width, height = _COARSE
    sky = directions(width, height).reshape(-1, 3)
    part = np.sqrt(1 - sky[:, 1] ** 2)
    part = part * 4 * np.pi / part.sum()
    turn = np.radians(room.turn)
    c, s = np.cos(turn), np.sin(turn)
    around = lookup(_shrunk(picture), sky @ np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]))
    light = np.array(around, float) * room.strength
    direct = np.zeros((len(pieces), 3))
    shares = np.zeros((len(pieces), len(pieces)))
    sent = np.zeros((len(pieces), 3))
    for k, piece in enumerate(pieces):
        place = piece.middle + _LIFT * piece.normal
        first, far = _met(pieces, place, sky)
        weight = np.maximum(sky @ piece.normal, 0) * part
        weight *= np.pi / max(weight.sum(), 1e-12)
        direct[k] = weight[first < 0] @ light[first < 0]
        for other in set(first[first >= 0].tolist()):
            own = first == other
            shares[k, other] = weight[own].sum()
            at = place + far[own, None] * sky[own]
            normal = np.broadcast_to(pieces[other].normal, at.shape)
            if pieces[other].edges is None:
                normal = (at - pieces[other].centre) / pieces[other].radius
            back = pieces[other].colour / np.pi * _lit(at, normal, room.lamps) + pieces[other].glow
            direct[k] += weight[own] @ back
    colours = np.stack([piece.colour for piece in pieces])
    for _ in range(_ROUNDS):
        sent = shares @ (colours / np.pi * (direct + sent))
    return direct + sent


def _shrunk(picture: Picture) -> Picture:
    """An environment as coarse as the directions in which light between grounds is found."""
    height, width = picture.shape[0] // 16, picture.shape[1] // 16
    return np.asarray(picture.reshape(height, 16, width, 16, 3).mean((1, 3)), np.float32)


def _levels(view: Floats) -> NDArray[np.float32]:
    """(levels, h, w, 4): what surfaces of each of ROUGHNESS mirror of a view."""
    flat = np.asarray(view.reshape(-1, 4), np.float32)
    return np.stack([flat if k == 0 else _filter(k) @ flat for k in range(len(ROUGHNESS))]).reshape(-1, *view.shape)


@lru_cache(maxsize=len(ROUGHNESS))
def _filter(level: int) -> NDArray[np.float32]:
    """(texels, texels) weights of a view's texels for each texel of a level."""
    sky = directions(WIDTH, HEIGHT).reshape(-1, 3)
    return weights(sky, sky, ROUGHNESS[level] ** 2)
