"""A frame metered: a small picture of it, and how each of its letters stands in that."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.scene import letter_names
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


def metered(of: Evaluation, frame: int, width: int, samples: int, threads: int = 1) -> Metered:
    """Meter a frame by a picture so many pixels wide, of so many samples."""
    order = FrameOrder(width, max(16, round(width / of.shot.aspect)), samples, motion_blur=False, threads=threads)
    picture, layers = render_layers(of, frame, order)
    letters, facets = layers.mattes["letter"], layers.mattes["facet"]
    structure = of.structure(frame)
    numbers = {name: number for number, name in enumerate(letter_names(of.shot, structure))}
    seen = letters.index[..., 0]
    kind = np.array([*facets.names, ""])[facets.index[..., 0]]
    face, front = kind == FACETS[FACE], np.isin(kind, (FACETS[FACE], FACETS[BEVEL]))
    depth = layers.pictures["depth"]
    found = readings(picture.shown(), letters.names, seen, face, front, depth.reshape(seen.shape), set(numbers))
    of_light = [name for name in layers.pictures if name.startswith("light_")]
    lights = {name.removeprefix("light_"): layers.pictures[name] @ BRIGHTNESS for name in of_light}

    def lit_by(name: str) -> str:
        own = seen == letters.names.index(name)
        return max(lights, key=lambda light: float(lights[light][own].sum()))

    texts = [letter.text for letter in structure.letters]
    own = np.isin(seen, [k for k, name in enumerate(letters.names) if name in numbers])
    told = [(numbers[one.name], texts[numbers[one.name]], lit_by(one.name)) for one in found]
    return Metered(found, told, own, picture.pixels())
