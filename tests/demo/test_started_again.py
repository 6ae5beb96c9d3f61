"""A demo shot that was being put in when the demo was stopped is put in anew at the next start; a whole one is left alone."""

from __future__ import annotations

from tests.builders import SQUARE, small_plate
from wiseglove.demo import solved_shots
from wiseglove.demo.install import apply_edits
from wiseglove.media.info import MediaInfo
from wiseglove.shot.edits import AddPane, SetPane
from wiseglove.shot.pane import SitIn
from wiseglove.store import clips, shots
from wiseglove.store.database import Database


def test_a_shot_whose_picture_does_not_sit_in_yet_is_not_whole(database: Database) -> None:
    plate, names = small_plate(), [demo.name for demo in solved_shots.DEMOS]
    with database.transaction() as session:
        info = MediaInfo(kind="movie", name="tap", files=["tap.mp4"], width=128, height=96, count=20)
        clips.add(session, plate.media, info)
        made = [shots.create(session, name, plate).id for name in (*names[:2], "An artist's own")]
    for shot in made[:2]:
        pane = AddPane(type="add-pane", id=solved_shots.SCREEN, frame=1001, corners=SQUARE, name="Panel screen")
        apply_edits(database, shot, [pane])
    done = SetPane(type="set-pane", pane=solved_shots.SCREEN, sit=SitIn(clean=plate.media))
    apply_edits(database, made[0], [done])
    assert solved_shots.whole_ones(database) == {names[0], "An artist's own"}
    assert solved_shots.whole_ones(database) == {names[0], "An artist's own"}
