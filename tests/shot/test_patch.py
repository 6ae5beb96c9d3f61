"""Patches against another library of RFC 6902 (jsonpatch), and places against what really differs."""

from __future__ import annotations

import json
from typing import Any

import jsonpatch
from hypothesis import given
from hypothesis import strategies as st

from tests.builders import HAND, PANE, after, shot_with_hand_and_pane
from tests.strategies import blob
from wiseglove.shot.edits import EaseKeys, SetCover, SetPane, ShapePoints
from wiseglove.shot.keys import as_points
from wiseglove.shot.patch import diff, patched
from wiseglove.shot.places import overlap, places_of, read, written

texts = st.text("ab/~0 ", max_size=4)
numbers = st.floats(-9, 9, allow_nan=False).map(lambda v: v + 0.0)  # no negative zero
values = st.recursive(
    st.none() | texts | numbers,
    lambda inner: st.lists(inner, max_size=5) | st.dictionaries(texts, inner, max_size=4),
    max_leaves=25,
)
maps = st.dictionaries(texts, values, max_size=4)


@given(maps, maps)
def test_a_patch_makes_the_one_of_the_other_here_and_elsewhere(old: dict[str, Any], new: dict[str, Any]) -> None:
    before = json.dumps(old)
    patch = diff(old, new)
    assert patched(old, patch) == new
    assert jsonpatch.apply_patch(old, patch) == new
    assert json.dumps(old) == before


@given(maps, maps)
def test_a_patch_of_another_library_is_taken_too(old: dict[str, Any], new: dict[str, Any]) -> None:
    patch = [op for op in jsonpatch.make_patch(old, new) if op["op"] in ("add", "remove", "replace")]
    if len(patch) == len(list(jsonpatch.make_patch(old, new))):
        assert patched(old, patch) == new


@given(st.lists(st.integers(0, 5), max_size=8), st.integers(0, 8), st.integers(6, 9))
def test_what_is_put_into_a_list_is_all_that_is_written(held: list[int], at: int, more: int) -> None:
    entries = [{"frame": v} for v in held]
    new = [*entries[:at], {"frame": more}, *entries[at:]]
    assert len(diff({"keys": entries}, {"keys": new})) == 1


def bodies(shot: Any) -> dict[str, Any]:
    return {i: e.model_dump(mode="json") for i, e in shot.elements.items()}


def moved(frame: int, index: int, seed: int = 3) -> ShapePoints:
    point = as_points(blob(seed))[index]
    return ShapePoints(type="shape-points", element=HAND, frame=frame, points={index: point})


def test_places_name_keys_by_frame_and_things_by_id() -> None:
    shot = after(shot_with_hand_and_pane(), moved(1008, 0))
    cover = shot.covers[0].id

    def places(*edits: Any) -> set[str]:
        return set(written(places_of(bodies(shot), bodies(after(shot, *edits)))))

    assert places(moved(1008, 2)) == {f"{HAND}/keys/1008/points/2"}
    assert places(moved(1004, 2)) == {f"{HAND}/keys/1004"}
    assert places(EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="hold")) == {f"{HAND}/keys/1001/ease"}
    assert places(SetCover(type="set-cover", cover=cover, name="Glove")) == {f"{cover}/name"}
    assert places(SetPane(type="set-pane", pane=PANE, opacity=0.5)) == {f"{PANE}/opacity"}


paths = st.lists(st.sampled_from("abc"), min_size=1, max_size=3).map(tuple)


@given(st.lists(paths, max_size=6), st.lists(paths, max_size=6))
def test_places_overlap_where_one_lies_within_another(one: list[Any], other: list[Any]) -> None:
    expected = any(a[: len(b)] == b or b[: len(a)] == a for a in one for b in other)
    assert (overlap(one, other) is not None) == expected
    assert read(written(one)) == one
