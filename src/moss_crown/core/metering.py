"""A frame metered: a small picture of it, and how each of its letters stands in that."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.scene import letter_names
from moss_crown.core.finish.finish import Picture
from moss_crown.core.finish.meter import Reading, readings
from moss_crown.core.form.mesh import BEVEL, FACE, FACETS
from moss_crown.core.look.exposure import BRIGHTNESS
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_layers

METER = (400, 12)
"""The width in pixels and the samples of the picture that a user's light meter reads."""


@dataclass(frozen=True)
class Metered:
    """The letters of a frame that are seen; of each its number in the title, its text, and the name of the light that
    brings most of what is seen of it. own (h, w): where they are; `pixels` (h, w, 3), sRGB."""

    readings: list[Reading]
    letters: list[tuple[int, str, str]]
    own: NDArray[np.bool_]
    pixels: NDArray[np.uint8]


@dataclass(frozen=True)
class Study:
    """A frame's picture by what each light brings to it: read as it is, and as it would be under lights that are
    stronger or weaker, since what a surface sends back of a light is in proportion to it.

    `lights` (h, w), their luminance, are in the order of the scene's sources, the glow of letters after them, if there
    is one, and the environment at last.
    """

    metered: Metered
    picture: Picture
    lights: list[NDArray[np.float32]]
    _read: Callable[[Picture], list[Reading]]

    def under(self, factors: Mapping[int, float]) -> list[Reading]:
        """How letters would stand if lights, by their numbers, were so many times as strong."""
        whole = np.maximum(sum(self.lights), _DARKEST)  # noisy as each of them: their share of it is not
        more = sum((factor - 1) * self.lights[k] for k, factor in factors.items())
        share = np.asarray(1 + more / whole, np.float32)[..., None]
        return self._read(replace(self.picture, light=self.picture.light * share))


_DARKEST = 1e-6


def metered(of: Evaluation, frame: int, width: int, samples: int, threads: int = 1) -> Metered:
    """Meter a frame by a picture so many pixels wide, of so many samples."""
    return studied(of, frame, width, samples, threads).metered


def studied(of: Evaluation, frame: int, width: int, samples: int, threads: int = 1) -> Study:
    """The same, with what each light brings to it."""
    order = FrameOrder(width, max(16, round(width / of.shot.aspect)), samples, motion_blur=False, threads=threads)
    picture, layers = render_layers(of, frame, order)
    letters, facets = layers.mattes["letter"], layers.mattes["facet"]
    structure = of.structure(frame)
    numbers = {name: number for number, name in enumerate(letter_names(of.shot, structure))}
    seen = letters.index[..., 0]
    kind = np.array([*facets.names, ""])[facets.index[..., 0]]
    face, front = kind == FACETS[FACE], np.isin(kind, (FACETS[FACE], FACETS[BEVEL]))
    depth = layers.pictures["depth"].reshape(seen.shape)

    def read(picture: Picture) -> list[Reading]:
        return readings(picture.shown(), letters.names, seen, face, front, depth, set(numbers))

    of_light = [name for name in layers.pictures if name.startswith("light_")]
    lights = {name.removeprefix("light_"): layers.pictures[name] @ BRIGHTNESS for name in of_light}

    def lit_by(name: str) -> str:
        own = seen == letters.names.index(name)
        return max(lights, key=lambda light: float(lights[light][own].sum()))

    texts = [letter.text for letter in structure.letters]
    own = np.isin(seen, [k for k, name in enumerate(letters.names) if name in numbers])
    found = read(picture)
    told = [(numbers[one.name], texts[numbers[one.name]], lit_by(one.name)) for one in found]
    metered = Metered(found, told, own, picture.pixels())
    return Study(metered, picture, list(lights.values()), read)
