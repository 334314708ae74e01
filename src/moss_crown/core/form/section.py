"""The cross-section of a letter through a straight stem: what a profile really does at its size."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.outline import Ring, area
from moss_crown.core.form.profile import Edge, profile, undercut
from moss_crown.core.form.solid import MOST_EDGES, Form


def stem_width(rings: list[Ring]) -> float:
    """The width of a stroke that has the outline's area and length: twice the area by the perimeter."""
    length = sum(float(np.hypot(*(np.roll(ring, -1, 0) - ring).T).sum()) for ring in rings)
    return 2 * sum(area(ring) for ring in rings) / length if length else 0.0


def section(form: Form, stem: float) -> NDArray[np.float64]:
    """(n, 2) across and forward, metres: the closed outline of a cut through a stem, from left to right over the front.

    An edge wider than half the stem ends in a ridge in its middle, as the solid does.
    """
    if form.tube is not None:
        edge = form.tube.edge
        form = Form(form.tube.depth / MOST_EDGES, edge, edge, grow=form.grow)
        stem = 2 * edge.width or stem
    front = _side(form.front_used, stem, form.depth)
    rear = _side(form.rear_used, stem, form.depth)
    outline = np.vstack([front, rear[::-1] * (1, -1)])
    return np.asarray(outline + (0.0, form.middle))


def _side(edge: Edge, stem: float, depth: float) -> NDArray[np.float64]:
    line = profile(edge)
    base = depth / 2 - (edge.height if edge.cuts else 0.0)
    within = _up_to(line, stem / 2)
    left = within + (0.0, base)
    right = (left * (-1, 1) + (stem, 0.0))[::-1]
    return np.vstack([left, right])


def _up_to(line: NDArray[np.float64], most: float) -> NDArray[np.float64]:
    """A profile where it is no further inward than `most`; beyond, it keeps to the middle of the stem."""
    if not (line[:, 0] > most).any():
        return line
    points = [line[0]]
    for before, after in pairwise(line):
        if (before[0] > most) != (after[0] > most):
            share = (most - before[0]) / (after[0] - before[0])
            points.append(before + share * (after - before))
        points.append(after)
    found = np.array(points)
    if not undercut(line):
        return found[found[:, 0] <= most]
    found[:, 0] = np.minimum(found[:, 0], most)
    return found
