"""Environments: what surrounds the title and is reflected in it. Equirectangular, scene-linear Rec.709.

Row 0 looks up, the middle column towards -Z, columns run to the right of someone who looks that way. All are computed
here from softboxes and gradients; none is a photograph.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

Preset: TypeAlias = Literal["two_windows", "overcast", "dusk_harbour", "paper_tent"]
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


@lru_cache(maxsize=8)
def environment(preset: Preset) -> Picture:
    """(HEIGHT, WIDTH, 3) float32 radiance of a preset."""
    sky = directions()
    picture = {
        "two_windows": _two_windows,
        "overcast": _overcast,
        "dusk_harbour": _dusk_harbour,
        "paper_tent": _paper_tent,
    }[preset](sky)
    kept: Picture = np.ascontiguousarray(picture, np.float32)
    kept.setflags(write=False)  # it is shared
    return kept


@lru_cache(maxsize=512)
def diffuse_light(preset: Preset, turn: float, normal: tuple[float, float, float]) -> NDArray[np.float64]:
    """(3) what a white diffuse surface sends back of an environment turned by `turn` degrees: irradiance / pi."""
    step = 8
    sky = directions(WIDTH // step, HEIGHT // step)
    picture = environment(preset).reshape(HEIGHT // step, step, WIDTH // step, step, 3).mean((1, 3))
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    # The picture turns by `turn`: what stands at azimuth a in it is seen at a - turn.
    towards = np.array([c * normal[0] - s * normal[2], normal[1], s * normal[0] + c * normal[2]])
    solid_angle = np.sqrt(1 - sky[..., 1] ** 2) * (np.pi / len(sky)) * (2 * np.pi / sky.shape[1])
    weight = np.maximum(sky @ towards, 0) * solid_angle / np.pi
    return np.asarray((picture * weight[..., None]).sum((0, 1)))


def _ramp(height: NDArray[np.float64], stops: list[tuple[float, tuple[float, float, float]]]) -> NDArray[np.float64]:
    """Colour by height (-1 down to 1 up), linear between stops."""
    at = [stop[0] for stop in stops]
    return np.stack([np.interp(height, at, [stop[1][c] for stop in stops]) for c in range(3)], -1)


def _smooth(low: float, high: float, x: NDArray[np.float64]) -> NDArray[np.float64]:
    t = np.clip((x - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def _box(
    sky: NDArray[np.float64], azimuth: float, elevation: float, width: float, height: float, soft: float = 3.0
) -> NDArray[np.float64]:
    """A softbox seen from the middle: 0..1, all in degrees. Azimuth 0 is behind the camera (+Z), 90 to its right."""
    yaw = np.degrees(np.arctan2(sky[..., 0], sky[..., 2]))
    pitch = np.degrees(np.arcsin(np.clip(sky[..., 1], -1, 1)))
    away = np.abs((yaw - azimuth + 180) % 360 - 180)
    across = _smooth(width / 2 + soft, width / 2 - soft, away)
    return across * _smooth(height / 2 + soft, height / 2 - soft, np.abs(pitch - elevation))


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


def _overcast(sky: NDArray[np.float64]) -> NDArray[np.float64]:
    """The standard overcast sky (Moon and Spencer, 1942): zenith three times as bright as the horizon."""
    up = np.clip(sky[..., 1], 0, 1)
    cover = (1 + 2 * up) / 3
    ground = _smooth(0.02, -0.06, sky[..., 1])
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
