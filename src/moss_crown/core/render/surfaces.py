"""Materials as rows of numbers for the kernels, and the pictures that they wear."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.look.material import TILINGS, Images, Surface, image_matrix, texture_matrix
from moss_crown.core.look.pictures import size, texture

_places = iter(range(1 << 10))


def _next(count: int) -> list[int]:
    return [next(_places) for _ in range(count)]


RED, GREEN, BLUE, METAL, ROUGH = _next(5)
CLEAR, COAT, COAT_ROUGH, SHEEN = _next(4)  # CLEAR: reflectance of what is no metal, seen straight
GLOW_R, GLOW_G, GLOW_B = _next(3)
# Its texture: which, how it is set, the second layer, whether it begins afresh on each letter, and a 3 x 4 matrix from
# the title's space to the texture's.
PATTERN, AMOUNT, CONTRAST, TONE, RELIEF, WEAR = _next(6)
LAYER_RED, LAYER_GREEN, LAYER_BLUE, LAYER_METAL, LAYER_ROUGH = _next(5)
BY_LETTER = next(_places)
TO_TEXTURE = _next(12)[0]
BRUSHED, BRUSH_X, BRUSH_Y = _next(3)  # how much, and along which axis of the letter
CLEARNESS, INDEX, THIN, TAKEN_R, TAKEN_G, TAKEN_B = _next(6)  # glass; what a metre of it takes away
OPACITY = next(_places)
# Its pictures: whether there are any and how they tile; where each begins (in BLOCKs from the first row), its width and
# height in pixels, 0 for none; shares and the tint; how high bumps are, in metres; a 3 x 4 matrix to their space, and
# their width and height in metres.
PICTURED, TILING = _next(2)
COLOUR, ROUGHNESS, BUMP = (_next(3)[0] for _ in range(3))
MIX, TINT_R, TINT_G, TINT_B, ROUGH_SHARE, BUMP_HEIGHT = _next(6)
TO_PICTURE = _next(12)[0]
WIDTH, HEIGHT = _next(2)
ROW = 80
"""Numbers that a row holds, some of them spare. Not a power of two: such rows would share few cache lines."""
BLOCK = 1024
"""Pictures begin at multiples of so many numbers, which a float32 counts exactly."""


def material_rows(surfaces: tuple[Surface, ...]) -> NDArray[np.float32]:
    """Rows (m, ROW), and behind them in the same memory the pixels of pictures, four numbers each."""
    wanted = sorted({id for s in surfaces if s.images for id in s.images.ids if id})
    at = -(-len(surfaces) * ROW // BLOCK)
    places: dict[str, tuple[int, int, int]] = {}
    for id in wanted:
        width, height = size(id)
        places[id] = at, width, height
        at += -(-width * height * 4 // BLOCK)
    memory = np.zeros(max(at * BLOCK if wanted else 0, len(surfaces) * ROW), np.float32)
    for id, (begin, width, height) in places.items():
        memory[begin * BLOCK : begin * BLOCK + width * height * 4] = texture(id).reshape(-1)
    rows = memory[: len(surfaces) * ROW].reshape(len(surfaces), ROW)
    for row, s in zip(rows, surfaces, strict=True):
        row[RED : BLUE + 1] = s.colour
        row[METAL], row[ROUGH], row[CLEAR] = s.metal, s.roughness, s.dielectric_reflectance
        row[COAT], row[COAT_ROUGH], row[SHEEN] = s.coat, s.coat_roughness, s.sheen
        row[GLOW_R : GLOW_B + 1] = s.glow
        turn = np.radians(s.brush_turn)
        row[BRUSHED], row[BRUSH_X], row[BRUSH_Y] = s.brushed, np.cos(turn), np.sin(turn)
        row[CLEARNESS], row[INDEX], row[THIN] = s.transmission, max(s.ior, 1.0001), s.thin
        row[TAKEN_R : TAKEN_B + 1] = -np.log(np.clip(s.colour, 1e-3, 1.0)) / max(s.tint_depth, 1e-4)
        row[OPACITY] = s.opacity
        if s.grain:
            g = s.grain
            row[PATTERN], row[AMOUNT], row[CONTRAST] = g.pattern, g.amount, g.contrast
            row[TONE], row[RELIEF], row[WEAR] = g.tone, g.relief, g.wear
            row[LAYER_RED : LAYER_BLUE + 1] = g.colour
            row[LAYER_METAL], row[LAYER_ROUGH], row[BY_LETTER] = g.metal, g.roughness, g.by_letter
            row[TO_TEXTURE : TO_TEXTURE + 12] = texture_matrix(g).reshape(-1)
        if s.images:
            _fill_pictures(row, s.images, places)
    return rows


def _fill_pictures(row: NDArray[np.float32], images: Images, places: dict[str, tuple[int, int, int]]) -> None:
    row[BY_LETTER] = images.by_letter
    row[PICTURED], row[TILING] = 1, TILINGS.index(images.tiling)
    for slot, id in zip((COLOUR, ROUGHNESS, BUMP), images.ids, strict=True):
        row[slot : slot + 3] = places[id] if id else (0, 0, 0)
    row[MIX] = images.mix
    row[TINT_R : TINT_B + 1] = images.tint
    row[ROUGH_SHARE], row[BUMP_HEIGHT] = images.rough, images.deepest
    row[TO_PICTURE : TO_PICTURE + 12] = image_matrix(images).reshape(-1)
    _, width, height = places[images.first]
    row[WIDTH], row[HEIGHT] = images.width, images.width * height / width
