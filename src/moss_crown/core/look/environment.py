"""Environments: what surrounds the title and is reflected in it. Equirectangular, scene-linear Rec.709.

Row 0 looks up, the middle column towards -Z, columns run to the right of someone who looks that way. All are computed
here from softboxes and gradients; none is a photograph.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.look import pictures
from moss_crown.core.values.curves import smooth

if TYPE_CHECKING:
    from moss_crown.core.document.look import EnvironmentSource

Tilt: TypeAlias = tuple[float, float]
LEVEL: Tilt = (0.0, 0.0)
Picture = NDArray[np.float32]

WIDTH, HEIGHT = 512, 256


def directions(width: int = WIDTH, height: int = HEIGHT) -> NDArray[np.float64]:
    """(h, w, 3) unit directions of the texel centres."""
    azimuth = (np.arange(width) + 0.5) / width * 2 * np.pi - np.pi
    polar = (np.arange(height) + 0.5) / height * np.pi
    sine = np.sin(polar)[:, None]
    return np.stack(
        [sine * np.sin(azimuth), np.broadcast_to(np.cos(polar)[:, None], (height, width)), -sine * np.cos(azimuth)], -1
    )


@lru_cache(maxsize=16)
def environment(preset: EnvironmentSource) -> Picture:
    """(HEIGHT, WIDTH, 3) float32 radiance of a preset, or of a picture that was brought in. Raises PictureUnknown."""
    if preset in _PRESETS:
        picture = np.asarray(_PRESETS[preset](directions()), np.float32)
    else:
        picture = pictures.resized(pictures.light(preset), WIDTH, HEIGHT)
    return _shared(picture)


@lru_cache(maxsize=16)
def tilted(preset: EnvironmentSource, tilt: Tilt) -> Picture:
    """An environment leant towards the camera, then to the right, by degrees."""
    picture = environment(preset)
    if tilt == LEVEL:
        return picture
    return _shared(lookup(picture, directions() @ tilt_matrix(tilt)))


def lookup(picture: Picture, ways: NDArray[np.floating]) -> Picture:
    """What is seen in unit directions (..., 3) of an equirectangular picture (h, w, 3), linear between its texels."""
    height, width = picture.shape[:2]
    column = (np.arctan2(ways[..., 0], -ways[..., 2]) + np.pi) / (2 * np.pi) * width - 0.5
    row = np.clip(np.arccos(np.clip(ways[..., 1], -1, 1)) / np.pi * height - 0.5, 0, height - 1)
    left, top = np.floor(column).astype(int), np.minimum(np.floor(row).astype(int), height - 2)
    across, down = (column - left)[..., None], (row - top)[..., None]
    one, other = left % width, (left + 1) % width
    upper = picture[top, one] * (1 - across) + picture[top, other] * across
    lower = picture[top + 1, one] * (1 - across) + picture[top + 1, other] * across
    return np.asarray(upper * (1 - down) + lower * down, np.float32)


def tilt_matrix(tilt: Tilt) -> NDArray[np.float64]:
    """(3, 3): where what stood level is seen: first about Z (to the right), then about X (towards the camera)."""
    a, b = np.radians(tilt[0]), -np.radians(tilt[1])
    about_x = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    about_z = np.array([[np.cos(b), -np.sin(b), 0], [np.sin(b), np.cos(b), 0], [0, 0, 1]])
    return np.asarray(about_x @ about_z)


def standing(turn: float, tilt: Tilt) -> NDArray[np.float64]:
    """(3, 3) that says where what stood level, and unturned, is seen: columns (3, n) are multiplied from the right."""
    return np.asarray(turn_matrix(turn) @ tilt_matrix(tilt))


def _shared(picture: Picture) -> Picture:
    kept: Picture = np.ascontiguousarray(picture, np.float32)
    kept.setflags(write=False)
    return kept


def shrunk(picture: Picture, step: int) -> Picture:
    """An environment as means of so many texels each way."""
    height, width = picture.shape[0] // step, picture.shape[1] // step
    return np.asarray(picture.reshape(height, step, width, step, 3).mean((1, 3)), np.float32)


def turn_matrix(turn: float) -> NDArray[np.float64]:
    """(3, 3) from where something is seen to where it stands in a picture that is turned by `turn` degrees: what stands
    at azimuth a in it is seen at a - turn. Ways (n, 3) are multiplied from the left."""
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    return np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])


def _ramp(height: NDArray[np.float64], stops: list[tuple[float, tuple[float, float, float]]]) -> NDArray[np.float64]:
    """Colour by height (-1 down to 1 up), linear between stops."""
    at = [stop[0] for stop in stops]
    return np.stack([np.interp(height, at, [stop[1][c] for stop in stops]) for c in range(3)], -1)


def _box(
    sky: NDArray[np.float64], azimuth: float, elevation: float, width: float, height: float, soft: float = 3.0
) -> NDArray[np.float64]:
    """A softbox seen from the middle: 0..1, all in degrees. Azimuth 0 is behind the camera (+Z), 90 to its right."""
    yaw = np.degrees(np.arctan2(sky[..., 0], sky[..., 2]))
    pitch = np.degrees(np.arcsin(np.clip(sky[..., 1], -1, 1)))
    away = np.abs((yaw - azimuth + 180) % 360 - 180)
    across = smooth(width / 2 + soft, width / 2 - soft, away)
    return across * smooth(height / 2 + soft, height / 2 - soft, np.abs(pitch - elevation))


def _two_windows(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """A dim studio: a tall cool window behind the camera to the left, a warm one to the right, a strip overhead."""
    picture = _ramp(
        sky[..., 1],
        [
            (-1, (0.015, 0.014, 0.012)),
            (-0.05, (0.05, 0.05, 0.052)),
            (0.25, (0.13, 0.14, 0.15)),
            (1, (0.16, 0.18, 0.20)),
        ],
    )
    panes = 1 - 0.85 * _box(sky, -34, 18, 1.6, 90, 0.8)
    picture = picture + (_box(sky, -34, 20, 40, 62, 5) * panes)[..., None] * np.array([2.6, 2.9, 3.3])
    picture = picture + _box(sky, 52, 16, 34, 60, 8)[..., None] * np.array([3.4, 2.35, 1.5])
    picture = picture + _box(sky, 0, 66, 130, 14, 5)[..., None] * np.array([2.6, 2.6, 2.6])
    return np.asarray(picture + _box(sky, 168, 22, 60, 16, 8)[..., None] * np.array([1.1, 1.3, 1.7]))


def _wide_scrim(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """A lit scrim, as wide as any title sees of it, in front; tall windows beside it and a strip above for edges.

    Whatever mirrors stands in a title's faces looks back to where the camera is, and a little aside: there it is even.
    """
    picture = _ramp(
        sky[..., 1],
        [
            (-1, (0.02, 0.02, 0.02)),
            (-0.05, (0.05, 0.052, 0.055)),
            (0.3, (0.10, 0.105, 0.115)),
            (1, (0.14, 0.15, 0.17)),
        ],
    )
    rise = np.clip(0.88 + 0.95 * sky[..., 1], 0.5, 1.45)
    picture = picture + (_box(sky, 0, 4, 104, 76, 12) * rise)[..., None] * np.array([1.72, 1.66, 1.57])
    picture = picture + _box(sky, -84, 20, 30, 70, 7)[..., None] * np.array([2.4, 2.7, 3.1])
    picture = picture + _box(sky, 84, 16, 30, 66, 8)[..., None] * np.array([2.8, 2.2, 1.55])
    picture = picture + _box(sky, 0, 68, 150, 16, 5)[..., None] * np.array([1.6, 1.6, 1.65])
    return np.asarray(picture + _box(sky, 180, 24, 80, 18, 8)[..., None] * np.array([1.1, 1.3, 1.7]))


def _overcast(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """The standard overcast sky (Moon and Spencer, 1942): zenith three times as bright as the horizon."""
    up = np.clip(sky[..., 1], 0, 1)
    cover = (1 + 2 * up) / 3
    ground = smooth(0.02, -0.06, sky[..., 1])
    return np.asarray(cover[..., None] * np.array([1.02, 1.08, 1.15]) * (1 - 0.88 * ground)[..., None])


def _dusk_harbour(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Afterglow low on the left, blue above, a row of quay lamps behind the camera."""
    picture = _ramp(
        sky[..., 1],
        [
            (-1, (0.012, 0.014, 0.018)),
            (-0.02, (0.03, 0.035, 0.045)),
            (0.0, (0.40, 0.28, 0.22)),
            (0.12, (0.30, 0.27, 0.33)),
            (0.45, (0.09, 0.13, 0.25)),
            (1, (0.035, 0.06, 0.15)),
        ],
    )
    yaw = np.arctan2(sky[..., 0], sky[..., 2])
    glow = np.exp(-(((yaw + 1.2) / 0.55) ** 2) - ((sky[..., 1] - 0.04) / 0.10) ** 2)
    picture = picture + glow[..., None] * np.array([5.2, 2.1, 0.75])
    for azimuth in (18, 36, 54, 72, 90):
        picture = picture + _box(sky, azimuth, 14, 5, 5, 1.5)[..., None] * np.array([9.0, 6.2, 3.2])
    return np.asarray(picture)


def _paper_tent(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """A bright tent of paper with a dark slit at the camera: even light, calm reflections."""
    picture = _ramp(sky[..., 1], [(-1, (0.35, 0.34, 0.33)), (0.0, (0.75, 0.74, 0.72)), (1, (1.25, 1.25, 1.25))])
    return np.asarray(picture * (1 - 0.93 * _box(sky, 0, 4, 16, 70, 4))[..., None])


def _plain(sky: NDArray[np.float64], floor: float, horizon: float, zenith: float) -> NDArray[np.float64]:
    """A dim room in grey: radiance below, level and above."""
    return _ramp(sky[..., 1], [(-1, (floor,) * 3), (0, (horizon,) * 3), (1, (zenith,) * 3)])


def _add(picture: NDArray[np.float64], mask: NDArray[np.float64], *colour: float) -> NDArray[np.float64]:
    return np.asarray(picture + mask[..., None] * np.array(colour))


def _long_softbox(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """One very long box above the camera and a thin one low in front: a clean gradient down every face."""
    picture = _plain(sky, 0.02, 0.05, 0.08)
    picture = _add(picture, _box(sky, 0, 42, 190, 26, 10), 3.6, 3.5, 3.35)
    picture = _add(picture, _box(sky, 0, -14, 150, 4, 3), 0.9, 0.95, 1.0)
    return _add(picture, _box(sky, 180, 30, 120, 18, 10), 0.8, 0.85, 0.95)


def _lamp_row(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Bulbs along the edge of a stage and a second row above: warm points in every bevel."""
    picture = _plain(sky, 0.012, 0.03, 0.025) * np.array([1.0, 0.86, 0.7])
    for azimuth in range(-84, 85, 14):
        picture = _add(picture, _box(sky, azimuth, -9, 4.5, 4.5, 1.5), 16.0, 10.2, 4.8)
        picture = _add(picture, _box(sky, azimuth + 7, 38, 3.5, 3.5, 1.5), 11.0, 7.4, 3.9)
    return _add(picture, _box(sky, 0, 20, 150, 40, 22), 0.22, 0.15, 0.09)


def _low_sun(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Late afternoon: a hazy sun low on the right, a deep sky, warm ground."""
    up = sky[..., 1]
    picture = _ramp(
        up,
        [
            (-1, (0.08, 0.06, 0.04)),
            (-0.03, (0.17, 0.125, 0.08)),
            (0.0, (0.95, 0.70, 0.46)),
            (0.16, (0.62, 0.60, 0.58)),
            (0.55, (0.22, 0.34, 0.56)),
            (1, (0.10, 0.20, 0.42)),
        ],
    )
    yaw = np.degrees(np.arctan2(sky[..., 0], sky[..., 2]))
    pitch = np.degrees(np.arcsin(np.clip(up, -1, 1)))
    away = np.hypot(np.minimum(np.abs(yaw - 58), 360 - np.abs(yaw - 58)), (pitch - 11) * 1.4)
    picture = _add(picture, np.exp(-((away / 26) ** 2)), 2.6, 1.5, 0.7)
    return _add(picture, smooth(5.5, 3.0, away), 62.0, 40.0, 20.0)


def _night_market(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Stalls at night: panels and strings of light in four colours, darkness above."""
    picture = _ramp(sky[..., 1], [(-1, (0.02, 0.016, 0.02)), (0, (0.045, 0.03, 0.04)), (1, (0.006, 0.008, 0.018))])
    stalls = [(-74, 8, 26, 14, (5.0, 1.5, 0.7)), (-30, 12, 20, 10, (0.7, 3.2, 2.6)), (16, 6, 30, 16, (4.6, 2.9, 1.1))]
    stalls += [
        (62, 12, 18, 22, (3.6, 0.7, 2.4)),
        (112, 8, 30, 10, (4.0, 2.4, 1.0)),
        (-128, 10, 24, 12, (0.9, 1.8, 4.0)),
    ]
    for azimuth, elevation, width, height, colour in stalls:
        picture = _add(picture, _box(sky, azimuth, elevation, width, height, 3), *colour)
    for azimuth in range(-90, 91, 9):
        picture = _add(
            picture, _box(sky, azimuth, 30 + 5 * np.cos(np.radians(azimuth * 4)), 2.6, 2.6, 1.2), 9.0, 6.2, 3.0
        )
    return picture


def _cold_tube(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Bare tubes on a dark ceiling: long, thin, blue-white lines."""
    picture = np.asarray(_plain(sky, 0.012, 0.03, 0.03) * np.array([0.85, 0.95, 1.0]))
    for azimuth, elevation, length in ((-40, 40, 70), (34, 52, 80), (0, 24, 46), (160, 38, 90)):
        picture = _add(picture, _box(sky, azimuth, elevation, length, 2.4, 0.9), 11.0, 13.6, 16.0)
    return picture


def _rim_pair(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Two tall strips, one on each side and a little behind: edges drawn in light, faces nearly dark."""
    picture = _plain(sky, 0.015, 0.035, 0.04)
    picture = _add(picture, _box(sky, -104, 12, 10, 90, 4), 9.5, 8.6, 7.4)
    picture = _add(picture, _box(sky, 104, 12, 10, 90, 4), 7.0, 8.4, 10.0)
    return _add(picture, _box(sky, 0, 60, 60, 12, 8), 0.7, 0.7, 0.7)


def _top_light(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """A round skylight straight above, walls falling off to black."""
    up = sky[..., 1]
    picture = _ramp(
        up, [(-1, (0.03, 0.03, 0.03)), (-0.2, (0.015, 0.015, 0.016)), (0.6, (0.08, 0.085, 0.09)), (1, (0.2, 0.2, 0.2))]
    )
    return _add(picture, smooth(0.80, 0.88, up), 7.6, 7.9, 8.3)


def _morning_mist(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Thick white air with a brighter place where the sun stands: soft, cool, almost without contrast."""
    up = sky[..., 1]
    picture = _ramp(
        up, [(-1, (0.26, 0.27, 0.28)), (0, (0.66, 0.70, 0.74)), (0.4, (0.86, 0.92, 1.0)), (1, (0.62, 0.72, 0.86))]
    )
    yaw = np.arctan2(sky[..., 0], sky[..., 2])
    return _add(picture, np.exp(-(((yaw - 0.9) / 0.6) ** 2) - ((up - 0.42) / 0.25) ** 2), 2.4, 2.1, 1.7)


def _lantern_room(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Inside the head of a lighthouse: a ring of panes in dark bars, the sea below."""
    yaw = np.degrees(np.arctan2(sky[..., 0], sky[..., 2]))
    up = sky[..., 1]
    picture = _ramp(
        up,
        [
            (-1, (0.02, 0.03, 0.035)),
            (-0.35, (0.05, 0.09, 0.10)),
            (-0.34, (0.03, 0.03, 0.03)),
            (1, (0.03, 0.028, 0.026)),
        ],
    )
    panes = smooth(-0.24, -0.2, up) * smooth(0.62, 0.58, up)
    bars = smooth(1.0, 2.2, np.abs((yaw % 30) - 15)) * smooth(0.012, 0.03, np.abs(up - 0.2))
    sky_tone = 0.7 + 0.5 * np.cos(np.radians(yaw + 40))
    return _add(picture, panes * bars * sky_tone, 1.9, 2.2, 2.5)


def _storm_break(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """Slate clouds with one bright tear low on the left."""
    up = sky[..., 1]
    picture = _ramp(
        up,
        [
            (-1, (0.03, 0.035, 0.04)),
            (-0.01, (0.07, 0.08, 0.09)),
            (0.02, (0.22, 0.25, 0.28)),
            (0.5, (0.10, 0.12, 0.145)),
            (1, (0.06, 0.07, 0.09)),
        ],
    )
    yaw = np.degrees(np.arctan2(sky[..., 0], sky[..., 2]))
    ragged = 4 * np.sin(np.radians(yaw * 5)) + 2 * np.sin(np.radians(yaw * 13 + 40))
    pitch = np.degrees(np.arcsin(np.clip(up, -1, 1))) - ragged * 0.4
    tear = smooth(62, 38, np.abs(yaw + 42)) * smooth(6, 3, np.abs(pitch - 13))
    return _add(picture, tear, 9.0, 7.6, 5.4)


_PRESETS: dict[str, Callable[[NDArray[np.float64]], NDArray[np.float64]]] = {
    "wide_scrim": _wide_scrim,
    "two_windows": _two_windows,
    "overcast": _overcast,
    "dusk_harbour": _dusk_harbour,
    "paper_tent": _paper_tent,
    "long_softbox": _long_softbox,
    "lamp_row": _lamp_row,
    "low_sun": _low_sun,
    "night_market": _night_market,
    "cold_tube": _cold_tube,
    "rim_pair": _rim_pair,
    "top_light": _top_light,
    "morning_mist": _morning_mist,
    "lantern_room": _lantern_room,
    "storm_break": _storm_break,
}
