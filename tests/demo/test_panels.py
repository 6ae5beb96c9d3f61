"""The panel shots' truth: what is rendered lies where the truth says, and is found there by something else."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from tests.builders import after
from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.models import fitted
from wiseglove.demo import panel_shots, solved_shots
from wiseglove.demo.panels import take
from wiseglove.shot.basics import Plate
from wiseglove.shot.edits import KeepSolution
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import SolvedFrame, new_shot


@pytest.mark.parametrize("clip", [panel_shots.textured, panel_shots.door])
def test_features_of_two_frames_agree_with_the_true_motion(clip) -> None:  # type: ignore[no-untyped-def]
    shot = clip()
    frames = [take(shot, i) for i in (0, 7)]
    found = []
    sift = cv2.SIFT.create(800)
    for taken in frames:
        mask = np.zeros(taken.plate.shape[:2], np.uint8)
        cv2.fillConvexPoly(mask, taken.corners.round().astype(np.int32), 255)
        found.append(sift.detectAndCompute(cv2.cvtColor(taken.plate, cv2.COLOR_RGB2GRAY), mask))
    pairs = cv2.BFMatcher(cv2.NORM_L2, crossCheck=True).match(found[0][1], found[1][1])
    source = np.array([found[0][0][m.queryIdx].pt for m in pairs]) + 0.5
    target = np.array([found[1][0][m.trainIdx].pt for m in pairs]) + 0.5
    motion = fitted("perspective", frames[0].corners, frames[1].corners)
    assert motion is not None
    off = np.linalg.norm(apply(motion, source) - target, axis=1)
    assert np.median(off) < 0.4
    assert (off < 1).mean() > 0.6


def test_the_same_frame_is_rendered_twice_alike_and_larger_plates_hold_the_same() -> None:
    shot = panel_shots.hand_over()
    one, two = take(shot, 30), take(shot, 30)
    assert np.array_equal(one.plate, two.plate)
    assert 0.02 < (one.front > 128).mean() < 0.4
    large = take(panel_shots.hand_over(1.5), 30)
    assert large.plate.shape == (1080, 1920, 3)
    assert large.corners == pytest.approx(one.corners * 1.5)
    small = cv2.resize(large.plate, (1280, 720), interpolation=cv2.INTER_AREA)
    assert np.abs(small.astype(float) - one.plate).mean() < 4


def test_the_colleague_hides_the_panel_for_a_while_and_the_lamps_jump() -> None:
    shot = panel_shots.tray()
    hidden = []
    for index in (0, 36, 68):
        taken = take(shot, index)
        inside = np.zeros(taken.front.shape, np.uint8)
        cv2.fillConvexPoly(inside, taken.corners.round().astype(np.int32), 1)
        hidden.append(float((taken.front[inside > 0] > 250).mean()))
    assert hidden[0] == 0
    assert hidden[1] > 0.99
    assert hidden[2] == 0
    lit = panel_shots.lamps_switched()
    assert lit.light(20)[0] == pytest.approx(1.3 * lit.light(5)[0])


@pytest.mark.parametrize("demo", solved_shots.DEMOS, ids=lambda demo: demo.name)
def test_what_the_further_demo_shots_draw_fits_the_truth(demo: solved_shots.Demo) -> None:
    """With the true motion in place of the solved one: the pane on its corners, the leaf's cover on the leaf."""
    clip = demo.clip()
    plate = Plate(media="0" * 24, width=1280, height=720, first=1001, count=clip.frames, rate_num=25, rate_den=1)
    shot = after(EvaluatedShot.of(new_shot("demo", demo.name, plate)), *solved_shots.edits_before(demo))
    carrier = shot.carriers[0]
    first = clip.corners(0)
    places = []
    for index in range(clip.frames):
        motion = fitted("perspective", first, clip.corners(index))
        assert motion is not None
        corners: Any = tuple(map(tuple, apply(motion, np.array(carrier.base)).tolist()))
        places.append(SolvedFrame(frame=1001 + index, corners=corners, status="solved", confidence=1.0))
    keep = KeepSolution(type="keep-solution", carrier=carrier.id, places=places)
    shot = after(shot, keep, *solved_shots.edits_after(demo))
    assert shot.corners_at(shot.panes[0], 1001 + 20) == pytest.approx(clip.corners(20), abs=0.05)
    leaf = next(c for c in shot.covers if c.name == "Leaf")
    shape = shot.points_at(shot.outlines_of(leaf)[0], [1001 + 20])[0]
    assert shape[:, :2] == pytest.approx(panel_shots.leaf_outline(clip, 20)[:, :2], abs=0.1)
    assert len(shot.outlines_of(leaf)[0].keys) == 1
    assert bool(carrier.blind) == demo.blind
    assert any("Colleague" in c.name for c in shot.covers) == demo.colleague
