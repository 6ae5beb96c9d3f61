"""What panes show in time and how it sits, rendered."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.builders import PANE, PlainPictures, after, shot_with_hand_and_pane
from tests.core.geometry.test_planes_in_space import turning
from wiseglove.shot.basics import PaneKey, Plate
from wiseglove.shot.edits import SetPane, SetValue
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.measuring import pixels_remark, true_proportions
from wiseglove.shot.model import Pane, new_shot
from wiseglove.shot.pane import SitIn, ValueKey
from wiseglove.shot.render import FrameScene
from wiseglove.shot.valued import keyable, pane_at, value_at

FRAME, INSIDE = 1005, (20, 30)


def composite(shot: EvaluatedShot, frame: int = FRAME) -> np.ndarray:
    scene = FrameScene(shot, frame, PlainPictures((0.8, 0.4, 0.2)))
    return scene.look("composite", scene.whole).astype(int)


def with_rows(**rows: dict[str, Any]) -> EvaluatedShot:
    sit = SitIn.model_validate({name: {"on": True, **row} for name, row in rows.items()}, strict=False)
    return after(shot_with_hand_and_pane(), SetPane(type="set-pane", pane=PANE, sit=sit))


PLAIN = composite(shot_with_hand_and_pane())


def test_rows_that_are_off_change_nothing() -> None:
    shot = after(shot_with_hand_and_pane(), SetPane(type="set-pane", pane=PANE, sit=SitIn()))
    assert (composite(shot) == PLAIN).all()


@pytest.mark.parametrize(
    ("row", "change"),
    [
        ("worn", {"vignette": 1.0}), ("level", {"white": [0.3, 0.3, 0.3]}), ("sharp", {"soft": 3.0}),
        ("depth", {"near": 4.0, "far": 6.0}), ("mix", {"mode": "multiply"}), ("glow", {"amount": 1.0, "width": 6.0}),
        ("light", {"amount": 2.0, "width": 8.0}),
    ],
)  # fmt: skip
def test_each_row_changes_the_picture_and_leaves_the_cover_before_it(row: str, change: dict[str, Any]) -> None:
    seen = composite(with_rows(**{row: change}))
    assert (seen != PLAIN).any()
    if row not in ("glow", "light"):  # these throw light on what is before the pane
        solid = FrameScene(shot_with_hand_and_pane(), FRAME, PlainPictures((0, 0, 0)))
        covered = solid.look("matte", solid.whole) == 255
        assert (seen[covered] == PLAIN[covered]).all()


def test_a_wipe_uncovers_from_one_side() -> None:
    shot = after(
        shot_with_hand_and_pane(),
        SetPane.model_validate({"type": "set-pane", "pane": PANE, "wipe": {"on": True, "shown": 0.0, "soft": 0.0}}),
    )
    plate = FrameScene(shot, FRAME, PlainPictures((0, 0, 0)))
    assert (composite(shot) == plate.look("plate", plate.whole)).all()
    half = SetPane.model_validate({"type": "set-pane", "pane": PANE, "wipe": {"on": True, "shown": 0.5, "soft": 0.0}})
    changed = (composite(after(shot, half)) != composite(shot)).any(axis=2)
    columns = np.nonzero(changed.any(axis=0))[0]
    whole = np.nonzero((composite(shot) != PLAIN).any(axis=(0, 2)))[0]
    assert columns.min() == whole.min()
    assert columns.max() < (whole.min() + whole.max()) / 2 + 3


def test_a_number_that_is_keyed_is_what_its_keys_say_and_goes_with_the_last_key() -> None:
    shot = shot_with_hand_and_pane()
    for frame, value in ((1003, 0.0), (1007, 1.0)):
        shot = after(
            shot, SetValue(type="set-value", pane=PANE, path="opacity", frame=frame, value=value, ease="linear")
        )
    found = shot.find(PANE, Pane)
    assert found is not None
    assert [pane_at(found, f).opacity for f in (1001, 1003, 1005, 1007, 1010)] == [0, 0, 0.5, 1, 1]
    for frame in (1003, 1007):
        shot = after(shot, SetValue(type="set-value", pane=PANE, path="opacity", frame=frame, value=None))
    found = shot.find(PANE, Pane)
    assert found is not None
    assert found.values == {}
    assert found.opacity == 1.0
    with pytest.raises(EditError, match="no key"):
        after(shot, SetValue(type="set-value", pane=PANE, path="opacity", frame=1003, value=None))


@given(
    st.lists(st.tuples(st.integers(0, 100), st.floats(-5, 5)), min_size=1, max_size=6, unique_by=lambda k: k[0]),
    st.floats(-10, 110),
)
def test_between_keys_a_number_stays_between_them(keys: list[tuple[int, float]], frame: float) -> None:
    rows = [ValueKey(frame=f, value=v) for f, v in sorted(keys)]
    values = [k.value for k in rows]
    assert min(values) - 1e-9 <= value_at(rows, frame) <= max(values) + 1e-9


def test_what_can_be_keyed_are_numbers_of_a_pane() -> None:
    assert {"opacity", "sit.grain.amount", "floats.distance", "wipe.shown"} <= keyable()
    assert not {"name", "aspect", "sit.clean", "sit.mix.mode"} & keyable()


class Finely(PlainPictures):
    """A plate that is as light all over as a clean pane of fine grain, ten times as dense, is on the whole."""

    def plate(self, plate: Any, frame: int, width: int, height: int) -> np.ndarray:
        return np.full((height, width, 3), 188, np.uint8)  # half of the light

    def insert(self, insert: Any, frame: int, linear: bool) -> np.ndarray:
        if insert.source != "media":
            return super().insert(insert, frame, linear)
        return np.random.default_rng(5).random((800, 1000, 1)).repeat(3, axis=2).astype(np.float32)


def test_a_clean_pane_that_is_denser_than_the_picture_throws_no_shadow_of_its_grain() -> None:
    def seen(shot: EvaluatedShot) -> np.ndarray:
        scene = FrameScene(shot, FRAME, Finely((0.8, 0.4, 0.2)))
        picture = scene.look("composite", scene.whole).astype(int)
        clear = scene.look("matte", scene.whole) == 0
        return picture[25:70, 30:95][clear[25:70, 30:95]]

    plain, under = seen(shot_with_hand_and_pane()), seen(with_clean("shadow"))
    assert np.abs(plain - under).max() <= 12  # 38 where the clean pane is looked up as it is


def with_clean(*rows: str) -> EvaluatedShot:
    sit = SitIn.model_validate({"clean": "c" * 24, **{name: {"on": True} for name in rows}}, strict=False)
    return after(shot_with_hand_and_pane(), SetPane(type="set-pane", pane=PANE, sit=sit))


class Squeezed(PlainPictures):
    """A clip whose pixels are twice as wide as high."""

    def pixel_aspect(self, media: str) -> float:
        return 2.0


def test_a_squeezed_clip_is_fitted_by_what_it_shows() -> None:
    """48 x 32 pixels that are twice as wide as high are a picture of 3 : 1; whole in a pane of 3 : 2 it fills half of it."""

    def shown(pictures: PlainPictures) -> float:
        change = {"insert": {"source": "media", "media": "a" * 24}, "aspect": 1.5, "placement": {"fit": "fit"}}
        shot = after(shot_with_hand_and_pane(), SetPane.model_validate({"type": "set-pane", "pane": PANE, **change}))
        laid = FrameScene(shot, FRAME, pictures).panes.laid(shot.panes[0], {})
        assert laid is not None
        return float(laid.alpha.sum())

    assert shown(Squeezed()) == pytest.approx(shown(PlainPictures()) / 2, rel=0.05)


def test_pixels_of_another_shape_are_said_where_the_proportions_are_asked_for() -> None:
    quads = turning(1.55, 35.0)

    def asked(squeeze: float) -> str | None:
        plate = Plate(
            media="0" * 24, width=round(1280 / squeeze), height=720, first=0, count=30, rate_num=25, rate_den=1
        )
        keys = [
            PaneKey.model_validate(
                {"frame": f, "corners": (q / (squeeze, 1.0)).tolist(), "ease": "linear"}, strict=False
            )
            for f, q in enumerate(quads)
        ]
        pane = Pane(id=PANE, name="Screen", colour="#aabbcc", keys=keys)
        shot = EvaluatedShot.of(new_shot("s", "S", plate).with_elements({PANE: pane}))
        if squeeze == 1.0:
            assert true_proportions(shot, pane).aspect == pytest.approx(1.55, rel=0.01)
        return pixels_remark(shot, pane)

    assert asked(1.0) is None
    remark = asked(2.0)
    assert remark is not None
    assert "taken for 1 times as wide as high: 2 goes with it" in remark
