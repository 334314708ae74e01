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
        encoded = _pillow(raw)
        kept = _smaller(encoded.astype(np.float32), remarks)
        pixels: NDArray[np.uint8] | NDArray[np.float16] = np.round(kept).astype(np.uint8)
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


def _pillow(raw: bytes) -> NDArray[np.uint8]:
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
                return np.asarray(upright.convert("RGBA"))
        except FileRefused:
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
        except FileRefused:
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
    import av  # loads a large library, which only this needs

    line = next((row for row in raw[:4096].split(b"\n") if row[:2] in (b"-Y", b"+Y")), b"").split()
    if len(line) != 4 or not (line[1].isdigit() and line[3].isdigit()) or line[0] != b"-Y" or line[2] != b"+X":
        raise FileRefused("file", KINDS, "the picture's size is not where it should be")
    _bounded(int(line[3]), int(line[1]), limits.LIGHT_PIXELS)
    try:
        with av.open(io.BytesIO(raw), mode="r", format="hdr_pipe") as container:
            frame = next(iter(container.decode(video=0)))
            pixels = np.asarray(frame.to_ndarray(), np.float32)
    except Exception as wrong:
        raise FileRefused("file", KINDS, f"the picture is broken: {_plain(wrong)}") from None
    return np.concatenate([pixels, np.ones((*pixels.shape[:2], 1), np.float32)], -1)


def _light(pixels: F32, remarks: list[str]) -> NDArray[np.float16]:
    wrong = ~np.isfinite(pixels[..., :3]).all(-1)
    if wrong.any():
        remarks.append(f"{int(wrong.sum())} pixels were not numbers; they are black")
    negative = (pixels[..., :3] < 0).any(-1) & ~wrong
    if negative.any():
        remarks.append(f"{int(negative.sum())} pixels had negative light; it is taken as none")
    clean = np.nan_to_num(pixels, nan=0.0, posinf=0.0, neginf=0.0)
    if (clean[..., :3] > limits.BRIGHTEST).any():
        remarks.append(f"light above {limits.BRIGHTEST} is held at that")
    clean[wrong, :3] = 0
    clean = np.clip(clean, 0, limits.BRIGHTEST)
    clean[..., 3] = np.minimum(clean[..., 3], 1)
    return _smaller(clean, remarks).astype(np.float16)


def _smaller(pixels: F32, remarks: list[str]) -> F32:
    height, width = pixels.shape[:2]
    most = limits.PICTURE_KEPT
    if max(width, height) <= most:
        return pixels
    scale = most / max(width, height)
    new = max(1, round(width * scale)), max(1, round(height * scale))
    remarks.append(f"kept at {new[0]} x {new[1]} of {width} x {height} pixels")
    return resized(pixels, *new)


def _plain(wrong: Exception) -> str:
    """The first line of what a library says, without paths."""
    text = str(wrong).split("\n")[0]
    return "it cannot be read" if "/" in text or not text else text[:200]
