"""From the passes of a frame to the picture that is seen."""
