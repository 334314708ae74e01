"""The passes of a render as named layers, and its mattes.

Light is split in two ways, each of which adds up to the beauty: by what it met first (diffuse, specular, and the glow
seen itself), and by the lamp that it came from.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.compiling import outer
from moss_crown.core.form.mesh import FACETS
from moss_crown.core.render import film as channels
from moss_crown.core.stage.scene import Scene

F32 = NDArray[np.float32]


@dataclass(frozen=True)
class Mattes:
    """Which of several names cover a pixel, the largest share first: indices (h, w, k), -1 for none; and shares."""

    names: tuple[str, ...]
    index: NDArray[np.int64]
    share: F32


@dataclass(frozen=True)
class Layers:
    """Pictures (h, w, k) float32 by name: colours with 3 channels, places and normals with 3, others with 1 or 2."""

    pictures: dict[str, F32]
    mattes: dict[str, Mattes] = field(default_factory=dict)

    def cut(self, box: tuple[int, int, int, int]) -> Layers:
        """The same of a part of the frame: its left, top, right and bottom in pixels."""
        left, top, right, bottom = box
        part = slice(top, bottom), slice(left, right)
        mattes = {name: replace(m, index=m.index[part], share=m.share[part]) for name, m in self.mattes.items()}
        return Layers({name: picture[part] for name, picture in self.pictures.items()}, mattes)


def layers(
    scene: Scene,
    film: F32,
    mattes: NDArray[np.uint32],
    counts: F32,
    width: int,
    height: int,
    alpha_of: Callable[[F32], F32],
) -> Layers:
    """The layers of a film, whose sums were divided by its samples; its lamps are named by the scene."""
    values = film.reshape(height, width, -1)
    grade = scene.camera.grade.astype(np.float32)

    def at(place: int, count: int = 3) -> F32:
        return np.ascontiguousarray(values[..., place : place + count])

    def light(place: int) -> F32:
        return np.ascontiguousarray(at(place) @ grade.T)

    hits = np.maximum(at(channels.HITS, 1), np.float32(1e-12))
    covered = at(channels.HITS, 1) > 0
    beauty, diffuse, glow = light(channels.BEAUTY), light(channels.DIFFUSE), light(channels.EMISSION)
    open_, shaded = at(channels.UNSHADED, 1), at(channels.SHADED, 1)
    found: dict[str, F32] = {
        "beauty": beauty,
        "alpha": alpha_of(values),
        "diffuse": diffuse,
        "specular": beauty - diffuse - glow,
        "emission": glow,
    }
    for k, name in enumerate(light_names(scene, (values.shape[-1] - channels.GROUPS) // 3)):
        found[f"light_{name}"] = light(channels.GROUPS + 3 * k)
    more = {
        "shadow": np.where(open_ > 0, 1 - shaded / np.maximum(open_, np.float32(1e-12)), np.float32(0)),
        "albedo": at(channels.ALBEDO),
        "normal": at(channels.NORMAL) / hits * covered,
        "position": at(channels.POSITION) / hits * covered,
        "depth": np.where(covered, at(channels.DEPTH, 1) / hits, np.float32(0)),
        "motion": at(channels.MOTION, 2) / hits * covered * np.array([width / 2, height / 2], np.float32),
    }
    found |= {name: np.asarray(picture, np.float32) for name, picture in more.items()}
    seen = mattes.reshape(height, width, -1).astype(np.int64)
    share = counts.reshape(height, width, -1)
    return Layers(found, {kind: _matte(seen, share, names) for kind, names in matte_names(scene).items()})


def light_names(scene: Scene, count: int) -> list[str]:
    """A name for each light of a film, unlike every other: the lamps', the glow's, the environment's."""
    names = [*scene.light_names] or [f"lamp_{k + 1}" for k in range(len(scene.lights))]
    names += ["glow"] * (count - len(scene.lights) - 1) + ["environment"]
    found: list[str] = []
    for name in names:
        plain = "".join(c if c.isascii() and c.isalnum() else "_" for c in name) or "lamp"
        number = sum(other == plain or other.startswith(f"{plain}_") for other in found)
        found.append(plain if plain not in found else f"{plain}_{number + 1}")
    return found


def matte_names(scene: Scene) -> dict[str, list[str]]:
    """For each kind of matte, what the name of an instance's facet is, by the number of its instance times that of
    facets, and the facet."""
    letters = [(letter.name or f"letter {k + 1}", letter.word or "title") for k, letter in enumerate(scene.letters)]
    stage = [ground.name for ground in scene.grounds]
    whole = [name for name, _ in letters for _ in FACETS]
    words = [word for _, word in letters for _ in FACETS]
    facets = [facet for _ in letters for facet in FACETS]
    behind = [name for name in stage for _ in FACETS]
    return {"letter": whole + behind, "word": words + behind, "facet": facets + behind}


@outer
def _merge(index, share, kept, merged):
    """See `merged_shares`; (p, k)."""
    for p in range(index.shape[0]):
        for k in range(index.shape[1]):
            if index[p, k] < 0:
                continue
            place = 0
            while kept[p, place] >= 0 and kept[p, place] != index[p, k]:
                place += 1
            kept[p, place] = index[p, k]
            merged[p, place] += share[p, k]


def merged_shares(index: NDArray[np.int64], share: F32) -> tuple[NDArray[np.int64], F32]:
    """Numbers (..., k) and their shares with each number once, in the order in which they come first; -1 is none."""
    merged, kept = np.zeros_like(share), np.full_like(index, -1)
    most = index.shape[-1]
    _merge(
        *(np.ascontiguousarray(a).reshape(-1, most) for a in (index, share)),
        *(a.reshape(-1, most) for a in (kept, merged)),
    )
    return kept, merged


def _matte(seen: NDArray[np.int64], share: F32, names: list[str]) -> Mattes:
    """Shares of the same name added up, the largest first."""
    known = sorted(set(names))
    table = np.array([known.index(name) for name in names], np.int64)
    index = np.where(share > 0, table[np.minimum(seen, len(names) - 1)] if names else 0, -1)
    kept, merged = merged_shares(index, share)
    order = np.argsort(-merged, -1, kind="stable")
    return Mattes(tuple(known), np.take_along_axis(kept, order, -1), np.take_along_axis(merged, order, -1))
