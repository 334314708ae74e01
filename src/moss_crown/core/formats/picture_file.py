"""Pictures from outside: PNG, JPEG, OpenEXR and Radiance HDR, told by their first bytes and taken apart with care."""

from __future__ import annotations

import hashlib
import io
import tempfile
import warnings
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.errors import FileRefused
from moss_crown.core.look.pictures import PREFIX, pack, resized

F32 = NDArray[np.float32]
KINDS = "a PNG, JPEG, OpenEXR or Radiance HDR picture"


@dataclass(frozen=True)
class PictureFile:
    """A picture as it is kept: at most `limits.PICTURE_KEPT` pixels to a side, light finite and not negative."""

    id: str
    width: int
    height: int
    packed: bytes
    remarks: tuple[str, ...]


def read_picture(raw: bytes) -> PictureFile:
    """Read a picture, make it no larger than is kept, and mend what is no light: what is not a number or negative is
    black, and nothing is brighter than `limits.BRIGHTEST`. Each such thing is said in a remark.

    Raises FileRefused for what is no picture, is broken, or is too large.
    """
    if len(raw) > limits.PICTURE_BYTES:
        raise FileRefused("file", f"at most {limits.PICTURE_BYTES} bytes", f"the picture has {len(raw)} bytes")
    remarks: list[str] = []
    if raw[:8] == b"\x89PNG\r\n\x1a\n" or raw[:3] == b"\xff\xd8\xff":
        pixels: NDArray[np.uint8] | NDArray[np.float16] = _pillow(raw, remarks)
    elif raw[:4] == b"\x76\x2f\x31\x01":
        pixels = _light(_exr(raw), remarks)
    elif raw[:10] == b"#?RADIANCE" or raw[:6] == b"#?RGBE":
        pixels = _light(_radiance(raw), remarks)
    else:
        raise FileRefused("file", KINDS, "the file is none of the pictures that are known here")
    packed = pack(pixels)
    height, width = pixels.shape[:2]
    return PictureFile(PREFIX + hashlib.sha256(packed).hexdigest()[:32], width, height, packed, tuple(remarks))


def _bounded(width: int, height: int, most: int) -> None:
    side = limits.PICTURE_SIDE
    if not (1 <= width <= side and 1 <= height <= side):
        raise FileRefused("file", f"at most {side} pixels to a side", f"the picture has {width} x {height} pixels")
    if width * height > most:
        bound = f"at most {most // 1_000_000} million pixels"
        raise FileRefused("file", bound, f"the picture has {width} x {height} pixels")


def _pillow(raw: bytes, remarks: list[str]) -> NDArray[np.uint8]:
    from PIL import Image, ImageOps  # loads a large library, which only this needs

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # its own bound on pixels warns before ours refuses
        try:
            with Image.open(io.BytesIO(raw), formats=("PNG", "JPEG")) as picture:
                _bounded(*picture.size, limits.PICTURE_PIXELS)
                upright = ImageOps.exif_transpose(picture)
                if upright.mode.startswith("I"):  # 16 bits of grey
                    grey = np.asarray(upright, np.float64) / 257
                    upright = Image.fromarray(np.round(np.clip(grey, 0, 255)).astype(np.uint8))
                size = _kept_size(*upright.size, remarks)
                if size != upright.size:
                    upright = upright.resize(size, Image.Resampling.BOX)
                return np.asarray(upright.convert("RGBA"))
        except (FileRefused, MemoryError):
            raise
        except Exception as wrong:
            # Pillow raises whatever its decoders do: OSError, ValueError, SyntaxError, struct.error and more.
            raise FileRefused("file", KINDS, f"the picture is broken: {_plain(wrong)}") from None


def _exr(raw: bytes) -> F32:
    import OpenEXR  # loads a large library, which only this needs

    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        file.write(raw)
        file.flush()
        try:
            with OpenEXR.File(file.name, header_only=True) as head:
                low, high = head.header()["dataWindow"]
            width, height = (int(b) - int(a) + 1 for a, b in zip(low, high, strict=True))
            _bounded(width, height, limits.LIGHT_PIXELS)
            with OpenEXR.File(file.name, separate_channels=True) as whole:
                channels = {name: np.asarray(c.pixels, np.float32) for name, c in whole.channels().items()}
        except (FileRefused, MemoryError):
            raise
        except Exception as wrong:
            raise FileRefused("file", KINDS, f"the picture is broken: {_plain(wrong)}") from None
    names = [name for name in ("R", "G", "B") if name in channels] or [name for name in ("Y",) if name in channels]
    if len(names) not in (1, 3):
        have = ", ".join(sorted(channels)[:6])
        raise FileRefused("file", "channels R, G and B, or Y", f"the picture has the channels {have}")
    planes = [channels[name] for name in names] * (3 if len(names) == 1 else 1)
    if len({plane.shape for plane in planes}) != 1:
        raise FileRefused("file", "channels of one size", "the picture's channels differ in size")
    alpha = channels.get("A", np.ones_like(planes[0]))
    if alpha.shape != planes[0].shape:
        alpha = np.ones_like(planes[0])
    return np.stack([*planes, alpha], -1)


def _radiance(raw: bytes) -> F32:
    """Radiance's RGBE, flat or run-length coded (Ward, "Real Pixels", Graphics Gems II, 1991, and the format's later
    runs by channel). Taken apart here: the decoders at hand need more room than the reader has."""
    head = raw.find(b"\n\n")
    end = raw.find(b"\n", head + 2)
    line = raw[head + 2 : end].split() if 0 <= head < end else []
    if len(line) != 4 or not (line[1].isdigit() and line[3].isdigit()) or line[0] != b"-Y" or line[2] != b"+X":
        raise FileRefused("file", KINDS, "the picture's size is not where it should be")
    height, width = int(line[1]), int(line[3])
    _bounded(width, height, limits.LIGHT_PIXELS)
    body = np.frombuffer(raw, np.uint8, offset=end + 1)
    try:
        rows = _runs(body, width, height) if _is_coded(body, width) else body[: 4 * width * height]
        rgbe = rows.reshape(height, width, 4)
    except (ValueError, IndexError):
        raise FileRefused("file", KINDS, "the picture is broken: it ends too early") from None
    scale = np.ldexp(np.float32(1), rgbe[..., 3].astype(int) - 136)
    scale = np.where(rgbe[..., 3] > 0, scale, np.float32(0))
    light = rgbe[..., :3].astype(np.float32) * scale[..., None]
    return np.concatenate([light, np.ones((height, width, 1), np.float32)], -1)


def _is_coded(body: NDArray[np.uint8], width: int) -> bool:
    """Does a scanline begin with the mark and the width of one that is run-length coded by channel?"""
    if not (len(body) > 4 and 8 <= width < 32768):
        return False
    first, second, high, low = (int(b) for b in body[:4])
    return first == second == 2 and high * 256 + low == width


def _runs(body: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    """(height, 4, width) decoded, put in order of pixels. Raises ValueError or IndexError for what ends too early."""
    rows = np.empty((height, 4, width), np.uint8)
    at = 0
    for y in range(height):
        if not _is_coded(body[at : at + 5], width):
            raise ValueError(y)
        at += 4
        for channel in rows[y]:
            x = 0
            while x < width:
                count = int(body[at])
                if count > 128:
                    count -= 128
                    channel[x : x + count] = body[at + 1]
                    at += 2
                else:
                    channel[x : x + count] = body[at + 1 : at + 1 + count]
                    at += 1 + count
                if count == 0 or x + count > width:
                    raise ValueError(y)
                x += count
    return np.moveaxis(rows, 1, 2)


def _light(pixels: F32, remarks: list[str]) -> NDArray[np.float16]:
    wrong = ~np.isfinite(pixels[..., :3]).all(-1)
    if wrong.any():
        remarks.append(f"{int(wrong.sum())} pixels were not numbers; they are black")
    negative = (pixels[..., :3] < 0).any(-1) & ~wrong
    if negative.any():
        remarks.append(f"{int(negative.sum())} pixels had negative light; it is taken as none")
    clean = np.nan_to_num(pixels, copy=False, nan=0.0, posinf=0.0, neginf=0.0)
    if (clean[..., :3] > limits.BRIGHTEST).any():
        remarks.append(f"light above {limits.BRIGHTEST} is held at that")
    clean[wrong, :3] = 0
    np.clip(clean, 0, limits.BRIGHTEST, out=clean)
    clean[..., 3] = np.minimum(clean[..., 3], 1)
    return resized(clean, *_kept_size(clean.shape[1], clean.shape[0], remarks)).astype(np.float16)


def _kept_size(width: int, height: int, remarks: list[str]) -> tuple[int, int]:
    most = limits.PICTURE_KEPT
    if max(width, height) <= most:
        return width, height
    scale = most / max(width, height)
    new = max(1, round(width * scale)), max(1, round(height * scale))
    remarks.append(f"kept at {new[0]} x {new[1]} of {width} x {height} pixels")
    return new


def _plain(wrong: Exception) -> str:
    """The first line of what a library says, without paths."""
    text = str(wrong).split("\n")[0]
    return "it cannot be read" if "/" in text or not text else text[:200]
