"""Versions, notes and time of a shot over HTTP."""

from __future__ import annotations

import io

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.api.conftest import edit

QUAD = [[30.0, 20.0], [120.0, 24.0], [118.0, 90.0], [28.0, 84.0]]


@pytest.fixture
def drawn(client: TestClient, shot: str) -> str:
    edit(client, shot, type="add-pane", frame=1001, corners=QUAD, id="screen")
    return shot


def keep(client: TestClient, shot: str, **what: object) -> dict[str, object]:
    made = client.post(f"/api/shots/{shot}/versions", json=what)
    assert made.status_code == 201, made.text
    return dict(made.json())


def look(client: TestClient, address: str) -> np.ndarray:
    answer = client.get(address)
    assert answer.status_code == 200, answer.text
    return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), int)


def test_a_version_stays_as_it_was_and_can_be_gone_back_to(client: TestClient, drawn: str) -> None:
    first = keep(client, drawn, name="First pass", comment="Thumb is rough.", frame=1003)
    assert (first["label"], first["name"]) == ("v001", "First pass")
    before = look(client, f"/api/shots/{drawn}/versions/1/looks/composite/1003")
    edit(client, drawn, type="set-pane", pane="screen", opacity=0.25)
    edit(client, drawn, type="add-pane", frame=1001, corners=QUAD, id="other")
    assert keep(client, drawn)["label"] == "v002"
    assert (look(client, f"/api/shots/{drawn}/versions/1/looks/composite/1003") == before).all()
    assert (look(client, f"/api/shots/{drawn}/looks/composite/1003") != before).any()
    listed = client.get(f"/api/shots/{drawn}/versions").json()
    assert [v["label"] for v in listed] == ["v002", "v001"]
    then = client.get(f"/api/shots/{drawn}/versions/1").json()
    assert then["elements"]["screen"]["opacity"] == 1.0
    assert "other" not in then["elements"]

    now = client.get(f"/api/shots/{drawn}").json()
    back = client.post(f"/api/shots/{drawn}/versions/1/restore", json={"revision": now["revision"]})
    assert back.status_code == 200, back.text
    assert back.json()["label"] == "Restored v001"
    elements = client.get(f"/api/shots/{drawn}").json()["elements"]
    assert elements["screen"]["opacity"] == 1.0
    assert "other" not in elements
    undone = client.post(f"/api/shots/{drawn}/undo", json={"revision": back.json()["revision"]})
    assert undone.status_code == 200
    assert client.get(f"/api/shots/{drawn}").json()["elements"]["screen"]["opacity"] == 0.25


def test_what_is_not_there_is_said(client: TestClient, drawn: str) -> None:
    for address in ("versions/7", "versions/7/looks/matte/1001"):
        missing = client.get(f"/api/shots/{drawn}/{address}")
        assert missing.status_code == 404
        assert "v007" in missing.json()["detail"]
    keep(client, drawn)
    beyond = client.get(f"/api/shots/{drawn}/versions/1/looks/matte/5000")
    assert beyond.status_code < 500
    assert "frame" in beyond.json()["detail"].lower()
    assert client.post("/api/shots/nowhere/versions", json={}).status_code == 404


def test_notes_are_pinned_ticked_off_and_taken_away(client: TestClient, drawn: str) -> None:
    keep(client, drawn)
    said = {"frame": 1004, "text": "The ring finger boils.", "x": 60.0, "y": 40.5, "version": 1}
    note = client.post(f"/api/shots/{drawn}/notes", json=said).json()
    client.post(f"/api/shots/{drawn}/notes", json={"frame": 1002, "text": "Good here."})
    assert [n["frame"] for n in client.get(f"/api/shots/{drawn}/notes").json()] == [1002, 1004]
    done = client.patch(f"/api/shots/{drawn}/notes/{note['id']}", json={"done": True}).json()
    assert done["done"] is True
    assert done["text"] == said["text"]
    assert client.delete(f"/api/shots/{drawn}/notes/{note['id']}").status_code == 204
    gone = client.patch(f"/api/shots/{drawn}/notes/{note['id']}", json={"done": False})
    assert gone.status_code == 404
    for wrong in (
        {"frame": 9999, "text": "x"},
        {"frame": 1001, "text": ""},
        {"frame": 1001, "text": "x", "version": 9},
    ):
        assert client.post(f"/api/shots/{drawn}/notes", json=wrong).status_code in (404, 422)
    assert len(client.get(f"/api/shots/{drawn}/notes").json()) == 1


def test_time_adds_up_against_a_budget(client: TestClient, shot: str) -> None:
    assert client.post(f"/api/shots/{shot}/time", json={"seconds": 0}).json() == {"seconds": 0, "budget": 900}
    client.post(f"/api/shots/{shot}/time", json={"seconds": 30})
    assert client.post(f"/api/shots/{shot}/time", json={"seconds": 12, "budget": 1200}).json() == {
        "seconds": 42, "budget": 1200,
    }  # fmt: skip
    assert client.post(f"/api/shots/{shot}/time", json={"seconds": -5}).status_code == 422
    assert client.post("/api/shots/nowhere/time", json={"seconds": 5}).status_code == 404
