"""Layers as one OpenEXR file: channels with standard names, mattes after the open Cryptomatte specification (1.2.0)."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from moss_crown.core.render.layers import Layers, Mattes

F32 = NDArray[np.float32]
LEVELS = 3
"""Pairs of names and shares that a matte keeps: the six largest of a pixel."""
_SUFFIXES = {"position": "XYZ", "normal": "XYZ", "motion": "XY"}
_FULL = ("depth", "position", "motion")
"""What needs more than half precision."""


def write_exr(layers: Layers, shown: F32 | None = None, pixel_shape: float = 1.0) -> bytes:
    """A scan line file, ZIP compressed, of pixels `pixel_shape` times as wide as high. `shown` (h, w, 3) takes the
    beauty's place in R, G, B: the denoised picture."""
    pixels: dict[str, Any] = {}
    alpha = layers.pictures["alpha"]
    main = layers.pictures["beauty"] if shown is None else shown
    for k, channel in enumerate("RGB"):
        pixels[channel] = _half(main[..., k])
    pixels["A"] = _half(alpha[..., 0])
    for name, picture in layers.pictures.items():
        if name == "alpha":
            continue
        if name == "depth":
            pixels["Z"] = np.ascontiguousarray(picture[..., 0], np.float32)
        elif picture.shape[-1] == 1:
            pixels[f"{name}.Y"] = _half(picture[..., 0])
        else:
            for k, suffix in enumerate(_SUFFIXES.get(name, "RGB")):
                plane = picture[..., k]
                pixels[f"{name}.{suffix}"] = np.ascontiguousarray(plane, np.float32) if name in _FULL else _half(plane)
    header: dict[str, Any] = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "pixelAspectRatio": float(pixel_shape),
    }
    for kind, matte in layers.mattes.items():
        title = f"Crypto{kind.capitalize()}"
        key = f"cryptomatte/{murmur3(title.encode()):08x}"[: len("cryptomatte/") + 7]
        manifest = {name: f"{name_hash(name):08x}" for name in matte.names}
        header[f"{key}/name"] = title
        header[f"{key}/hash"] = "MurmurHash3_32"
        header[f"{key}/conversion"] = "uint32_to_float32"
        header[f"{key}/manifest"] = json.dumps(manifest, separators=(",", ":"))
        pixels |= _matte_channels(title, matte)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "frame.exr"
        OpenEXR.File(header, pixels).write(str(path))
        return path.read_bytes()


def _half(plane: F32) -> NDArray[np.float16]:
    return np.ascontiguousarray(np.clip(plane, -65_504, 65_504), np.float16)


def _matte_channels(title: str, matte: Mattes) -> dict[str, F32]:
    hashes = np.array([name_hash(name) for name in matte.names] + [0], np.uint32).view(np.float32)
    found = {}
    for level in range(LEVELS):
        for half, (name, share) in enumerate((("R", "G"), ("B", "A"))):
            k = 2 * level + half
            index, weight = matte.index[..., k], matte.share[..., k]
            found[f"{title}{level:02d}.{name}"] = np.ascontiguousarray(hashes[index])
            found[f"{title}{level:02d}.{share}"] = np.ascontiguousarray(weight)
    return found


def name_hash(name: str) -> int:
    """The hash of a name as the specification has it: one whose bits are an ordinary float32."""
    found = murmur3(name.encode())
    if found >> 23 & 255 in (0, 255):
        found ^= 1 << 23
    return found


def murmur3(data: bytes, seed: int = 0) -> int:
    """MurmurHash3, x86, 32 bits (Appleby, public domain)."""
    high = 0xFFFFFFFF
    found = seed
    whole = len(data) // 4 * 4
    for at in range(0, whole, 4):
        block = int.from_bytes(data[at : at + 4], "little") * 0xCC9E2D51 & high
        block = (block << 15 | block >> 17) & high
        found ^= block * 0x1B873593 & high
        found = (found << 13 | found >> 19) & high
        found = (found * 5 + 0xE6546B64) & high
    if data[whole:]:
        block = int.from_bytes(data[whole:], "little") * 0xCC9E2D51 & high
        block = (block << 15 | block >> 17) & high
        found ^= block * 0x1B873593 & high
    found ^= len(data)
    found = (found ^ found >> 16) * 0x85EBCA6B & high
    found = (found ^ found >> 13) * 0xC2B2AE35 & high
    return found ^ found >> 16
