"""How a deformer travels: a row of numbers for each letter."""

KINDS = {"bend": 1, "curl": 2, "twist": 3, "wave": 4, "globe": 5, "ripple": 6, "blast": 7}
"""The kinds of deformers, by their numbers in tables; 0 is none."""
INTO, BACK, KIND, AMOUNT = 0, 12, 21, 22
ROW = 28
"""Numbers of a row: the rows of a 3x4 matrix from the letter's space to the place along the deformer's axes, those of
the 3x3 matrix by which displacements come back, the kind, its amount, and five numbers of the kind's own."""
