"""Pictures that users bring in, as this process keeps them: light by id."""

from __future__ import annotations

import io
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import Cache, Shelf
from moss_crown.core.errors import PictureUnknown
from moss_crown.core.look.exposure import BRIGHTNESS, linear_to_srgb, srgb_to_linear

PREFIX = "picture-"
OWN = Shelf(192 * 1024 * 1024)
"""Pictures brought into this process, packed, by an id made from their content."""
_UNPACKED = Cache(192 * 1024 * 1024)
"""What was made of them last."""


def is_picture(id: str) -> bool:
    """Is this the id of a picture that was brought in, here or anywhere?"""
    return id.startswith(PREFIX)


def is_known(id: str) -> bool:
    """Does this process have it?"""
    return id in OWN


def bring_in(id: str, packed: bytes) -> None:
    """Make a picture known to this process: its id and its packed pixels."""
    OWN.put(id, packed, len(packed))


def pack(pixels: NDArray[np.uint8] | NDArray[np.float16]) -> bytes:
    """Pixels (h, w, 4) as they are kept: bytes are encoded as sRGB, half floats are scene-linear."""
    out = io.BytesIO()
    np.save(out, pixels, allow_pickle=False)
    return out.getvalue()


def unpack(packed: bytes) -> NDArray[np.uint8] | NDArray[np.float16]:
    """(h, w, 4) packed pixels: bytes as sRGB, or scene-linear half floats."""
    found: NDArray[np.uint8] | NDArray[np.float16] = np.load(io.BytesIO(packed), allow_pickle=False)
    return found


def _pixels(id: str) -> NDArray[np.uint8] | NDArray[np.float16]:
    if id not in OWN:
        raise PictureUnknown("picture", id)
    return unpack(OWN.get(id))


@lru_cache(maxsize=256)
def size(id: str) -> tuple[int, int]:
    """Width and height of a picture in pixels. Raises PictureUnknown."""
    height, width = _pixels(id).shape[:2]
    return width, height


def light(id: str) -> NDArray[np.float32]:
    """(h, w, 3) scene-linear light of a picture, top row first. Raises PictureUnknown."""
    return _UNPACKED.get(("light", id), lambda: _shared(_linear(_pixels(id))), _bytes)


def texture(id: str) -> NDArray[np.float32]:
    """(h, w, 4) scene-linear colour, 0 to 1, and alpha, top row first: a picture as it lies on a surface. Raises
    PictureUnknown."""
    return _UNPACKED.get(("texture", id), lambda: _texture(_pixels(id)), _bytes)


def _texture(pixels: NDArray[np.uint8] | NDArray[np.float16]) -> NDArray[np.float32]:
    alpha = pixels[..., 3:] / 255 if pixels.dtype == np.uint8 else pixels[..., 3:]
    return _shared(np.concatenate([np.clip(_linear(pixels), 0, 1), alpha.astype(np.float32)], -1))


SHADES = 256


@lru_cache(maxsize=16)
def shades(id: str) -> NDArray[np.float64]:
    """(h, w, 2) how bright a picture is, as it is painted (sRGB, 0 to 1), and its alpha; at most SHADES a side."""
    small = at_most(texture(id), SHADES)
    return _shared(np.stack([linear_to_srgb(small[..., :3] @ BRIGHTNESS), small[..., 3]], -1))


def _linear(pixels: NDArray[np.uint8] | NDArray[np.float16]) -> NDArray[np.float32]:
    colours = pixels[..., :3]
    return np.asarray(_LINEAR[colours] if colours.dtype == np.uint8 else colours, np.float32)


def _bytes(found: NDArray[Any]) -> int:
    return found.nbytes


def _shared(found: NDArray[Any]) -> NDArray[Any]:
    """An array that many read, and none may change."""
    found.setflags(write=False)
    return found


_LINEAR = srgb_to_linear(np.arange(256) / 255).astype(np.float32)


def at_most(picture: NDArray[np.float32], side: int) -> NDArray[np.float32]:
    """A picture (h, w, k) made smaller, if it is larger, until its longer side has so many pixels."""
    height, width = picture.shape[:2]
    share = min(1.0, side / max(height, width))
    return resized(picture, max(1, round(width * share)), max(1, round(height * share)))


STRIP = 128


def resized(picture: NDArray[np.float32], width: int, height: int) -> NDArray[np.float32]:
    """(height, width, k): every pixel the mean of the area that it covers of (h, w, k); exact for any sizes."""
    return _averaged(_averaged(picture, height, 0), width, 1)


def _averaged(picture: NDArray[np.float32], count: int, axis: int) -> NDArray[np.float32]:
    """Means over `count` equal shares of an axis, in strips along the other one: running sums need much room."""
    if picture.shape[axis] == count:
        return picture
    strips = range(0, picture.shape[1 - axis], STRIP)
    parts = [np.take(picture, range(at, min(at + STRIP, picture.shape[1 - axis])), 1 - axis) for at in strips]
    return np.concatenate([_means(part, count, axis) for part in parts], 1 - axis)


def _means(picture: NDArray[np.float32], count: int, axis: int) -> NDArray[np.float32]:
    """By differences of the running sum between the ends of the shares."""
    size = picture.shape[axis]
    sums = np.cumsum(picture, axis, dtype=np.float64)
    sums = np.concatenate([np.zeros_like(np.take(sums, [0], axis)), sums], axis)
    ends = np.linspace(0, size, count + 1)
    whole = np.minimum(ends.astype(int), size - 1)
    shape = [1] * picture.ndim
    shape[axis] = -1
    part = (ends - whole).reshape(shape)
    at = np.take(sums, whole, axis) * (1 - part) + np.take(sums, whole + 1, axis) * part
    return np.asarray(np.diff(at, axis=axis) * (count / size), np.float32)
