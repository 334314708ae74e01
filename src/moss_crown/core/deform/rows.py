"""How a deformer travels: a row of numbers for each letter.

Where every point of a letter feels zones by itself, rows come before that of the deformer: for each zone one that says
how far off it a point is, as a share of the zone's run, and one with a curve that makes a strength of that and joins it
to the strengths before; then one with the curve that shapes them all, if there is one. Right before the row of what is
laid along a path come TRACKS with the stretch of it that the letter lies on.
"""

KINDS = {"bend": 1, "curl": 2, "twist": 3, "wave": 4, "globe": 5, "ripple": 6, "blast": 7, "path": 8}
"""The kinds of deformers, by their numbers in tables; 0 is none."""
INTO, BACK, KIND, AMOUNT = 0, 12, 21, 22
ROW = 28
"""Numbers of a row: the rows of a 3x4 matrix from the letter's space to the place along the deformer's axes, those of
the 3x3 matrix by which displacements come back, the kind, its amount, and five numbers of the kind's own."""

ZONE, CURVE = 9, 10
"""The kinds of rows by which points feel zones: they move nothing, and their amount is 0."""
FELT = "felt"
"""The name of both together, among the kinds that a shader knows."""
SIZE, RUN, SHAPE, MOVED = BACK, BACK + 3, BACK + 4, BACK + 5
"""Of a zone, which INTO leads into: its three sizes, its run, the number of its shape, and whether it measures a point
as rows before have moved it (1) or at rest (0)."""
SHAPES = {"slab": 1, "ball": 2, "box": 3, "ring": 4}
KNOTS = 19
"""Of a curve, evenly from 0 to 1, with one more before and behind: they are the first numbers of its row."""
MIX, OF_ALL, CLAMP = AMOUNT + 1, AMOUNT + 2, AMOUNT + 3
"""Of a curve: how what it makes joins what was before, one of MIXES; whether it reads that (1) or the share of the zone
before it (0); whether what comes out is kept within 0 and 1."""
MIXES = {"set": 0, "maximum": 1, "add": 2, "multiply": 3}

TRACK = 11
"""The kind of rows that say how a path runs under a letter; they move nothing, and their amount is 0."""
TRACKS, PLACES = 2, 7
"""So many rows, of so many places each, evenly along the path: x, y and the angle of its tangent there. Between two of
them it is an arc; before the first and after the last it is straight."""
BEGUN, APART, ARCS = AMOUNT + 1, AMOUNT + 2, TRACKS * PLACES - 1
"""Of the row of what is laid along it: where along the line its first place is, and how far apart they are."""
