from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.builders import HAND, PANE, SQUARE, PlainPictures, after, draft, shot_with_hand_and_pane
from tests.strategies import blob, seeds
from wiseglove.core.compositing.colour import of_hex
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.shot.changes import changed_frames
from wiseglove.shot.edits import (
    AddCover,
    AddOutline,
    AddPane,
    Edit,
    OrderDepth,
    SetCover,
    SetPane,
    SetShot,
    ShapePoints,
)
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.pane import Insert, Piece
from wiseglove.shot.render import FrameScene, Look
from wiseglove.shot.scene import Manner

FRAME = 1005
LOOKS: list[Look] = ["plate", "matte", "cutout", "composite"]


def scene_of(shot: EvaluatedShot, insert: tuple[float, ...] = (1.0, 0.0, 0.0), scale: float = 1.0) -> FrameScene:
    return FrameScene(shot, FRAME, PlainPictures(insert), scale)


def look(shot: EvaluatedShot, which: Look = "composite", **more: object) -> np.ndarray:
    scene = scene_of(shot, **more)  # type: ignore[arg-type]
    return scene.look(which, scene.whole).astype(int)


def test_the_insert_lies_on_the_pane_and_the_cover_stays_in_front_of_it() -> None:
    shot = shot_with_hand_and_pane()
    seen, plate = look(shot), look(shot, "plate")
    matte = look(shot, "matte")
    assert (seen[matte == 255] == plate[matte == 255]).all()
    assert seen[20, 30].tolist() == [255, 0, 0]  # on the pane, off the cover
    assert (seen[5, 5] == plate[5, 5]).all()  # off the pane


def test_a_cover_behind_the_pane_holds_nothing_out() -> None:
    shot = shot_with_hand_and_pane()
    behind = after(shot, OrderDepth(type="order-depth", depth=shot.settings.depth[::-1]))
    assert look(behind)[50, 60].tolist() == [255, 0, 0]


def test_half_covered_pixels_mix_in_the_light_that_the_shot_says() -> None:
    shot = after(shot_with_hand_and_pane(), SetPane(type="set-pane", pane=PANE, opacity=0.5))
    plate = look(shot, "plate")[20, 30] / 255
    encoded = look(after(shot, SetShot(type="set-shot", mixing="encoded")))[20, 30]
    assert np.abs(encoded - (plate + (1, 0, 0)) / 2 * 255).max() <= 1

    def linear(v: np.ndarray) -> np.ndarray:  # IEC 61966-2-1
        return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)

    def display(v: np.ndarray) -> np.ndarray:
        return np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055)

    expected = display((linear(plate) + linear(np.array([1.0, 0, 0]))) / 2) * 255
    assert np.abs(look(shot)[20, 30] - expected).max() <= 1


def test_hidden_and_absent_covers_hold_nothing_out() -> None:
    shot = shot_with_hand_and_pane()
    cover = shot.covers[0].id
    for edit in (
        SetCover(type="set-cover", cover=cover, shown=False),
        SetCover(type="set-cover", cover=cover, first=FRAME + 1),
        SetCover(type="set-cover", cover=cover, last=FRAME - 1),
    ):
        assert look(after(shot, edit), "matte").max() == 0


def test_adding_is_a_union_and_not_a_sum() -> None:
    shot = shot_with_hand_and_pane()
    twice = after(shot, AddCover(type="add-cover", frame=1001, outline=draft()))
    one, two = look(shot, "matte") / 255, look(twice, "matte") / 255
    assert np.abs(two - (1 - (1 - one) ** 2)).max() < 2.5 / 255


def test_alone_a_pane_leaves_the_other_panes_and_all_covers_out_and_a_cover_leaves_the_panes() -> None:
    shot = shot_with_hand_and_pane()
    cover, aside = shot.covers[0].id, ((108.0, 20.0), (126.0, 20.0), (126.0, 80.0), (108.0, 80.0))
    shot = after(shot, AddPane(type="add-pane", frame=1001, corners=aside, name="Aside", id="aside"))

    def alone(*things: str) -> np.ndarray:
        scene = FrameScene(shot, FRAME, PlainPictures((1.0, 0.0, 0.0)), manner=Manner(only=frozenset(things)))
        return scene.look("composite", scene.whole).astype(int)

    plate, red = look(shot, "plate"), [255, 0, 0]
    x, y, far = 30, 20, 117
    assert alone(PANE)[y, x].tolist() == red
    assert alone(PANE)[50, 60].tolist() == red  # where the cover held it out
    assert (alone(PANE)[40, far] == plate[40, far]).all()
    assert alone("aside")[40, far].tolist() == red
    assert (alone("aside")[y, x] == plate[y, x]).all()
    assert alone(cover)[y, x].tolist() == red
    assert (alone(cover)[50, 60] == plate[50, 60]).all()


def test_an_outline_cuts_and_limits() -> None:
    shot = shot_with_hand_and_pane()
    cover = shot.covers[0].id
    whole = look(shot, "matte")
    inner = draft(1, size=12.0)
    cut = after(shot, AddOutline(type="add-outline", cover=cover, frame=1001, outline=inner, mode="cuts"))
    limited = after(shot, AddOutline(type="add-outline", cover=cover, frame=1001, outline=inner, mode="limits"))
    hole, core = look(cut, "matte"), look(limited, "matte")
    assert hole[50, 60] == 0
    assert core[50, 60] == 255
    assert np.abs(hole + core - whole).max() <= 2


def test_the_nearer_of_two_panes_covers_the_farther() -> None:
    shot = shot_with_hand_and_pane()
    shot = after(shot, AddPane(type="add-pane", frame=1001, corners=SQUARE, name="Behind"))

    class Two(PlainPictures):
        def insert(self, insert: object, frame: int, linear: bool) -> np.ndarray:
            first = getattr(insert, "media", None) == "f" * 24
            return np.broadcast_to(np.array((0, 1, 0) if first else (1, 0, 0), np.float32), (8, 8, 3)).copy()

    front = shot.panes[0].model_copy(
        update={"insert": shot.panes[0].insert.model_copy(update={"source": "media", "media": "f" * 24})}
    )
    scene = FrameScene(shot.with_elements({PANE: front}), FRAME, Two(), 1.0)
    assert scene.composite(scene.whole)[20, 30].tolist() == [0, 255, 0]


def test_a_transparent_insert_shows_the_plate_through_it() -> None:
    shot = shot_with_hand_and_pane()
    assert (look(shot, insert=(0.0, 0.0, 0.0, 0.0)) == look(shot, "plate")).all()


@settings(max_examples=25)
@given(seeds, st.sampled_from(LOOKS), st.integers(0, 90), st.integers(0, 60), st.integers(1, 38), st.integers(1, 36))
def test_a_box_of_a_look_equals_that_part_of_the_whole(
    seed: int, which: Look, left: int, top: int, width: int, height: int
) -> None:
    dragged = {HAND: blob(seed), PANE: np.pad(np.array(SQUARE) + 3.3, ((0, 0), (0, 4)))}
    scene = scene_of(shot_with_hand_and_pane())
    box = Box(left, top, left + width, top + height)
    whole = scene.look(which, scene.whole, dragged)
    part = scene.look(which, box, dragged)
    assert np.abs(part.astype(int) - whole[box.slices]).max() <= 1


@given(seeds)
def test_what_is_dragged_looks_as_it_will_once_it_is_stored(seed: int) -> None:
    shot = shot_with_hand_and_pane()
    points = blob(seed)
    edit = ShapePoints(type="shape-points", element=HAND, frame=FRAME, points=dict(enumerate(as_points(points))))
    scene = scene_of(shot)
    assert (scene.look("composite", scene.whole, {HAND: points}) == look(after(shot, edit))).all()


def test_looks_at_half_size_are_the_mean_of_the_whole() -> None:
    shot = shot_with_hand_and_pane()
    full = scene_of(shot)
    half = scene_of(shot, scale=0.5)
    mean = full.covers.matte(full.whole).reshape(48, 2, 64, 2).mean(axis=(1, 3))
    assert np.abs(half.covers.matte(half.whole) - mean).max() < 2e-3


def test_a_matte_is_made_of_hidden_covers_and_of_panes() -> None:
    shot = shot_with_hand_and_pane()
    cover = shot.covers[0]
    hidden = after(shot, SetCover(type="set-cover", cover=cover.id, shown=False))
    scene = scene_of(hidden)
    assert scene.matte_of(cover.id).max() == 1
    corners = np.pad(np.array(SQUARE), ((0, 0), (0, 4)))
    expected = coverage(corners, scene.whole)
    assert np.abs(scene.matte_of(PANE) - expected).max() < 1 / 255
    assert scene.matte_of("nothere").max() == 0


def moved(frame: int, seed: int) -> ShapePoints:
    return ShapePoints(type="shape-points", element=HAND, frame=frame, points=dict(enumerate(as_points(blob(seed)))))


@pytest.mark.parametrize(
    "edit",
    [
        moved(1008, 7),
        moved(1001, 7),
        moved(1020, 7),
        SetPane(type="set-pane", pane=PANE, opacity=0.3),
        SetShot(type="set-shot", mixing="encoded"),
        SetShot(type="set-shot", name="Tap two"),
        AddCover(type="add-cover", frame=1004, outline=draft(8)),
    ],
)
def test_every_frame_whose_picture_differs_is_among_the_changed_ones(edit: Edit) -> None:
    before = after(shot_with_hand_and_pane(), moved(1004, 2), moved(1008, 3), moved(1014, 4))
    changed = after(before, edit)
    span = changed_frames(before, changed)
    for frame in range(1001, 1021):
        old, new = FrameScene(before, frame, PlainPictures()), FrameScene(changed, frame, PlainPictures())
        differs = (old.composite(old.whole) != new.composite(new.whole)).any()
        assert not differs or (span is not None and span[0] <= frame <= span[1])


class Coloured(PlainPictures):
    """What is of one colour is shown in it."""

    def insert(self, insert: Insert, frame: int, linear: bool) -> np.ndarray:
        if insert.source != "solid":
            return super().insert(insert, frame, linear)
        return np.broadcast_to(of_hex(insert.colours[0]), (32, 48, 3)).astype(np.float32)


def piece(name: str, first: int | None, last: int | None, colour: str = "#00ff00") -> Piece:
    return Piece(id=name, name=name, source="solid", colours=(colour, colour), first=first, last=last)


BASE = shot_with_hand_and_pane()


def cover_there(shot: EvaluatedShot, first: int | None, last: int | None, shown: bool = True) -> EvaluatedShot:
    cover = shot.covers[0].id
    return after(shot, SetCover(type="set-cover", cover=cover, first=first, last=last, shown=shown))


def with_pieces(*pieces: Piece) -> EvaluatedShot:
    return after(BASE, SetPane(type="set-pane", pane=PANE, pieces=list(pieces)))


LEAF, BLUE = piece("leaf", 1003, 1006), piece("blue", 1005, None, "#0000ff")


@pytest.mark.parametrize(
    ("before", "now", "most"),
    [
        (cover_there(BASE, 1005, 1009), cover_there(BASE, 1007, 1012), 8),
        (
            cover_there(BASE, 1005, 1009),
            cover_there(BASE, 1005, 1009, False),
            5,
        ),
        (cover_there(BASE, None, 1004), cover_there(BASE, None, None), 20),
        (with_pieces(), with_pieces(LEAF), 4),
        (with_pieces(LEAF, BLUE), with_pieces(BLUE), 4),
        (with_pieces(LEAF, BLUE), with_pieces(LEAF.model_copy(update={"first": 1002}), BLUE), 5),
        (with_pieces(LEAF, BLUE), with_pieces(BLUE, LEAF), 20),
    ],
)
def test_what_is_there_for_a_time_changes_no_other_frames(before: EvaluatedShot, now: EvaluatedShot, most: int) -> None:
    def seen(shot: EvaluatedShot, frame: int) -> np.ndarray:
        scene = FrameScene(shot, frame, Coloured())
        return scene.composite(scene.whole)

    differing = [f for f in range(1001, 1021) if (seen(before, f) != seen(now, f)).any()]
    span = changed_frames(before, now)
    assert span is not None
    assert differing
    assert span[0] <= differing[0]
    assert differing[-1] <= span[1]
    assert span[1] - span[0] < most


def test_names_and_locks_change_no_picture_and_an_edit_between_keys_only_its_stretch() -> None:
    shot = after(shot_with_hand_and_pane(), *(moved(f, f) for f in range(1002, 1020, 2)))
    cover = shot.covers[0].id
    for edit in (
        SetCover(type="set-cover", cover=cover, name="Glove"),
        SetCover(type="set-cover", cover=cover, locked=True),
        SetShot(type="set-shot", name="Other"),
    ):
        assert changed_frames(shot, after(shot, edit)) is None
    span = changed_frames(shot, after(shot, moved(1010, 99)))
    assert span is not None
    assert span[0] > 1004  # smooth in time reaches the stretches up to the third key on either side
    assert span[1] < 1016
