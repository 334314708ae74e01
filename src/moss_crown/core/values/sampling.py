"""Values at frames: constants, keys, formulas and links as arrays over all frames, and over letters, at once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.binding import Bound, Source, Spec
from moss_crown.core.document.formula import parsed
from moss_crown.core.document.values import Formula, Key, Keyed, Link, Value, moving
from moss_crown.core.values.curves import ease, monotone_slopes, pressed, slope_at_ends
from moss_crown.core.values.formula import Answer, Part, evaluate
from moss_crown.core.values.noise import seed_of

Frames: TypeAlias = NDArray[np.float64]
Floats: TypeAlias = NDArray[np.float64]
T = TypeVar("T")
Numbers = TypeVar("Numbers", bound=float | tuple[float, ...])
"""A number, or the parts of a vector or a colour."""
Triple: TypeAlias = tuple[float, float, float]
Parts = TypeVar("Parts", bound=tuple[float, ...])


@dataclass(frozen=True)
class Letters:
    """What a formula may know of letters, (l) each: place in reading order, share along the line, place at rest."""

    i: Floats
    u: Floats
    x: Floats
    y: Floats
    z: Floats


ONE = Letters(*(np.zeros(1) for _ in range(5)))
"""Stands in where a value is not one of letters."""


def sample(value: Value[Numbers], frames: Frames) -> Floats:
    """A numeric value (number, vector or colour) at frames: (f) or (f, k) float64."""
    if isinstance(value, Formula | Link):
        return np.ascontiguousarray(_Question(frames, ONE).tied(value)[:, 0])
    if not isinstance(value, Keyed):
        return np.broadcast_to(np.asarray(value, np.float64), (len(frames), *np.shape(value)))
    return _keyed(value, frames)


def sample_each(value: Value[Numbers], frames: Frames, letters: Letters) -> Floats:
    """A numeric value for each letter: (f, l) or (f, l, k), where l is 1 when it is the same for all."""
    if isinstance(value, Formula | Link):
        return _Question(frames, letters).tied(value)
    if isinstance(value, Keyed) and value.spread and len(letters.i) > 1:
        order = letters.i if value.spread > 0 else letters.i.max() - letters.i
        own = frames[:, None] - abs(value.spread) * order
        found = sample(value, own.ravel())
        return found.reshape(*own.shape, *found.shape[1:])
    return sample(value, frames)[:, None]


def sample_choice(value: Value[T], frame: float) -> T:
    """A switch, choice or text at a frame: one with keys changes on its key, never between."""
    if isinstance(value, Formula | Link):
        return _Question(np.array([float(frame)]), ONE).choice(value)
    if not isinstance(value, Keyed):
        return value
    at = np.array([key.frame for key in value.keys])
    inside = _folded(value, exposures(value.exposed, np.array([frame])), at[0], at[-1])[0]
    return value.keys[max(0, int(np.searchsorted(at, inside[0], side="right")) - 1)].value


def sample_choice_each(value: Value[T], frame: float, letters: Letters) -> list[T]:
    """A switch, choice or text at a frame for each letter: a formula may ask for letters, nothing else tells them
    apart."""
    if isinstance(value, Formula):
        return cast(list[T], _Question(np.array([float(frame)]), letters).choices(value))
    return [sample_choice(value, frame)] * len(letters.i)


def sample_one(value: Value[float], frame: float) -> float:
    """A number at one frame."""
    return float(value) if isinstance(value, int | float) else float(sample(value, np.array([float(frame)]))[0])


def sample_parts(value: Value[Parts], frame: float) -> Floats:
    """A vector or a colour at one frame: (k)."""
    found: Floats = sample(value, np.array([float(frame)]))[0]
    return found


def sample_triple(value: Value[Triple], frame: float) -> Triple:
    """A place, a direction or a colour at one frame."""
    one, two, three = sample_parts(value, frame).tolist()
    return one, two, three


def changes(node: object) -> bool:
    """May anything in a value, a step or a list of steps change in time? What has neither keys nor formulas nor links
    is the same at every frame."""
    return bool(moving(node))


def needed(node: object, frames: Frames) -> Frames:
    """The frames at which something has to be worked out: one where it is the same at all."""
    return frames if changes(node) else frames[:1]


def each(value: Value[Numbers], frames: Frames, letters: Letters) -> Floats:
    """A numeric value for each letter, (f or 1, l or 1, ...): at one frame only where it is the same at all."""
    return sample_each(value, needed(value, frames), letters)


def exposures(exposed: int, frames: Frames) -> Frames:
    """Frames as they are seen on twos and threes: each picture stands for `exposed` of them, counted from frame 0."""
    return frames if exposed == 1 else np.floor(frames / exposed) * exposed


def _keyed(value: Keyed[Numbers], frames: Frames) -> Floats:
    at = np.array([key.frame for key in value.keys])
    values = np.array([key.value for key in value.keys], np.float64)
    if len(at) == 1:
        return np.broadcast_to(values[0], (len(frames), *values.shape[1:]))
    seen = exposures(value.exposed, frames)
    inside, rounds = _folded(value, seen, at[0], at[-1])
    segment = np.clip(np.searchsorted(at, inside, side="right") - 1, 0, len(at) - 2)
    share = np.clip((inside - at[segment]) / (at[segment + 1] - at[segment]), 0, 1)
    result = np.empty((len(frames), *values.shape[1:]))
    slopes = monotone_slopes(at, values) if any(key.smooth for key in value.keys) else None
    for k, key in enumerate(value.keys[:-1]):
        here = segment == k
        if not here.any():
            continue
        following = value.keys[k + 1]
        time = pressed(key.press, share[here])
        a, b = values[k], values[k + 1]
        if slopes is not None and not key.hold and (key.smooth or following.smooth):
            span = at[k + 1] - at[k]
            result[here] = _hermite(key, following, a, b, slopes[k] * span, slopes[k + 1] * span, time)
        else:
            done = (share[here] >= 1).astype(float) if key.hold else ease(key.ease, time)
            weight = done.reshape(-1, *([1] * (values.ndim - 1)))
            result[here] = a * (1 - weight) + b * weight
    rounds = rounds.reshape(-1, *([1] * (values.ndim - 1)))
    whole: Floats = result + rounds * (values[-1] - values[0]) + _carried(value, at, values, seen)
    return whole


def _hermite(
    key: Key[T], following: Key[T], a: Floats, b: Floats, leaving: Floats, arriving: Floats, u: Frames
) -> Floats:
    """A cubic from a to b; at an end that is not smooth with the slope of the ease there."""
    start, end = slope_at_ends(key.ease)
    m0 = leaving if key.smooth else start * (b - a)
    m1 = arriving if following.smooth else end * (b - a)
    u = u.reshape(-1, *([1] * np.ndim(a)))
    h10, h01, h11 = u * (1 - u) ** 2, u * u * (3 - 2 * u), u * u * (u - 1)
    return np.asarray(a + h01 * (b - a) + h10 * m0 + h11 * m1)


def _folded(value: Keyed[T], frames: Frames, first: float, last: float) -> tuple[Frames, Frames]:
    """Frames outside the keys brought inside by `before` and `after`, and the rounds gone by where each goes onward."""
    span = last - first
    inside = np.clip(frames, first, last)
    rounds = np.zeros(len(frames))
    if span <= 0:
        return inside, rounds
    cycles = np.floor((frames - first) / span)
    for rule, outside in ((value.before, frames < first), (value.after, frames > last)):
        if rule in ("repeat", "repeat_onward"):
            inside = np.where(outside, frames - cycles * span, inside)
            if rule == "repeat_onward":
                rounds = np.where(outside, cycles, rounds)
        elif rule == "there_and_back":
            phase = np.mod(frames - first, 2 * span)
            inside = np.where(outside, first + np.minimum(phase, 2 * span - phase), inside)
    return inside, rounds


def _carried(value: Keyed[T], at: Frames, values: Floats, frames: Frames) -> Floats:
    """What `carry_on` adds outside the keys: the speed at the nearest end goes on."""
    extra = np.zeros((len(frames), *values.shape[1:]))
    shape = (-1, *([1] * (values.ndim - 1)))
    if value.before == "carry_on":
        speed = slope_at_ends(value.keys[0].ease)[0] * (values[1] - values[0]) / (at[1] - at[0])
        extra += np.minimum(frames - at[0], 0).reshape(shape) * speed
    if value.after == "carry_on":
        speed = slope_at_ends(value.keys[-2].ease)[1] * (values[-1] - values[-2]) / (at[-1] - at[-2])
        extra += np.maximum(frames - at[-1], 0).reshape(shape) * speed
    return extra


def raw_formula(value: Formula, frames: Frames, letters: Letters) -> Answer:
    """What a formula answers before it is kept within bounds; it may not be a number."""
    return _Question(frames, letters).raw(value)


class _Question:
    """Values that ask for values, at some frames and for some letters: each is worked out once, however many ask."""

    def __init__(self, frames: Frames, letters: Letters) -> None:
        self.frames, self.letters = frames, letters
        # By identity: the shot holds every value meanwhile.
        self._known: dict[int, Floats] = {}
        self._chosen_before: dict[int, object] = {}
        self._frames: list[_Question] | None = None

    def tied(self, value: Formula | Link) -> Floats:
        """(f, l) or (f, l, k): worked out, kept within the field's bounds; where it is no number, the default."""
        if id(value) not in self._known:
            self._known[id(value)] = self._tied(value)
        return self._known[id(value)]

    def _tied(self, value: Formula | Link) -> Floats:
        bound: Bound = value.bound
        spec = bound.spec
        if isinstance(value, Link):
            source = bound.sources[value.link]
            found = self._numbers(source)
            if source.part >= 0:
                found = found[..., source.part]
            found = found * value.factor + value.offset
            if spec.size and found.ndim == 2:
                found = np.broadcast_to(found[..., None], (*found.shape, spec.size))
        else:
            found = stacked(self.raw(value), spec, len(self.frames), len(self.letters.i))
        return kept(found, spec)

    def raw(self, value: Formula) -> Answer:
        bound: Bound = value.bound
        frames, letters = self.frames, self.letters
        names: dict[str, Part] = {"pi": np.array(np.pi), "tau": np.array(2 * np.pi)}
        names["n"] = np.array(float(len(letters.i)))
        names["f"] = frames[:, None]
        names["t"] = (frames[:, None] - bound.first) / bound.fps
        for name in "iuxyz":
            names[name] = getattr(letters, name)[None, :]
        seed = seed_of(bound.seed, bound.path)
        return evaluate(parsed(value.formula).tree, names, lambda path: self._asked(bound.sources[path]), seed)

    def _asked(self, source: Source) -> Part:
        """A source for a formula, (f, l); of a vector the part that is named, or its first."""
        if source.spec.kind in ("choice", "text"):
            return np.array([[str(value)] for value in self._chosen(source)])
        found = self._numbers(source)
        return found if found.ndim == 2 else found[..., max(source.part, 0)]

    def _numbers(self, source: Source) -> Floats:
        if source.spec.kind == "switch":
            return np.array([[float(bool(value))] for value in self._chosen(source)])
        if isinstance(source.value, Formula | Link):
            return self.tied(source.value)
        return sample_each(source.value, self.frames, self.letters)

    def _chosen(self, source: Source) -> list[object]:
        """A switch, choice or text at each frame, or one that it is at all."""
        if not isinstance(source.value, Keyed | Formula | Link):
            return [source.value]
        return [one.choice(source.value) for one in self._by_frame()]

    def _by_frame(self) -> list[_Question]:
        """A question for each frame: what changes by jumps is asked for one at a time, and not of letters."""
        if self.letters is ONE and len(self.frames) == 1:
            return [self]
        if self._frames is None:
            self._frames = [_Question(np.array([frame]), ONE) for frame in self.frames]
        return self._frames

    def choice(self, value: Value[T]) -> T:
        """A switch, choice or text at the one frame of the question."""
        if not isinstance(value, Formula | Link):
            return sample_choice(value, float(self.frames[0]))
        if id(value) not in self._chosen_before:
            self._chosen_before[id(value)] = self._choice(value)
        return cast(T, self._chosen_before[id(value)])  # what a tied value takes is what its field is

    def _choice(self, value: Formula | Link) -> bool | str:
        bound: Bound = value.bound
        spec = bound.spec
        if isinstance(value, Link):
            source = bound.sources[value.link]
            if source.spec.kind in ("choice", "text"):
                found = self.choice(source.value)
            else:
                found = self._asked(source)[0, 0]
        else:
            return self.choices(value)[0]
        return _as_chosen(found, spec)

    def choices(self, value: Formula) -> list[bool | str]:
        """A switch, choice or text at the one frame of the question, for each letter."""
        bound: Bound = value.bound
        raw = self.raw(value)
        found = np.broadcast_to(np.asarray(raw[0] if isinstance(raw, tuple) else raw), (1, len(self.letters.i)))
        return [_as_chosen(one, bound.spec) for one in found[0].tolist()]


def _as_chosen(found: object, spec: Spec) -> bool | str:
    """What a formula or a link answers, as a field takes it that is a switch, a choice or a text."""
    if spec.kind == "switch":
        return bool(np.nan_to_num(found)) if isinstance(found, float) else bool(found)
    text = f"{found:g}" if isinstance(found, float) else str(found)
    if spec.options and text not in spec.options and not text.startswith("picture-"):
        return spec.default if isinstance(spec.default, str) else spec.options[0]
    return text


def stacked(raw: Answer, spec: Spec, frames: int, letters: int) -> Floats:
    """The answer of a formula as (f, l) or (f, l, k); one number stands for all parts of a vector."""
    parts = raw if isinstance(raw, tuple) else (raw,)
    numbers = [np.broadcast_to(_plain(part), (frames, letters)) for part in parts]
    if not spec.size:
        return np.array(numbers[0])
    return np.stack([numbers[k % len(numbers)] for k in range(spec.size)], -1)


def _plain(part: Part) -> Floats:
    array = np.asarray(part)
    return np.full((1, 1), np.nan) if array.dtype.kind in "US" else np.atleast_2d(array.astype(np.float64))


def kept(found: Floats, spec: Spec) -> Floats:
    """Within the bounds; what is no number becomes the field's default, or 0."""
    instead = 0.0 if spec.default is None else np.asarray(spec.default, np.float64)
    sound = np.where(np.isfinite(found), found, instead)
    bounded: Floats = np.clip(np.round(sound) if spec.whole else sound, spec.low, spec.high)
    return bounded
