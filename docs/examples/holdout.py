"""Write the plate with everything that stays in front of a pane dimmed, to see at a glance what is held out.

python docs/examples/holdout.py tap.shot.json Screen out/
"""

import sys
from pathlib import Path

import cv2
import numpy as np

import wiseglove

shot_file, pane, out = sys.argv[1], sys.argv[2], Path(sys.argv[3])
out.mkdir(parents=True, exist_ok=True)
with wiseglove.Shot.open(shot_file) as shot:
    for frame in shot.frames:
        held = shot.matte(frame, pane=pane, holdout=True)[..., None]
        seen = shot.composite(frame) * (1 - 0.7 * held)
        cv2.imwrite(str(out / f"held.{frame:04d}.png"), np.round(seen[..., ::-1] * 255).astype(np.uint8))
