"""Values at frames: keys, formulas and links as arrays, curves and noise."""
