"""Beats of the music that a shot is cut to, as frames."""

from __future__ import annotations

import math

from moss_crown.core.document.shot import Shot


def beats_of(shot: Shot) -> list[tuple[float, bool]]:
    """The frames of all beats within the shot, in order, and whether each is the first of its bar."""
    beats = shot.beats
    if beats.tempo == 0:
        return []
    apart = 60 * float(shot.fps.fraction) / beats.tempo
    begin = math.ceil((shot.first - beats.first) / apart - 1e-9)
    end = math.floor((shot.last - beats.first) / apart + 1e-9)
    return [(round(beats.first + k * apart, 4), k % beats.bar == 0) for k in range(begin, end + 1)]
