"""Subjects in a shot: what they hide, what they look like, and what belongs to them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.builders import after
from tests.core.keying.scene import off, stage
from wiseglove.core.compositing.colour import encode
from wiseglove.core.keying.spread import spread
from wiseglove.core.matte.coverage import Box
from wiseglove.shot.basics import Plate
from wiseglove.shot.changes import changed_frames
from wiseglove.shot.edits import (
    AddCarrier,
    AddCover,
    AddHandCarrier,
    AddPane,
    AddSubject,
    DeleteElement,
    OrderDepth,
    OutlineDraft,
    Ride,
    SetByHand,
    SetPane,
    SetSubject,
    ShapePoints,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.looking import left_out, subjects_before
from wiseglove.shot.model import Carrier, Insert, new_shot
from wiseglove.shot.nearness import nearness
from wiseglove.shot.render import FrameScene
from wiseglove.shot.sampling import doubt_of, take_sample
from wiseglove.shot.scene import Manner
from wiseglove.shot.subject import CleanUp, KeySettings, Sample, SpillSettings, Step, Subject

FRAME = 1002
OTHER, SMALL, GREY, BARE, SMALL_BARE = "b" * 24, "c" * 24, "d" * 24, "e" * 24, "f" * 24
WIDTH, HEIGHT = 480, 360
RED = (0.8, 0.05, 0.05)
PLATE = Plate(media="a" * 24, width=WIDTH, height=HEIGHT, first=1001, count=6, rate_num=25, rate_den=1)


def eight_bits(linear: np.ndarray) -> np.ndarray:
    return np.round(np.asarray(encode(np.clip(linear, 0, 1))) * 255).astype(np.uint8)


class Staged:
    """The stage as the plate and as a clip of its own; its exact matte, small, as another; a red insert."""

    def __init__(self) -> None:
        self.linear, self.truth, self.where = stage("green", seed=4)
        self.pixels = eight_bits(self.linear)
        small = cv2.resize(self.truth, (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
        bare = eight_bits(spread(self.linear, self.where["clear"]))
        self.clips = {
            "a" * 24: self.pixels,
            OTHER: self.pixels,
            SMALL: np.round(np.repeat(small[..., None], 3, 2) * 255).astype(np.uint8),
            BARE: bare,
            SMALL_BARE: np.asarray(cv2.resize(bare, (WIDTH // 3, HEIGHT // 3 + 5), interpolation=cv2.INTER_AREA)),
            GREY: np.full((HEIGHT, WIDTH, 3), 128, np.uint8),
        }
        self.exact = True
        self.asked: list[tuple[str, int]] = []

    def plate(self, plate: object, frame: int, width: int, height: int) -> np.ndarray:
        return np.asarray(cv2.resize(self.pixels, (width, height), interpolation=cv2.INTER_AREA))

    def insert(self, insert: Insert, frame: int, linear: bool) -> np.ndarray:
        return np.broadcast_to(np.array(RED, np.float32), (16, 16, 3)).copy()

    def pixel_aspect(self, media: str) -> float:
        return 1.0

    def clip(self, media: str, number: int, width: int | None) -> np.ndarray:
        self.asked.append((media, number))
        found = self.clips[media]
        if width is None or width >= found.shape[1]:
            return found
        size = (width, round(found.shape[0] * width / found.shape[1]))
        return np.asarray(cv2.resize(found, size, interpolation=cv2.INTER_AREA))

    def wide(self, media: str) -> int:
        return int(self.clips[media].shape[1])


@pytest.fixture(scope="module")
def pictures() -> Staged:
    return Staged()


def drawn(corners: list[tuple[float, float]]) -> OutlineDraft:
    points = as_points(np.pad(np.array(corners, np.float64), ((0, 0), (0, 6))))
    return OutlineDraft(kinds=["corner"] * len(points), points=points)


def box(left: float, top: float, right: float, bottom: float) -> OutlineDraft:
    return drawn([(left, top), (right, top), (right, bottom), (left, bottom)])


WHOLE = ((0.0, 0.0), (float(WIDTH), 0.0), (float(WIDTH), float(HEIGHT)), (0.0, float(HEIGHT)))


def keyed(pictures: Staged, pane: str | None = None) -> EvaluatedShot:
    """A shot with a red pane behind a subject of the plate."""
    shot = EvaluatedShot.of(new_shot("s1", "Stage", PLATE))
    corners = WHOLE if pane is None else ((140.0, 60.0), (420.0, 60.0), (420.0, 300.0), (140.0, 300.0))
    shot = after(shot, AddPane(type="add-pane", id="back", frame=1001, corners=corners, name="Behind"))
    sample = take_sample(pictures, "a" * 24, 0, 1001, (20, 20, 40, 40))
    return after(shot, AddSubject(type="add-subject", id="who", frame=1001, sample=sample, pane=pane, name="Gardener"))


def scene(shot: EvaluatedShot, pictures: Staged, scale: float = 1.0, **how: object) -> FrameScene:
    return FrameScene(shot, FRAME, pictures, scale, 2, Manner(**how))  # type: ignore[arg-type]


def change(shot: EvaluatedShot, **what: object) -> EvaluatedShot:
    return after(shot, SetSubject(type="set-subject", subject="who", **what))  # type: ignore[arg-type]


def test_the_subject_stays_in_front_of_the_pane_and_its_backing_does_not(pictures: Staged) -> None:
    seen = scene(keyed(pictures), pictures)
    composite = seen.composite(seen.whole).astype(int)
    red = eight_bits(np.array(RED, np.float32)).astype(int)
    solid, clear = pictures.where["solid"] > 0.5, pictures.where["clear"] > 0.5
    assert (np.abs(composite[clear] - red).max(axis=1) > 2).mean() < 1e-3
    assert np.abs(composite[solid] - pictures.pixels[solid].astype(int)).mean() < 2
    # No halo: on red, the soft edge is nowhere greener than both what is before and what is behind.
    soft = pictures.where["edge"] + pictures.where["blur"] > 0.5
    assert (composite[soft][:, 1] - composite[soft].max(axis=1)).max() <= 0


def test_a_subject_behind_the_pane_is_not_seen(pictures: Staged) -> None:
    shot = keyed(pictures)
    behind = after(shot, OrderDepth(type="order-depth", depth=shot.settings.depth[::-1]))
    seen = scene(behind, pictures)
    assert np.abs(seen.composite(seen.whole).astype(int) - eight_bits(np.array(RED, np.float32)).astype(int)).max() <= 2


def test_core_and_garbage_are_covers_that_hide_nothing_by_themselves(pictures: Staged) -> None:
    shot = after(
        keyed(pictures),
        AddCover(type="add-cover", frame=1001, outline=box(10, 10, 130, 340), name="Stand"),
        AddCover(type="add-cover", frame=1001, outline=box(200, 120, 280, 330), name="Inside"),
    )
    named = {c.name: c.id for c in shot.covers}
    plain = scene(shot, pictures)
    assert plain.whole_matte(plain.whole)[100, 60] == 1.0  # a cover by itself
    served = change(shot, garbage=[named["Stand"]], core=[named["Inside"]])
    seen = scene(served, pictures)
    matte = seen.whole_matte(seen.whole)
    assert matte[100, 60] == 0.0
    assert (matte[130:320, 210:270] == 1.0).all()
    assert off(matte, pictures.truth, pictures.where["edge"]) < 0.07
    red = eight_bits(np.array(RED, np.float32)).astype(int)
    assert np.abs(seen.composite(seen.whole)[100, 60].astype(int) - red).max() <= 2
    alone = scene(served, pictures, only=frozenset([named["Stand"]]))
    assert alone.whole_matte(alone.whole)[100, 60] == 1.0  # it can be looked at alone


def test_what_is_dragged_is_seen_at_once_as_it_will_be_kept(pictures: Staged) -> None:
    shot = after(
        keyed(pictures),
        AddCover(type="add-cover", frame=1001, outline=box(10, 10, 60, 340), name="Stand", outline_id="stand"),
    )
    shot = change(shot, garbage=[shot.covers[0].id])
    moved = np.array([[90, 10], [300, 10], [300, 340], [90, 340]], np.float64)
    points = np.pad(moved, ((0, 0), (0, 6)))
    live = scene(shot, pictures)
    assert live.reach_of("stand", points) == Box(90, 10, 300, 340)
    dragged = live.look("matte", live.whole, {"stand": points})
    rows = dict(enumerate(as_points(points)))
    kept = after(shot, ShapePoints(type="shape-points", element="stand", frame=FRAME, points=rows, reach="all"))
    then = scene(kept, pictures)
    assert (dragged == then.look("matte", then.whole)).all()


def test_a_key_limited_to_a_pane_leaves_everything_outside_alone(pictures: Staged) -> None:
    shot = keyed(pictures, pane="back")
    who = shot.find("who", Subject)
    assert who is not None
    assert who.spill.reach > 0
    seen = scene(shot, pictures)
    composite, matte = seen.composite(seen.whole), seen.whole_matte(seen.whole)
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[56:304, 136:424] = True
    assert (composite[~inside] == pictures.pixels[~inside]).all()
    assert matte[~inside].max() == 0
    within = np.zeros((HEIGHT, WIDTH), np.float32)
    within[62:298, 142:418] = 1
    assert off(matte, pictures.truth, within) < 0.01
    gone = after(shot, DeleteElement(type="delete", element="back"))
    left = gone.find("who", Subject)
    assert left is not None
    assert left.pane is None


def test_a_pane_out_of_the_picture_leaves_nothing_of_what_it_limits(pictures: Staged) -> None:
    shot = keyed(pictures, pane="back")
    out = np.pad(np.array([[900, 60], [1200, 60], [1200, 300], [900, 300]], np.float64), ((0, 0), (0, 6)))
    rows = dict(enumerate(as_points(out)))
    gone = after(shot, ShapePoints(type="shape-points", element="back", frame=FRAME, points=rows, reach="all"))
    for how in ({}, {"style": "tint"}, {"style": "state"}, {"style": "spill"}):
        seen = scene(gone, pictures, **how)
        assert seen.look("matte", seen.whole) is not None
    seen = scene(gone, pictures)
    assert seen.whole_matte(seen.whole).max() == 0
    assert seen.matte_of("who").max() == 0
    assert seen.cut_of("who").max() == 0
    assert (seen.composite(seen.whole) == pictures.pixels).all()
    assert seen.values(5, 5)[1] == 0


def test_a_clean_plate_of_any_size_tells_the_backing(pictures: Staged) -> None:
    shot = keyed(pictures)
    sample = shot.subjects[0].key.samples[0]
    for media in (BARE, SMALL_BARE):
        with_it = change(shot, key=KeySettings(samples=[sample], clean=media))
        seen = scene(with_it, pictures)
        assert off(seen.whole_matte(seen.whole), pictures.truth, pictures.where["edge"]) < 0.07


def test_a_clip_of_its_own_is_placed_over_the_plate_in_space_and_time(pictures: Staged) -> None:
    shot = EvaluatedShot.of(new_shot("s1", "Stage", PLATE))
    sample = take_sample(pictures, OTHER, 0, 1001, (20, 20, 40, 40))
    shot = after(
        shot,
        AddSubject(type="add-subject", id="who", frame=1001, clip=OTHER, size=(WIDTH, HEIGHT), sample=sample),
    )
    still = scene(shot, pictures)
    matte = still.whole_matte(still.whole)
    assert off(matte, pictures.truth, pictures.where["edge"]) < 0.07
    half = [(0, 0), (WIDTH / 2, 0), (WIDTH / 2, HEIGHT / 2), (0, HEIGHT / 2)]
    rows = dict(enumerate(as_points(np.pad(np.array(half, np.float64), ((0, 0), (0, 6))))))
    shot = after(shot, ShapePoints(type="shape-points", element="who", frame=1001, points=rows))
    shot = change(shot, start=1000, opacity=0.5)
    pictures.asked.clear()
    small = scene(shot, pictures)
    matte = small.whole_matte(small.whole)
    assert matte[HEIGHT // 2 + 2 :].max() == 0
    assert matte[:, WIDTH // 2 + 2 :].max() == 0
    wanted = cv2.resize(pictures.truth, (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
    assert np.abs(matte[: HEIGHT // 2, : WIDTH // 2] - wanted).mean() < 0.01
    assert {n for m, n in pictures.asked if m == OTHER} == {FRAME - 1000}
    shot = after(shot, AddCover(type="add-cover", frame=1001, outline=box(90, 120, 200, 178), name="Rag"))
    shot = change(shot, garbage=[shot.covers[0].id])
    assert [n.what for n in nearness(shot, shot.subjects[0], FRAME, pictures)] == ["cuts"]


def test_a_clip_of_its_own_rides_on_a_carrier_and_stays_where_it_was(pictures: Staged) -> None:
    corners = ((100.0, 100.0), (200.0, 100.0), (200.0, 180.0), (100.0, 180.0))
    shot = after(
        EvaluatedShot.of(new_shot("s1", "Stage", PLATE)),
        AddSubject(type="add-subject", id="who", frame=1001, clip=OTHER, size=(WIDTH, HEIGHT)),
        AddHandCarrier(type="add-hand-carrier", id="hand", frame=1001, corners=corners),
        SetByHand(
            type="set-by-hand",
            carrier="hand",
            frame=1006,
            how="bridge",
            corners=tuple((x + 50.0, y + 20.0) for x, y in corners),  # type: ignore[arg-type]
        ),
    )
    before = shot.corners_at(shot.subjects[0], 1006)
    riding = after(shot, Ride(type="ride", elements=["who"], carrier="hand"))
    which = riding.subjects[0]
    assert which.rides == "hand"
    assert riding.corners_at(which, 1001) == pytest.approx(shot.corners_at(shot.subjects[0], 1001), abs=1e-6)
    assert riding.corners_at(which, 1006) == pytest.approx(before + (50.0, 20.0), abs=1e-6)
    let_go = after(riding, DeleteElement(type="delete", element="hand"))
    assert let_go.corners_at(let_go.subjects[0], 1001) == pytest.approx(before, abs=1e-6)


def test_a_matte_from_elsewhere_of_half_the_size_fits_the_plate(pictures: Staged) -> None:
    shot = change(keyed(pictures), key=KeySettings(source="luma", matte=SMALL, low=0.0, high=1.0))
    seen = scene(shot, pictures)
    matte = seen.whole_matte(seen.whole)
    assert off(matte, pictures.truth, pictures.where["edge"]) < 0.03
    turned = change(shot, key=KeySettings(source="luma", matte=SMALL, low=0.0, high=1.0, inverted=True))
    other = scene(turned, pictures)
    assert np.abs(other.whole_matte(other.whole) - (1 - matte)).max() < 1e-5


def test_clean_up_and_looks_work_at_any_scale(pictures: Staged) -> None:
    steps = CleanUp(holes=Step(on=True, amount=12), specks=Step(on=True, amount=6), grow=Step(on=True, amount=-1.5))
    shot = change(keyed(pictures), clean_up=steps)
    full, half = scene(shot, pictures), scene(shot, pictures, scale=0.5)
    large = cv2.resize(half.whole_matte(half.whole), (WIDTH, HEIGHT), interpolation=cv2.INTER_LINEAR)
    plain = scene(keyed(pictures), pictures)
    assert full.whole_matte(full.whole).sum() < plain.whole_matte(plain.whole).sum() - 500
    assert np.abs(large - full.whole_matte(full.whole)).mean() < 0.01
    tones = scene(shot, pictures, style="state")
    state = tones.look("matte", tones.whole)
    assert len(np.unique(state.reshape(-1, 3), axis=0)) == 3
    assert (state[pictures.where["clear"] > 0.5] == state[0, 0]).all()
    spill = scene(shot, pictures, style="spill")
    green = spill.look("matte", spill.whole).astype(int)
    assert green[..., 1].sum() > 3 * green[..., 0].sum()
    for ground in ("checks", "#1e6fd0", "blurred", "picture"):
        cut = scene(shot, pictures, ground=ground)
        shown = cut.look("cutout", cut.whole)
        solid = pictures.where["solid"] > 0.5
        assert np.abs(shown[solid].astype(int) - pictures.pixels[solid].astype(int)).mean() < 2
    blue = scene(shot, pictures, ground="#1e6fd0")
    assert blue.look("cutout", blue.whole)[5, 5].tolist() == [0x1E, 0x6F, 0xD0]


def test_spill_can_be_left_in_or_replaced_by_a_colour_or_by_what_lies_behind(pictures: Staged) -> None:
    shot = keyed(pictures)
    soft = pictures.where["edge"] > 0.5

    def edge(**how: object) -> np.ndarray:
        seen = scene(change(shot, spill=SpillSettings(**how)), pictures)  # type: ignore[arg-type]
        return seen.composite(seen.whole)[soft].astype(float).mean(axis=0)

    left, taken = edge(on=False), edge()
    assert left[1] > taken[1] + 5
    reddish = edge(replace="background", light=1.0)
    bluish = edge(replace="colour", light=1.0, colour="#2030f0")
    assert reddish[0] > bluish[0] + 0.02
    assert bluish[2] > reddish[2] + 0.02


def test_garbage_that_comes_close_or_cuts_is_told_with_its_distance(pictures: Staged) -> None:
    shot = after(
        keyed(pictures),
        AddCover(type="add-cover", frame=1001, outline=box(8, 60, 60, 200), name="Far"),
        AddCover(type="add-cover", frame=1001, outline=box(110, 240, 163, 340), name="Close"),
        AddCover(type="add-cover", frame=1001, outline=box(300, 290, 420, 350), name="Cutting"),
    )
    named = {c.name: c.id for c in shot.covers}
    shot = change(shot, garbage=list(named.values()), near=14.0)
    which = shot.find("who", Subject)
    assert which is not None
    told = {n.name: n for n in nearness(shot, which, FRAME, pictures)}
    assert set(told) == {"Close", "Cutting"}
    assert told["Cutting"].what == "cuts"
    assert told["Close"].what == "near"
    assert told["Close"].distance == pytest.approx(170 - 163, abs=2.5)
    tight = change(shot, near=3.0).find("who", Subject)
    assert tight is not None
    assert {n.name for n in nearness(shot, tight, FRAME, pictures)} == {"Cutting"}


def test_samples_say_what_is_wrong(pictures: Staged) -> None:
    with pytest.raises(EditError, match=r"nearly grey.*Nothing was changed"):
        take_sample(pictures, GREY, 0, 1001, (10, 10, 50, 50))
    with pytest.raises(EditError, match="outside the picture"):
        take_sample(pictures, "a" * 24, 0, 1001, (2000, 10, 50, 50))
    good = take_sample(pictures, "a" * 24, 0, 1001, (20, 20, 40, 40))
    assert doubt_of(pictures, "a" * 24, PLATE, None, KeySettings(samples=[good]), False) is None
    skin = take_sample(pictures, "a" * 24, 0, 1001, (225, 130, 30, 30))
    told = doubt_of(pictures, "a" * 24, PLATE, None, KeySettings(samples=[skin]), False)
    assert told is not None
    assert "sample lay on the subject" in told


def test_edits_of_subjects_are_checked_and_named(pictures: Staged) -> None:
    shot = after(keyed(pictures), AddCover(type="add-cover", frame=1001, outline=box(8, 8, 60, 60), name="Rag"))
    rag = shot.covers[0].id
    with pytest.raises(EditError, match="low end must lie below"):
        change(shot, key=KeySettings(low=0.6, high=0.5))
    with pytest.raises(EditError, match="core and garbage at once"):
        change(shot, core=[rag], garbage=[rag])
    with pytest.raises(EditError, match="pane is not in the shot"):
        change(shot, pane="nothere")
    locked = change(shot, locked=True)
    with pytest.raises(EditError, match="is locked"):
        change(locked, near=4.0)
    served = change(shot, garbage=[rag])
    gone = after(served, DeleteElement(type="delete", element=rag)).find("who", Subject)
    assert gone is not None
    assert gone.garbage == []
    edit = SetSubject(type="set-subject", subject="who", garbage=[rag])
    assert edit.apply(shot).label == "Changed garbage mattes of Gardener"
    assert changed_frames(shot, change(shot, name="Presenter", near=3.0)) is None
    assert changed_frames(shot, change(shot, opacity=0.4)) == (1001, 1006)
    sample = Sample(frame=1001, box=(0, 0, 5, 5), colour=(0.1, 0.4, 0.1))
    two = change(shot, key=KeySettings(samples=[sample, sample])).find("who", Subject)
    assert two is not None
    assert two.key.keyer is not None
    assert two.key.keyer.sample == pytest.approx((0.1, 0.4, 0.1))


def test_panes_that_are_changed_keep_working_beside_subjects(pictures: Staged) -> None:
    shot = after(keyed(pictures), SetPane(type="set-pane", pane="back", opacity=0.0))
    seen = scene(shot, pictures)
    clear = pictures.where["clear"] > 0.5
    assert np.abs(seen.composite(seen.whole)[clear].astype(int) - pictures.pixels[clear].astype(int)).mean() < 3


def test_a_carrier_leaves_out_a_keyed_subject_before_its_patch_but_not_one_that_the_patch_lies_on(
    pictures: Staged,
) -> None:
    solid = pictures.where["solid"] > 0.5
    y, x = (int(v) for v in np.argwhere(cv2.erode(solid.astype(np.uint8), np.ones((41, 41))) > 0).mean(axis=0))
    shot = after(
        keyed(pictures),
        AddCarrier(type="add-carrier", id="around", frame=1001, patch=box(2, 2, WIDTH - 2, HEIGHT - 2).points),
    )
    shot = after(
        shot, AddCarrier(type="add-carrier", id="on", frame=1001, patch=box(x - 15, y - 15, x + 15, y + 15).points)
    )
    around, on = (shot.elements[name] for name in ("around", "on"))
    assert isinstance(around, Carrier)
    assert isinstance(on, Carrier)
    hidden = left_out(shot, around, FRAME, pictures)
    assert hidden is not None
    assert hidden[solid].mean() > 0.99
    far = cv2.dilate((pictures.truth > 0).astype(np.uint8), np.ones((25, 25))) == 0
    assert hidden[far].mean() < 0.01
    assert subjects_before(shot, on, pictures) == []
    assert left_out(shot, on, FRAME, pictures) is None
    assert (
        subjects_before(after(shot, SetSubject(type="set-subject", subject="who", shown=False)), around, pictures) == []
    )
