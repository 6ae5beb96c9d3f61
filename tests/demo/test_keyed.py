"""The keyed demo shots: their truth is the one that was filmed, and their keys reach what they should."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.demo.presented import Presented, presented
from wiseglove.core.compositing.colour import decode, to_working
from wiseglove.core.keying.key import Keyer, finished, key, matte, prepare, sampled, subject
from wiseglove.core.matte.combine import outline_matte
from wiseglove.core.matte.coverage import Box
from wiseglove.demo import footage, presenter, scene


@pytest.fixture(scope="module", params=["green", "blue"])
def frames(request: pytest.FixtureRequest) -> list[Presented]:
    return [presented(index, request.param) for index in (8, 27)]


def test_the_plate_is_the_presenter_over_her_backing() -> None:
    taken = presenter.film(12)
    back = presenter.backing("green", 1.0)
    mixed = taken.colours + (1 - taken.alpha[..., None]) * cv2.GaussianBlur(back, (0, 0), 0.7)
    plate = decode(taken.plate / np.float32(255))
    free = np.ones(taken.alpha.shape, bool)
    free[:130, 280:600] = False  # boom
    free[150:, :170] = False  # lamp stand
    assert np.abs(plate - mixed)[free].mean() < 0.006
    assert np.abs(plate - mixed)[free].max() < 0.15
    assert (presenter.film(12).plate == taken.plate).all()
    assert 0.15 < taken.alpha.mean() < 0.4


def test_core_garbage_and_the_same_defaults_reach_the_truth_for_both_backings(frames: list[Presented]) -> None:
    """The bounds are the goals of the benchmark, mean over frames."""
    alphas = [finished(key(f.picture, f.keyer, core=f.core).alpha, f.core, f.garbage) for f in frames]

    def mean(part: str) -> float:
        return float(np.mean([f.off(a, part) for f, a in zip(frames, alphas, strict=True)]))

    assert mean("blur") < 0.06
    assert mean("hair") < 0.11
    assert mean("edge") < 0.065
    assert mean("blade") < 0.02
    assert mean("solid") < 0.003
    assert mean("clear") < 0.001


def test_the_mirroring_blade_is_lost_without_a_core(frames: list[Presented]) -> None:
    alone = key(frames[0].picture, frames[0].keyer).alpha
    assert frames[0].off(alone, "blade") > 0.3


def test_colours_of_the_cut_out_presenter_come_near_her_own(frames: list[Presented]) -> None:
    f = frames[0]
    keyed = key(f.picture, f.keyer, core=f.core)
    alpha = finished(keyed.alpha, f.core, f.garbage)
    own = subject(f.picture, alpha, keyed.backing, f.keyer)
    soft = f.where["edge"] | f.where["blur"]
    main = f.keyer.main
    others = [c for c in range(3) if c != main]

    def excess(colours: np.ndarray) -> float:
        return float(np.maximum(colours[..., main] - colours[..., others].max(axis=-1), 0)[soft].mean())

    assert excess(own) < 0.15 * excess(f.picture)


def test_coloured_glass_holds_the_hand_out_without_any_cover() -> None:
    taken = footage.render_coloured(30)
    box = Box(0, 0, scene.WIDTH, scene.HEIGHT)
    corners = np.pad(taken.corners, ((0, 0), (0, 6)))
    glass = outline_matte(corners[None], box) > 0.999
    picture = np.asarray(to_working(taken.plate, True), np.float32)
    keyer = Keyer(sampled([picture[300:360, 330:390]]))
    alpha = matte(prepare(picture, keyer), keyer)
    truth = taken.hand / np.float32(255)
    assert 0.1 < truth[glass].mean() < 0.5
    assert np.abs(alpha - truth)[glass].mean() < 0.01
