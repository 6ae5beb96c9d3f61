"""What the demo's panels show: it answers the finger on the frame that touches it, and sits in the finished shot."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.builders import ffmpeg
from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.demo import inserts, install, sat_shots, scene
from wiseglove.settings import Settings
from wiseglove.shot.render import FrameScene
from wiseglove.store import shots
from wiseglove.store.database import Database
from wiseglove.store.pictures import DisplayPictures

SHORT, FRAME = 32, 1027


@pytest.mark.parametrize(
    ("began", "right", "down"), [(inserts.MIST_FROM, -0.052, -0.012), (inserts.LAMPS_FROM, 0.078, -0.05)]
)
def test_a_tile_lights_up_on_the_frame_on_which_the_finger_comes_to_lie_on_it(
    began: int, right: float, down: float
) -> None:
    # The tip's middle is 4 mm off the glass where the rubber of its thimble touches.
    assert scene.tip_at(began)[2] < 0.0045
    assert scene.tip_at(began - 2)[2] > 0.005
    x, y = (round(v) for v in inserts._at(right, down))
    tile = np.s_[y - 50 : y + 50, x - 90 : x + 90]
    before, then = (inserts.dashboard(f)[tile].mean() for f in (began - 1, began))
    assert then > 1.7 * before


def test_the_slider_lies_under_the_finger_while_it_is_drawn_along() -> None:
    for index in inserts.SLIDES:
        picture = inserts.dashboard(index).astype(int)
        x, y = inserts._at(scene.tip_at(index)[0], 0.05)
        knob = np.argwhere((picture[round(y) - 3 : round(y) + 4, 190:800] == inserts.PALE).all(axis=2))
        assert abs(knob[:, 1].mean() + 190 - x) < 3


def test_the_card_has_corners_that_show_what_is_behind() -> None:
    card = inserts.leaf_counter()
    assert card.shape == (300, 640, 4)
    assert card[0, 0, 3] == 0
    assert card[150, 320, 3] > 200


def test_the_finished_tap_shows_the_dashboard_behind_the_hand_and_the_card_beside_it(
    database: Database, settings: Settings, footage: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # The first second is enough, and three times as quick as the whole.
    folder = tmp_path / "footage"
    folder.mkdir()
    (folder / "truth").symlink_to(footage / "truth")
    ffmpeg(
        "-i", footage / install.MOVIE, "-frames:v", f"{SHORT}", "-c:v", "libx264", "-crf", "8", folder / install.MOVIE
    )
    monkeypatch.setattr(scene, "FRAMES", SHORT)
    for keyed in ("KEYED", "PANE_KEYED"):
        monkeypatch.setattr(install, keyed, [i for i in getattr(install, keyed) if i < SHORT])
    said: list[str] = []
    (shot_id,) = sat_shots.install_tap(database, settings, folder, said.append)
    assert sat_shots.install_tap(database, settings, folder, said.append) == []
    with database.transaction() as session:
        shot = shots.load(session, shot_id)
    panel, card = (next(p for p in shot.panes if p.id == i) for i in (sat_shots.PANE, sat_shots.COUNTER))
    assert panel.sit.clean is not None
    assert panel.sit.sharp.on
    assert panel.sit.grain.levels
    frame = FrameScene(shot, FRAME, DisplayPictures(settings.media))
    seen, plate = frame.composite(frame.whole).astype(int), frame.look("plate", frame.whole).astype(int)
    hand = to_eight_bits(frame.covers.matte(frame.whole))
    assert np.median(np.abs(seen - plate)[hand == 255]) == 0  # but near its edges, where the screen's light falls on it
    assert np.abs(seen - plate)[hand == 255].max() < 40
    middle = shot.corners_at(panel, FRAME).mean(axis=0)
    around = np.s_[round(middle[1]) - 60 : round(middle[1]) + 60, round(middle[0]) - 60 : round(middle[0]) + 60]
    assert np.abs(seen - plate)[around][hand[around] == 0].mean() > 15
    x, y = shot.corners_at(card, FRAME).mean(axis=0)
    left = shot.corners_at(panel, FRAME)[:, 0].min()
    assert x < left  # it floats beside the screen, over the housing
    assert np.abs(seen - plate)[round(y) - 5 : round(y) + 5, round(x) - 5 : round(x) + 5].mean() > 8
