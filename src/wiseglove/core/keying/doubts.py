"""What looks wrong about a sample of the backing, in words that say what to do."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.keying.key import Keyer, surely_backing

Picture = NDArray[np.float32]
GONE = 0.25
"""Share of the backing's area on the first frame below which the last frame is worth a warning."""
RIM = 0.15
"""Share of the picture's border that has the backing's colour at least, where the sample is right."""


def doubt(
    sampled_on: Picture, keyer: Keyer, later: dict[int, Picture] | None = None, limited: bool = False
) -> str | None:
    """What is doubtful about a key, from the picture (h, w, 3; linear) it was sampled on and from `later` frames.

    limited: whether the backing is only a part of the picture, as a screen is.
    """
    start = surely_backing(sampled_on, keyer)
    rim = np.concatenate([start[0], start[-1], start[:, 0], start[:, -1]])
    if not start.any():
        return (
            "Nothing on the frame is surely backing, so the one colour is used everywhere. Sample nearer to the subject, or "
            "give a clean plate."
        )
    if rim.mean() < RIM and not limited:
        return (
            "Hardly any of the picture's border has the sampled colour, as if the sample lay on the subject. Look at the "
            "matte, and sample the backing if it is inside out."
        )
    for frame, picture in (later or {}).items():
        if float(surely_backing(picture, keyer).mean()) < GONE * float(start.mean()):
            return (
                f"On frame {frame} there is much less backing of the sampled colour: its light or hue changes in time. Add "
                "a sample from there, or key the parts by themselves."
            )
    return None
