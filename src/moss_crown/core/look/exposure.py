"""Exposure and white balance: what a camera makes of scene light, as one matrix on linear Rec.709."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]

BRIGHTNESS = np.array([0.2126, 0.7152, 0.0722])
"""Luminance of linear Rec.709 (ITU-R BT.709)."""
NEUTRAL = 6500.0
"""The colour temperature at which white balance changes nothing."""
_TO_XYZ = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
)
"""Rec.709 to CIE XYZ (ITU-R BT.709, white D65)."""
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
"""XYZ to sharpened cone responses (Lam, 1985)."""


def white_of(kelvin: float) -> NDArray[np.float64]:
    """XYZ, Y = 1, of a black body at 1,000 to 15,000 kelvin (Krystek, 1985)."""
    t = float(np.clip(kelvin, 1000, 15_000))
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    return np.array([x / y, 1.0, (1 - x - y) / y])


def colour_of(kelvin: float) -> NDArray[np.float64]:
    """Linear Rec.709 of light of a colour temperature, beside light of NEUTRAL, at a luminance of 1."""
    light = np.linalg.inv(grade(0.0, kelvin)) @ np.ones(3)
    light = np.maximum(light, 0.0)
    found: NDArray[np.float64] = light / (light @ BRIGHTNESS)
    return found


def srgb_to_linear(encoded: NDArray[np.float64]) -> NDArray[np.float64]:
    """Display values of sRGB, 0 to 1, as linear light, by the transfer function of IEC 61966-2-1."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def linear_to_srgb(light: NDArray[np.floating]) -> NDArray[np.float64]:
    """Linear light 0 to 1 as sRGB, 0 to 1 (IEC 61966-2-1)."""
    light = np.asarray(light, np.float64)
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0.0031308) ** (1 / 2.4) - 0.055)


def grade(stops: float, kelvin: float) -> Matrix:
    """(3, 3): light times 2 to the `stops`, adapted so that light of `kelvin` turns out white."""
    source, target = _BRADFORD @ white_of(kelvin), _BRADFORD @ white_of(NEUTRAL)
    adapt = np.linalg.inv(_BRADFORD) @ np.diag(target / source) @ _BRADFORD
    found: Matrix = 2.0**stops * np.linalg.inv(_TO_XYZ) @ adapt @ _TO_XYZ
    return found
