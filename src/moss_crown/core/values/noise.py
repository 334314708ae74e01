"""Smooth noise and random numbers that follow from a seed and an identity alone: the same on every machine."""

from __future__ import annotations

import hashlib
import math

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import inner, outer

Floats = NDArray[np.float64]


def seed_of(*identity: object) -> int:
    """A 64-bit seed from a shot's seed and the identity of a step, a value or a letter."""
    return int.from_bytes(hashlib.sha256(repr(identity).encode()).digest()[:8], "little")


def hashed(seed: int | NDArray[np.uint64], k: NDArray[np.int64]) -> Floats:
    """0 <= h < 1 for whole numbers k, of any shape that goes with the seeds'. Mixing by SplitMix64 (Steele, Lea and
    Flood, OOPSLA 2014)."""
    with np.errstate(over="ignore"):
        x = np.asarray(k).astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15) + np.asarray(seed, np.uint64)
        x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        x ^= x >> np.uint64(31)
    unit: Floats = (x >> np.uint64(11)).astype(np.float64) * 2.0**-53
    return unit


def chances(seed: int, count: int, parts: int = 1) -> Floats:
    """(count, parts) numbers by chance, -1 <= c < 1."""
    return np.asarray(2 * hashed(seed, np.arange(count * parts).reshape(count, parts)) - 1)


def smooth_noise(seed: int | NDArray[np.uint64], x: Floats) -> Floats:
    """-1 to 1, smooth to the second derivative, near 0 at whole x: gradient noise in one dimension with a quintic
    blend, at any x, with one seed or with seeds (l) for x (..., l).

    Perlin, Improving Noise, SIGGRAPH 2002. Two octaves, the second weaker by half, so that it does not look regular;
    the hyperbolic tangent brings it near its bounds without corners.
    """
    at = np.ascontiguousarray(x, np.float64)
    seeds = np.atleast_1d(np.asarray(seed, np.uint64))
    rows = at.reshape(-1, len(seeds))
    found = np.empty_like(rows)
    _noise(found, seeds, rows, np.full((2, len(seeds)), np.nan), np.empty((2, len(seeds), 2)))
    return found.reshape(np.shape(x))


def phases(seeds: NDArray[np.uint64]) -> Floats:
    """Where each of many noises begins, 0 to 1: all of them are near 0 at whole places, and must not meet there."""
    return hashed(seeds, np.zeros(len(seeds), np.int64))


@inner
def _hash(seed, k):
    x = np.uint64(k) * np.uint64(0x9E3779B97F4A7C15) + seed
    x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    x ^= x >> np.uint64(31)
    return (x >> np.uint64(11)) * 2.0**-53


@outer
def _noise(found, seeds, x, cells, slopes):
    """`cells`, none at first, and `slopes`: for each octave and seed the cell that was met last, and those at its ends:
    the next is most often the same."""
    for n in range(x.shape[0]):
        for k in range(len(seeds)):
            total = 0.0
            for octave in range(2):
                at = 2.0 * x[n, k] + 0.5 if octave else x[n, k]
                cell = np.floor(at)
                if cell != cells[octave, k]:
                    cells[octave, k] = cell
                    slopes[octave, k, 0] = 2 * _hash(seeds[k], np.int64(cell)) - 1
                    slopes[octave, k, 1] = 2 * _hash(seeds[k], np.int64(cell) + 1) - 1
                u = at - cell
                rising, falling = slopes[octave, k, 0] * u, slopes[octave, k, 1] * (u - 1)
                mixed = rising + (falling - rising) * (u * u * u * (u * (u * 6 - 15) + 10))
                total += 0.5 * mixed if octave else mixed
            e = math.exp(total * 4.8)
            found[n, k] = (e - 1) / (e + 1)  # the hyperbolic tangent of half of that
