"""Pictures from outside: read as light, bounded, mended with a remark, or refused with a reason."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moss_crown.core import limits
from moss_crown.core.assets import Asset, assets_of, bring_in, check_assets
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.errors import FileRefused, PictureUnknown
from moss_crown.core.formats.picture_file import read_picture
from moss_crown.core.look import pictures
from moss_crown.core.look.environment import HEIGHT, WIDTH, directions, environment, tilt_matrix, tilted
from pictures_made import exr, hdr, hdr_in_runs, png


def brought(raw):
    found = read_picture(raw)
    bring_in(Asset(found.id, "picture", "trial", {}, found.packed))
    return found, pictures.light(found.id)


def read_and_bring(raw):
    return brought(raw)[0].id


def test_bytes_become_light_by_the_standard_curve():
    ramp = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, 2)
    found, light = brought(png(ramp))
    assert (found.width, found.height) == (256, 1)
    assert light[0, 255] == pytest.approx([1, 1, 1])
    assert light[0, 128, 0] == pytest.approx(0.2158605, abs=1e-6)
    assert light[0, 5, 0] == pytest.approx(5 / 255 / 12.92)


def test_floats_are_light_already(tmp_path):
    drawn = np.random.default_rng(1).random((8, 16, 3)) * 40
    _, light = brought(exr(tmp_path, drawn))
    assert light == pytest.approx(drawn, rel=1e-3)
    _, light = brought(hdr(drawn))
    assert light == pytest.approx(drawn, abs=40 / 128)
    drawn[2:5, 3:12] = 7.0
    assert pictures.light(read_and_bring(hdr_in_runs(drawn))) == pytest.approx(
        pictures.light(read_and_bring(hdr(drawn)))
    )
    grey = exr(tmp_path, drawn[..., :1], "Y")
    assert brought(grey)[1][..., 2] == pytest.approx(drawn[..., 0], rel=1e-3)


def test_the_same_picture_is_the_same_asset_and_sixteen_bits_are_read():
    grey = (np.arange(12, dtype=np.uint16).reshape(3, 4) * 5000).astype(np.uint16)
    one, light = brought(png(grey))
    assert one.id == read_picture(png(grey)).id
    assert light[0, 0] == pytest.approx([0, 0, 0])
    assert light[2, 3, 0] == pytest.approx(((55000 / 65535 + 0.055) / 1.055) ** 2.4, rel=0.01)


def test_what_is_no_light_is_mended_and_said(tmp_path):
    drawn = np.ones((4, 4, 3))
    drawn[0, 0, 1], drawn[1, 1, 0], drawn[2, 2, 2] = np.nan, -3.0, 1e30
    found, light = brought(exr(tmp_path, drawn))
    assert np.isfinite(light).all() and (light >= 0).all()
    assert light[0, 0] == pytest.approx([0, 0, 0])
    assert light[1, 1] == pytest.approx([0, 1, 1])
    assert light[2, 2, 2] == pytest.approx(limits.BRIGHTEST, rel=1e-3)
    assert len(found.remarks) == 3


def test_a_large_picture_is_kept_smaller_with_the_same_light():
    drawn = np.random.default_rng(2).integers(0, 255, (900, 3000, 3), np.uint8)
    found = read_picture(png(drawn))
    assert (found.width, found.height) == (2048, 614)
    assert "3000" in found.remarks[0]
    kept = pictures.unpack(found.packed)
    assert kept[..., :3].mean() == pytest.approx(drawn.mean(), abs=0.5)


@given(st.integers(1, 40), st.integers(1, 40), st.integers(1, 40), st.integers(1, 40))
def test_resizing_keeps_the_mean(width, height, to_width, to_height):
    picture = np.random.default_rng(width * height).random((height, width, 2)).astype(np.float32)
    small = pictures.resized(picture, to_width, to_height)
    assert small.shape == (to_height, to_width, 2)
    assert small.mean((0, 1)) == pytest.approx(picture.mean((0, 1)), rel=1e-4)
    assert small.min() >= picture.min() - 1e-5 and small.max() <= picture.max() + 1e-5


def bomb():
    """A picture 30,000 pixels wide that is only a head."""
    whole = png(np.zeros((1, 1, 3), np.uint8))
    import struct
    import zlib

    head = b"IHDR" + struct.pack(">IIBBBBB", 30_000, 10, 8, 2, 0, 0, 0)
    return whole[:8] + struct.pack(">I", 13) + head + struct.pack(">I", zlib.crc32(head)) + whole[33:]


@pytest.mark.parametrize(
    ("raw", "bound"),
    [
        (b"", "PNG"),
        (b"%PDF-1.7", "PNG"),
        (b"GIF89a" + bytes(40), "PNG"),
        (png(np.zeros((4, 4, 3), np.uint8))[:40], "PNG"),
        (b"\xff\xd8\xff" + bytes(100), "PNG"),
        (b"\x76\x2f\x31\x01" + bytes(100), "PNG"),
        (b"#?RADIANCE\n\n-Y 8 +X 8\n", "PNG"),
        (b"#?RADIANCE\n\n-Y 8 +X 99999\n" + bytes(100), "16384"),
        (b"#?RADIANCE\n\n-Y 16000 +X 16000\n" + bytes(100), "million"),
        (bomb(), "16384"),
    ],
)
def test_what_is_no_picture_is_refused(raw, bound):
    with pytest.raises(FileRefused) as refused:
        read_picture(raw)
    assert bound in refused.value.bound
    assert "/tmp" not in str(refused.value)


def test_damaged_pictures_are_read_or_refused(tmp_path):
    whole = [
        png(np.random.default_rng(3).integers(0, 255, (24, 24, 3), np.uint8)),
        png(np.random.default_rng(4).integers(0, 255, (24, 24, 3), np.uint8), "JPEG"),
        exr(tmp_path, np.random.default_rng(5).random((24, 24, 3))),
        hdr_in_runs(np.random.default_rng(6).random((24, 24, 3)) + 0.1),
    ]
    draw = np.random.default_rng(7)
    read = 0
    for k in range(160):
        raw = bytearray(whole[k % 4])
        for at in draw.integers(0, len(raw), draw.integers(1, 12)):
            raw[at] = draw.integers(0, 256)
        try:
            found = read_picture(bytes(raw))
            assert np.isfinite(pictures.unpack(found.packed).astype(np.float32)).all()
            read += 1
        except FileRefused:
            pass
    assert 20 < read < 160


def test_a_picture_surrounds_the_title_and_must_be_there():
    drawn = np.zeros((32, 64, 3), np.float32)
    drawn[:, 32:48, 0] = 5.0
    found, _ = brought(hdr(drawn + 1e-3))
    surround = environment(found.id)
    assert surround.shape == (HEIGHT, WIDTH, 3)
    right = directions()[..., 0] > 0.9
    assert surround[right][:, 0].mean() > 2
    assert surround[directions()[..., 0] < -0.9][:, 0].mean() < 0.1
    plain = new_shot()
    place = next(f"/steps/{k}/preset" for k, step in enumerate(plain.steps) if step.kind == "environment")
    shot = patched(write_shot(plain), [{"op": "replace", "path": place, "value": found.id}])
    assert assets_of(shot)[found.id] == place
    check_assets(shot, {found.id})
    with pytest.raises(PictureUnknown) as unknown:
        check_assets(shot)
    assert unknown.value.field == place


@given(st.floats(-180, 180), st.floats(-180, 180))
def test_tilting_moves_the_light_as_a_turn_of_the_sky_would(forward, right):
    matrix = tilt_matrix((forward, right))
    assert matrix @ matrix.T == pytest.approx(np.eye(3), abs=1e-9)
    assert np.linalg.det(matrix) == pytest.approx(1)


def test_a_tilted_sky_keeps_its_light():
    """A light overhead comes down in front when the sky leans towards the camera by 90 degrees, and to the right."""
    sky = directions()
    above = environment("top_light")
    brightest = above.sum(-1) > 0.9 * above.sum(-1).max()
    middle = sky[brightest].mean(0)
    assert middle[1] > 0.9
    for tilt, towards in (((90.0, 0.0), [0, 0, 1]), ((0.0, 90.0), [1, 0, 0]), ((180.0, 0.0), [0, -1, 0])):
        seen = tilted("top_light", tilt)
        bright = seen.sum(-1) > 0.9 * seen.sum(-1).max()
        assert sky[bright].mean(0) @ towards > 0.85
    area = np.sqrt(1 - sky[..., 1] ** 2)[..., None]
    assert (tilted("two_windows", (37.0, -21.0)) * area).sum() == pytest.approx(
        (environment("two_windows") * area).sum(), rel=0.01
    )
