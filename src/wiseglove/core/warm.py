"""Compiles the numeric kernels once, so that the first frame of a session does not wait for it."""

from __future__ import annotations

import numpy as np

from wiseglove.core.compositing.colour import encoded, to_display
from wiseglove.core.compositing.cover_edges import own_share
from wiseglove.core.compositing.face import Face
from wiseglove.core.compositing.over import over_with_holdout
from wiseglove.core.compositing.pane import PREVIEW, lay
from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.geometry.fitting import fit_sparsely
from wiseglove.core.keying.clean import Steps, clean
from wiseglove.core.keying.enlarge import enlarged
from wiseglove.core.keying.key import Keyer, finished, key, subject
from wiseglove.core.matte.combine import outline_matte
from wiseglove.core.matte.coverage import Box, coverage, fill
from wiseglove.core.motion.plane import PlaneSolver
from wiseglove.core.outline.carry import OutlineFollower
from wiseglove.core.outline.silhouette import Silhouette
from wiseglove.core.outline.snap import snap
from wiseglove.core.outline.trace import Tree, edge_costs
from wiseglove.core.outline.uncovered import Uncovered
from wiseglove.core.review.fit import OutlineFit


def warm_up() -> None:
    """Run every compiled kernel on something small; quick when they are in the cache on disk."""
    outline = ellipse(4.0, 4.0, 3.0, 3.0)
    coverage(outline, Box(0, 0, 8, 8))
    fill(np.zeros((8, 8), np.uint8), outline)
    fit_sparsely(flatten(outline, 0.1), 1.0)
    outline[:, 6:] = 2.0
    outline_matte(np.stack([outline, outline]), Box(0, 0, 8, 8))
    picture = np.zeros((48, 48, 3), np.uint8)
    Tree(edge_costs(picture), (2.0, 2.0)).path((6.0, 6.0))
    grain = np.random.default_rng(1).uniform(0, 255, (72, 72)).astype(np.float32)
    patch = np.zeros((72, 72), np.float32)
    patch[8:64, 8:64] = 1.0
    for _ in PlaneSolver(lambda frame: grain, 1, patch).run(range(2, 4)):
        pass
    coloured = np.full((96, 96, 3), (0.1, 0.4, 0.1), np.float32)
    coloured[18:78, 18:78] = (0.4, 0.25, 0.17)
    keyer = Keyer((0.1, 0.4, 0.1))
    keyed = key(coloured, keyer)
    subject(coloured, keyed.alpha, keyed.backing, keyer)
    spotted = np.ones((48, 48), np.float32)
    spotted[20:22, 20:22] = 0.0
    finished(clean(spotted, Steps(holes=4.0, specks=4.0)), spotted, spotted)
    enlarged(spotted, np.zeros((96, 96, 3), np.float32))
    disc, smooth = ellipse(24.0, 24.0, 9.0, 9.0), ["smooth"] * 4
    snap(picture, disc, [], smooth, 3.0)
    grainy = np.random.default_rng(1).integers(0, 255, (72, 72, 3), np.uint8)
    OutlineFollower(grainy, disc, smooth).on(grainy)
    OutlineFit(np.stack([disc, disc + 30.0]), 0, [0], lambda frame: grainy).on(1)
    edges = Silhouette(np.pad(np.ones((20, 20), np.float32), 14))
    edges.recut(edges.onto(disc, smooth, ((4.0, 2),), 0.4), smooth)
    known, box = Uncovered({0: (grainy, disc)}, grainy), (2, 2, 62, 62)
    known.learn(grainy, disc, box)
    known.learn_still(known.standing((grainy, grainy), np.array([9.0, 0.0]), box), box)
    known.solid(grainy, np.zeros((60, 60), np.float32), box)
    known.without(grainy, disc, box)
    _composite()


def _composite() -> None:
    """A picture laid on a corner of another, and what covers it told apart from what lies behind."""
    whole, light = Box(0, 0, 48, 48), np.full((48, 48, 3), 0.4, np.float32)
    corners = np.array([[4.0, 4.0], [40.0, 6.0], [38.0, 40.0], [6.0, 38.0]])
    laid = lay(light, corners, whole, 1.0, PREVIEW, Face())
    matte = np.linspace(0, 1, 48, dtype=np.float32) * np.ones((48, 1), np.float32)
    over_with_holdout(light[laid.box.slices], laid.colour, laid.alpha, matte[laid.box.slices])
    to_display(own_share(light, matte), True)
    encoded(light)


if __name__ == "__main__":
    warm_up()
