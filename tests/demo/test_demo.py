"""The demo's footage against its truth, and outlines laid on the truth against the truth's alpha."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from skimage.transform import ProjectiveTransform

from tests.builders import PlainPictures, after
from wiseglove.core.geometry.homography import apply, unit_square_to_quad
from wiseglove.demo import footage as rendering
from wiseglove.demo import install, scene
from wiseglove.media import movie
from wiseglove.media.probe import probe
from wiseglove.settings import Settings
from wiseglove.shot.basics import Plate
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import new_shot
from wiseglove.shot.render import FrameScene
from wiseglove.store import shots
from wiseglove.store.database import Database

ONE = Path("panel_tap.mp4")


@pytest.fixture(scope="module")
def drawn(footage: Path) -> EvaluatedShot:
    plate = Plate(
        media="0" * 24, width=scene.WIDTH, height=scene.HEIGHT, first=1001, count=scene.FRAMES,
        rate_num=scene.RATE, rate_den=1,
    )  # fmt: skip
    return after(EvaluatedShot.of(new_shot("demo", "Panel tap", plate)), *install.demo_edits(footage))


def test_outlines_on_the_truth_at_a_handful_of_frames_give_a_close_matte_on_all(
    drawn: EvaluatedShot, footage: Path
) -> None:
    wrong, hand, between = 0.0, 0.0, []
    for index in range(scene.FRAMES):
        frame = FrameScene(drawn, 1001 + index, PlainPictures())
        matte = frame.covers.matte(frame.whole)
        truth = install.read_truth(footage, index).hand / 255
        error = float(np.abs(matte - truth).sum())
        wrong, hand = wrong + error, hand + float(truth.sum())
        if index not in install.KEYED:
            between.append(error / max(float(truth.sum()), 1.0))
    share = wrong / hand
    print(f"mean matte error on all frames: {100 * share:.2f} % of the hand's area")
    assert len(install.KEYED) < scene.FRAMES / 3
    assert share < 0.05
    assert np.mean(between) < 0.07


def test_the_pane_keyed_by_hand_stays_on_the_true_corners(drawn: EvaluatedShot, footage: Path) -> None:
    worst = 0.0
    for index in range(scene.FRAMES):
        true = install.read_truth(footage, index).corners
        worst = max(worst, float(np.abs(drawn.corners_at(drawn.panes[0], 1001 + index) - true).max()))
    print(f"farthest pane corner from the truth: {worst:.2f} px, keyed on {len(install.PANE_KEYED)} frames")
    assert worst < 1.0


def test_the_true_corners_are_a_projection_of_one_flat_rectangle() -> None:
    for index in (0, 37, 80):
        corners = scene.screen_corners(index)
        unit = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]])
        peer = ProjectiveTransform.from_estimate(unit, corners)
        probe_points = np.random.default_rng(1).uniform(0, 1, (20, 2))
        assert np.abs(apply(unit_square_to_quad(corners), probe_points) - peer(probe_points)).max() < 1e-6


def test_the_footage_is_a_shot_of_the_promised_form(footage: Path) -> None:
    understood = probe([footage / install.MOVIE])
    assert (understood.width, understood.height, understood.count) == (1280, 720, 100)
    assert (understood.rate_num, understood.rate_den) == (25, 1)
    parts = install.read_truth(footage, 40).parts
    assert parts["index"].max() == 255
    assert set(parts) == set(scene.PARTS)


def test_rendering_is_deterministic_and_the_movie_holds_it(footage: Path) -> None:
    frame = rendering.render(40)
    again = install.read_truth(footage, 40)
    for name, alpha in frame.parts.items():
        assert (alpha == again.parts[name]).all()
    assert np.allclose(frame.corners, again.corners)
    for number, picture in enumerate(movie.frames(footage / install.MOVIE)):
        if number == 40:
            assert np.abs(movie.to_rgb(picture).astype(int) - frame.plate).mean() < 3
            break


def test_where_the_hand_is_the_glove_hides_the_panel() -> None:
    # The truth's alpha is opaque inside and the plate does not show the screen's own colours through it.
    frame = rendering.render(50)
    inside = frame.hand == 255
    assert inside.mean() > 0.03
    soft = (frame.hand > 0) & (frame.hand < 255)
    assert soft.any()
    assert soft.sum() < inside.sum()


def test_the_demo_shot_is_put_in_once(database: Database, settings: Settings, footage: Path) -> None:
    said: list[str] = []
    shot_id = install.install(database, settings, footage, said.append)
    assert shot_id is not None
    assert install.install(database, settings, footage, said.append) is None
    with database.transaction() as session:
        shot = shots.load(session, shot_id)
        assert shots.history(session, shot_id).undo == "Moved whole Index finger, frame 1100"
    assert [c.name for c in shot.covers] == ["Index finger", "Hand"]
    assert [len(o.keys) for c in shot.covers for o in shot.outlines_of(c)] == [len(install.KEYED)] * 2
