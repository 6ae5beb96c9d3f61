"""Covers to begin with, over HTTP."""

from __future__ import annotations

from fastapi.testclient import TestClient

from tests.api.conftest import edit
from tests.builders import draft


def test_where_nothing_is_seen_it_says_so(client: TestClient, shot: str) -> None:
    found = client.get(f"/api/shots/{shot}/starters/1003").json()
    assert found["starters"] == []
    assert found["words"].startswith("No hand is seen; with a clean plate")


def test_a_frame_that_is_not_there_is_refused_with_a_way_to_the_guide(client: TestClient, shot: str) -> None:
    answer = client.get(f"/api/shots/{shot}/starters/9999")
    assert answer.status_code == 422
    assert answer.json()["guide"] == "2-cover"
    assert client.get(f"/api/guide/pages/{answer.json()['guide']}").status_code == 200


def test_all_that_is_kept_is_one_edit(client: TestClient, shot: str) -> None:
    outlines = [draft(seed).model_dump(mode="json") for seed in (1, 2)]
    covers = [{"name": name, "outline": outline} for name, outline in zip(("Hand", "Thumb"), outlines, strict=True)]
    before = client.get(f"/api/shots/{shot}").json()
    after = edit(client, shot, type="add-covers", frame=1002, covers=covers)
    state = client.get(f"/api/shots/{shot}").json()
    made = [e for e in state["elements"].values() if e["kind"] == "cover"]
    assert [state["elements"][d]["name"] for d in state["elements"]["settings"]["depth"]][:2] == ["Hand", "Thumb"]
    assert len({c["colour"] for c in made}) == 2
    client.post(f"/api/shots/{shot}/undo", json={"revision": after["revision"]})
    undone = client.get(f"/api/shots/{shot}").json()
    assert undone["elements"].keys() == before["elements"].keys()
