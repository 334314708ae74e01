"""Renders a scene: samples into a film, in one go or bit by bit, and passes out of it."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.look.exposure import BRIGHTNESS
from moss_crown.core.render import film as channels
from moss_crown.core.render.denoise import Quality, denoise
from moss_crown.core.render.environment_map import environment_map
from moss_crown.core.render.kernel import trace_rows
from moss_crown.core.render.lanes import workspace
from moss_crown.core.render.layers import Layers, layers
from moss_crown.core.render.photons import guide_of
from moss_crown.core.render.rays import ray_buffer
from moss_crown.core.render.sight import ALL_OF_IT, sight
from moss_crown.core.render.views import Packed
from moss_crown.core.render.world import build_world
from moss_crown.core.stage.backdrop import painted
from moss_crown.core.stage.scene import Scene

F32 = NDArray[np.float32]
Tile: TypeAlias = tuple[int, int, int, int]
"""First and last row (beyond it), first and last column of a part of a picture."""
BAND, TILE = 8, 128
"""Rows a thread takes at a time; and columns, where not all of them get samples."""
AT_ONCE = 64
"""Samples that a band gets at a time: a picture can be ended between two of them."""
EVERYWHERE = 16
"""So many samples every pixel gets before any is told to be clean; and so many more those get that are not."""
DIM = 0.05
"""Exposed light below which noise counts by itself, above by its share of the light: about how it is seen."""
BRIGHTEST = 60.0
"""Exposed light above which a sample is an outlier, where outliers are bounded: brighter than what polished edges show
of a strong lamp, which a glossy floor mirrors."""
WIDEN = 0.1
"""How far surfaces widen with those before them: about a quarter as far as a lobe that would scatter as those did. More
takes more of the variance, and of the light that metal throws on what is near it, which no denoiser brings back."""
FAINT = 0.02
"""Exposed light of one sample below which its shadow ray is sent by chance only (Arvo and Kirk, 1990): a tenth of the
time for a third of a percent of variance."""
MANY = 24
"""With so many samples the edges in albedo and normals are smooth as well. The filter that trusts them takes twice as
long: with fewer samples more of them are worth more."""


@dataclass(frozen=True, slots=True)
class RenderSettings:
    """`samples` a pixel, or with `noise` at most so many: a part of the picture gets no more once its noise, before
    denoising, is below that share of its light. `depth`: bounces; `bounded`: no sample gathers
    more than BRIGHTEST by way of a second surface, and none of those is much sharper than the surfaces before it (see
    `kernel._widen`); `open_back`: the camera sees letters only, for pictures with alpha."""

    width: int
    height: int
    samples: int = 16
    noise: float = 0.0
    seed: int = 1
    frame: int = 0
    depth: int = 4
    bounded: bool = True
    open_back: bool = False
    passes: bool = False
    threads: int = 1


@dataclass(frozen=True)
class Passes:
    """(h, w, k) float32. beauty exposed, linear, premultiplied; alpha; albedo; normal in the world; depth in metres
    along the ray, 0 where nothing was hit. `sharp`: nothing moved while the shutter was open, all was in focus, and
    many samples were taken: albedo and normal have next to no noise."""

    beauty: F32
    alpha: F32
    albedo: F32
    normal: F32
    depth: F32
    sharp: bool


Between: TypeAlias = Callable[[], None]
"""Called between parts of a picture: to end it there, it raises."""


def go_on() -> None:
    """Nothing ends a picture before its time."""


class Render:
    """A picture in the making. `add` samples as often as wanted, then take `passes`; close it when done.

    `aided`: whether what the stage sees of the sky, and photons, are found out first, which saves noise."""

    def __init__(self, scene: Scene, settings: RenderSettings, aided: bool = True, between: Between = go_on) -> None:
        self.settings = settings
        self._between = between
        self.scene = scene
        self.done = 0
        self._left: tuple[int, list[Tile]] = (-1, [])
        self._grade = scene.camera.grade.astype(np.float32)
        self._exposed = float(BRIGHTNESS @ self._grade.sum(1))  # what exposure makes of grey light of 1
        world, self._rays = build_world(scene, settings.passes)
        seen = sight(world) if aided else ALL_OF_IT
        world = world._replace(surround=environment_map(scene.surround, seen)[0])
        if aided:
            samples = settings.width * settings.height * settings.samples
            world = world._replace(guide=guide_of(scene, world, samples))
        self._world = Packed(world)
        pixels = settings.height * settings.width
        groups = channels.GROUPS + 3 * (len(self._world.lights) + 1)
        self._film = np.zeros((pixels, groups if settings.passes else channels.PLAIN), np.float32)
        kept = pixels if settings.passes else 0
        self._mattes = np.zeros((kept, channels.SLOTS), np.uint32)
        self._counts = np.zeros((kept, channels.SLOTS), np.float32)

    def add(self, samples: int) -> None:
        """Add samples to every pixel. The film after 3 + 5 samples has the bits of the film after 8."""
        width, height = self.settings.width, self.settings.height
        bands = [(y, min(y + BAND, height), 0, width) for y in range(0, height, BAND)]
        upto = self.done + samples
        while self.done < upto:
            more = min(upto - self.done, AT_ONCE)
            self._trace(bands, more)
            self.done += more

    def finish(self) -> None:
        """Take the samples that the settings ask for."""
        self.reach(self.settings.samples)

    def reach(self, samples: int) -> bool:
        """Take samples up to so many, of those that the settings ask for: everywhere the same number, or with a bound
        on noise as many as each part of the picture needs. Answers whether it has what they ask for.

        Which part needs more is seen by the samples that it has, always after the same numbers of them, so that a frame
        alone has the bits of one in sequence, and one made bit by bit those of one made in one go.
        """
        settings = self.settings
        upto = min(samples, settings.samples)
        if settings.noise <= 0:
            self.add(max(0, upto - self.done))
        else:
            self.add(max(0, min(upto, EVERYWHERE) - self.done))
            while self.done < upto and (noisy := self._noisy()):
                more = min(upto, self.done - self.done % EVERYWHERE + EVERYWHERE) - self.done
                self._trace(noisy, more)
                self.done += more
        return self.done == settings.samples or (settings.noise > 0 and self.done >= EVERYWHERE and not self._noisy())

    def _noisy(self) -> list[Tile]:
        """Parts that need more samples, by those that they had when it was last looked at."""
        then = self.done - self.done % EVERYWHERE
        if self._left[0] != then:
            self._left = then, [tile for tile in self._tiles() if self._noise(tile) > self.settings.noise]
        return self._left[1]

    def _tiles(self) -> list[Tile]:
        width, height = self.settings.width, self.settings.height
        return [
            (y, min(y + BAND, height), x, min(x + TILE, width))
            for y in range(0, height, BAND)
            for x in range(0, width, TILE)
        ]

    def _noise(self, tile: Tile) -> float:
        """The root mean square, over a tile, of the standard error of its pixels' light as a share of that."""
        top, bottom, left, right = tile
        film = self._film.reshape(self.settings.height, self.settings.width, -1)[top:bottom, left:right]
        count = film[..., channels.COUNT].astype(np.float64)
        mean = film[..., channels.LAST] / count
        variance = np.maximum(film[..., channels.SQUARE] / count - mean * mean, 0) / np.maximum(count - 1, 1)
        return float(np.sqrt((variance * self._exposed**2 / (mean * self._exposed + DIM) ** 2).mean()))

    def _trace(self, tiles: list[Tile], samples: int) -> None:
        """Add samples to tiles that have all samples so far. Tiles that were left out before are never taken again."""
        settings = self.settings

        def part(tile: Tile) -> None:
            self._between()
            trace_rows(
                self._world,
                *workspace(),
                ray_buffer(),
                self._film,
                self._mattes,
                self._counts,
                *tile,
                settings.width,
                settings.height,
                settings.seed,
                settings.frame & 0xFFFFFFFF,
                self.done,
                self.done + samples,
                (settings.samples - 1).bit_length(),
                settings.depth,
                np.float32(BRIGHTEST / self._exposed if settings.bounded else 0),
                np.float32(WIDEN if settings.bounded else 0),
                np.float32(FAINT / self._exposed),
                settings.open_back,
                settings.passes,
            )

        if settings.threads == 1:
            for tile in tiles:
                part(tile)
        else:
            with ThreadPoolExecutor(settings.threads) as pool:
                list(pool.map(part, tiles))

    @property
    def _taken(self) -> F32:
        """(h * w, 1) how many samples each pixel has, 1 where it has none yet."""
        return np.maximum(self._film[:, channels.COUNT : channels.COUNT + 1], np.float32(1))

    def passes(self) -> Passes:
        """The passes as sampled so far."""
        settings = self.settings
        film = self._film[:, : channels.PLAIN] / self._taken
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
            sharp=self.done >= MANY and self._world.poses.shape[1] == 1 and self.scene.camera.opening == 0,
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
        return ((1 - alpha) * painted(behind, self.settings.width, self.settings.height)).astype(np.float32)

    def layers(self) -> Layers:
        """Every pass of a render with passes, exposed and premultiplied."""
        width, height = self.settings.width, self.settings.height
        taken = self._taken
        return layers(self.scene, self._film / taken, self._mattes, self._counts / taken, width, height, self._alpha)

    def close(self) -> None:
        """Give back what the ray engine holds."""
        self._rays.close()

    def __enter__(self) -> Render:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def render(
    scene: Scene, settings: RenderSettings, quality: Quality | None = "high", between: Between = go_on
) -> Passes:
    """Render a scene in one go; with a quality the beauty is denoised."""
    with Render(scene, settings, between=between) as picture:
        picture.finish()
        passes = picture.passes()
    return denoised(passes, quality) if quality else passes


def denoised(passes: Passes, quality: Quality) -> Passes:
    """Passes with their beauty denoised, guided by albedo and normals."""
    clean = denoise(passes.beauty, passes.albedo, passes.normal, quality, passes.sharp)
    return replace(passes, beauty=np.maximum(clean, np.float32(0)))
