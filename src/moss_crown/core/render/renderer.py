"""Renders a scene: samples into a film, in one go or bit by bit, and passes out of it."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.render import film as channels
from moss_crown.core.render.denoise import Quality, denoise
from moss_crown.core.render.kernel import trace_rows
from moss_crown.core.render.layers import Layers, layers
from moss_crown.core.render.world import build_world
from moss_crown.core.stage.scene import Scene

F32 = NDArray[np.float32]
BAND = 8
"""Rows a thread takes at a time."""


@dataclass(frozen=True, slots=True)
class RenderSettings:
    """`depth`: bounces; `clamp`: bound on what a sample gathers after its first bounce (0: none); `open_back`: the
    camera sees letters only, for pictures with alpha."""

    width: int
    height: int
    samples: int = 16
    seed: int = 1
    frame: int = 0
    depth: int = 4
    clamp: float = 12.0
    open_back: bool = False
    passes: bool = False
    threads: int = 1


@dataclass(frozen=True)
class Passes:
    """(h, w, k) float32. beauty exposed, linear, premultiplied; alpha; albedo; normal in the world; depth in metres
    along the ray, 0 where nothing was hit."""

    beauty: F32
    alpha: F32
    albedo: F32
    normal: F32
    depth: F32


class Render:
    """A picture in the making. `add` samples as often as wanted, then take `passes`; close it when done."""

    def __init__(self, scene: Scene, settings: RenderSettings) -> None:
        self.settings = settings
        self.scene = scene
        self.done = 0
        self._grade = scene.camera.grade.astype(np.float32)
        self._world, self._rays = build_world(scene, settings.passes)
        pixels = settings.height * settings.width
        groups = channels.GROUPS + 3 * (len(self._world.lights) + 1)
        self._film = np.zeros((pixels, groups if settings.passes else channels.PLAIN), np.float32)
        kept = pixels if settings.passes else 0
        self._mattes = np.zeros((kept, channels.SLOTS), np.uint32)
        self._counts = np.zeros((kept, channels.SLOTS), np.float32)

    def add(self, samples: int) -> None:
        """Add samples to every pixel. The film after 3 + 5 samples has the bits of the film after 8."""
        settings = self.settings

        def band(first: int) -> None:
            trace_rows(
                self._world,
                self._film,
                self._mattes,
                self._counts,
                first,
                min(first + BAND, settings.height),
                settings.width,
                settings.height,
                settings.seed,
                settings.frame & 0xFFFFFFFF,
                self.done,
                self.done + samples,
                settings.depth,
                np.float32(settings.clamp),
                settings.open_back,
                settings.passes,
            )

        bands = range(0, settings.height, BAND)
        if settings.threads == 1:
            for first in bands:
                band(first)
        else:
            with ThreadPoolExecutor(settings.threads) as pool:
                list(pool.map(band, bands))
        self.done += samples

    def passes(self) -> Passes:
        """The passes as sampled so far."""
        settings = self.settings
        film = self._film[:, : channels.PLAIN] / np.float32(max(self.done, 1))
        film = film.reshape(settings.height, settings.width, -1)
        hits = film[..., channels.HITS : channels.HITS + 1]
        some = np.maximum(hits, np.float32(1e-12))
        alpha = self._alpha(film)
        light = film[..., :3]
        if not settings.open_back:
            light = light + self._behind(film, alpha)
        return Passes(
            beauty=np.ascontiguousarray(light @ self._grade.T),
            alpha=alpha,
            albedo=np.ascontiguousarray(film[..., channels.ALBEDO : channels.ALBEDO + 3]),
            normal=np.ascontiguousarray(film[..., channels.NORMAL : channels.NORMAL + 3]),
            depth=np.where(hits > 0, film[..., channels.DEPTH : channels.DEPTH + 1] / some, np.float32(0)),
        )

    def _alpha(self, film: F32) -> F32:
        """Coverage; where only shadows are caught, how much of the light they take away."""
        hits, caught = film[..., channels.HITS], film[..., channels.CATCHER]
        bright = np.maximum(film[..., channels.OPEN], np.float32(1e-12))
        shadow = np.clip(1 - film[..., channels.CAUGHT] / bright, 0, 1)
        alpha: F32 = np.minimum(hits - caught + caught * shadow, np.float32(1))[..., None].astype(np.float32)
        return alpha

    def _behind(self, film: F32, alpha: F32) -> F32:
        """What shows where nothing, or a caught shadow alone, is in front of it."""
        behind = self.scene.surround.behind
        if behind == "nothing":
            return np.zeros_like(film[..., :3])
        if behind == "environment":
            # Rays that met a catcher saw none of it: theirs is taken from the rays about them.
            met = np.maximum(1 - film[..., channels.HITS], np.float32(1e-6))[..., None]
            seen = film[..., channels.BACKDROP : channels.BACKDROP + 3]
            found: F32 = np.where(met > 0.02, seen / met, 0) * (1 - alpha)
            return found.astype(np.float32)
        return ((1 - alpha) * np.array(behind, np.float32)).astype(np.float32)

    def layers(self) -> Layers:
        """Every pass of a render with passes, exposed and premultiplied."""
        width, height = self.settings.width, self.settings.height
        return layers(self.scene, self._film, self._mattes, self._counts, width, height, self.done, self._alpha)

    def close(self) -> None:
        self._rays.close()

    def __enter__(self) -> Render:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def render(scene: Scene, settings: RenderSettings, quality: Quality | None = "high") -> Passes:
    """Render a scene in one go; with a quality the beauty is denoised."""
    with Render(scene, settings) as picture:
        picture.add(settings.samples)
        passes = picture.passes()
    return denoised(passes, quality) if quality else passes


def denoised(passes: Passes, quality: Quality) -> Passes:
    clean = np.maximum(denoise(passes.beauty, passes.albedo, passes.normal, quality), np.float32(0))
    return Passes(clean, passes.alpha, passes.albedo, passes.normal, passes.depth)
