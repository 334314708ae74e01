"""Picture files made in tests."""

import io

import numpy as np
import OpenEXR
from PIL import Image


def png(pixels, kind="PNG", **more):
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, kind, **more)
    return out.getvalue()


def exr(tmp_path, pixels, names="RGB"):
    path = tmp_path / "picture.exr"
    channels = {name: np.ascontiguousarray(pixels[..., k], np.float32) for k, name in enumerate(names)}
    OpenEXR.File({"type": OpenEXR.scanlineimage}, channels).write(str(path))
    return path.read_bytes()


def hdr(pixels):
    """Flat RGBE as of Ward, "Real Pixels" (Graphics Gems II, 1991)."""
    brightest = pixels.max(-1)
    mantissa, exponent = np.frexp(np.maximum(brightest, 1e-32))
    scale = mantissa * 256 / np.maximum(brightest, 1e-32)
    rows = np.concatenate([pixels * scale[..., None], (exponent + 128)[..., None]], -1).astype(np.uint8)
    height, width = pixels.shape[:2]
    return b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n" % (height, width) + rows.tobytes()


def hdr_in_runs(pixels):
    """The same, every channel of a scanline as runs of at most 127 and stretches of at most 128."""
    flat = hdr(pixels)
    height, width = pixels.shape[:2]
    start = flat.index(b"+X") + len(f"+X {width}\n")
    rows = np.frombuffer(flat[start:], np.uint8).reshape(height, width, 4)
    out = bytearray(flat[:start])
    for row in rows:
        out += bytes([2, 2, width >> 8, width & 255])
        for channel in row.T:
            x = 0
            while x < width:
                run = 1
                while x + run < width and run < 127 and channel[x + run] == channel[x]:
                    run += 1
                if run > 2:
                    out += bytes([128 + run, channel[x]])
                else:
                    run = min(5, width - x)
                    out += bytes([run]) + channel[x : x + run].tobytes()
                x += run
    return bytes(out)
