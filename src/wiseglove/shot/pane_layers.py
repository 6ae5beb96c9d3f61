"""The panes of a shot on one frame: their inserts, laid where their corners are."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from wiseglove.core.compositing import pane
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.core.matte.combine import outline_matte
from wiseglove.core.matte.coverage import Box, Matte, box_of
from wiseglove.shot.model import Pane
from wiseglove.shot.scene import Ground, Override, face_of


class PaneLayers:
    """Inserts as layers."""

    def __init__(self, ground: Ground) -> None:
        self._ground = ground
        self._laid: dict[str, pane.Laid | None] = {}

    def laid(self, which: Pane, override: Override) -> pane.Laid | None:
        """A pane's insert where it lies; None where its corners fold over, which shows nothing."""
        if which.id in override:
            return self._lay(which, override[which.id][:, :2])
        if which.id not in self._laid:
            self._laid[which.id] = self._lay(which, self._ground.shot.corners_at(which, self._ground.frame))
        return self._laid[which.id]

    def _lay(self, which: Pane, corners: Points) -> pane.Laid | None:
        ground = self._ground
        insert = ground.pictures.insert(which.insert, ground.frame, ground.linear)
        with suppress(DegenerateQuadError):
            return pane.lay(insert, corners, ground.whole, ground.scale, ground.samples, face_of(which))
        return None

    def reach_of(self, which: Pane, points: Points) -> Box:
        """The pixels that a pane with these corners, as points, can touch."""
        with suppress(DegenerateQuadError):
            return box_of(pane.face_outline(points[:, :2], face_of(which)), self._ground.scale)
        return box_of(points, self._ground.scale)

    def matte_of(self, which: Pane) -> Matte:
        """Where a pane is, whether shown or not, over the whole result."""
        whole = self._ground.whole
        with suppress(DegenerateQuadError):
            border = pane.face_outline(self._ground.shot.corners_at(which, self._ground.frame), face_of(which))
            return outline_matte(border[None], whole, self._ground.scale)
        return np.zeros((whole.height, whole.width), np.float32)
