"""Values at frames: constants and keys as arrays over all frames at once."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.document.values import Keyed, members
from moss_crown.core.motion.curves import ease, slope_at_ends

Frames = NDArray[np.float64]


def sample(value: Any, frames: Frames) -> NDArray[np.float64]:
    """A numeric value (number, vector or colour) at frames: (f) or (f, k) float64."""
    if not isinstance(value, Keyed):
        return np.broadcast_to(np.asarray(value, np.float64), (len(frames), *np.shape(value)))
    at = np.array([key.frame for key in value.keys])
    values = np.array([key.value for key in value.keys], np.float64)
    if len(at) == 1:
        return np.broadcast_to(values[0], (len(frames), *values.shape[1:]))
    inside = _folded(value, frames, at[0], at[-1])
    segment = np.clip(np.searchsorted(at, inside, side="right") - 1, 0, len(at) - 2)
    share = np.clip((inside - at[segment]) / (at[segment + 1] - at[segment]), 0, 1)
    done = np.empty(len(frames))
    for k, key in enumerate(value.keys[:-1]):
        here = segment == k
        if here.any():
            done[here] = (share[here] >= 1).astype(float) if key.hold else ease(key.ease, share[here])
    weight = done.reshape(-1, *([1] * (values.ndim - 1)))
    result = values[segment] * (1 - weight) + values[segment + 1] * weight
    return result + _carried(value, at, values, frames)


def sample_choice(value: Any, frame: float) -> Any:
    """A switch, choice or text at a frame: it changes on its key, never between."""
    if not isinstance(value, Keyed):
        return value
    at = np.array([key.frame for key in value.keys])
    inside = _folded(value, np.array([frame]), at[0], at[-1])
    return value.keys[max(0, int(np.searchsorted(at, inside[0], side="right")) - 1)].value


def sample_one(value: Any, frame: float) -> Any:
    """A numeric value at one frame: a float, or a (k) array."""
    if isinstance(value, Keyed):
        found = sample(value, np.array([float(frame)]))[0]
        return float(found) if np.ndim(found) == 0 else found
    return float(value) if isinstance(value, int | float) else np.asarray(value, np.float64)


def has_keys(node: Any) -> bool:
    """Does anything in a value, a step or a list of steps have keys? What has none is the same at every frame."""
    return isinstance(node, Keyed) or any(has_keys(member) for _, member in members(node))


def _folded(value: Keyed[Any], frames: Frames, first: float, last: float) -> Frames:
    """Frames outside the keys brought inside by `before` and `after`."""
    span = last - first
    inside = np.clip(frames, first, last)
    if span <= 0:
        return inside
    cycles = np.floor((frames - first) / span)
    for rule, outside in ((value.before, frames < first), (value.after, frames > last)):
        if rule == "repeat":
            inside = np.where(outside, frames - cycles * span, inside)
        elif rule == "there_and_back":
            phase = np.mod(frames - first, 2 * span)
            inside = np.where(outside, first + np.minimum(phase, 2 * span - phase), inside)
    return inside


def _carried(value: Keyed[Any], at: Frames, values: NDArray[np.float64], frames: Frames) -> NDArray[np.float64]:
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
