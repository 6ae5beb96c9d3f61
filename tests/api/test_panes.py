"""How a pane's picture sits in the plate, over HTTP."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.api.conftest import edit

QUAD = [[30.0, 20.0], [120.0, 24.0], [118.0, 90.0], [28.0, 84.0]]


@pytest.fixture
def placed(client: TestClient, shot: str) -> str:
    edit(client, shot, type="add-pane", frame=1001, corners=QUAD, id="screen")
    return shot


def pane(client: TestClient, shot: str) -> dict[str, Any]:
    return dict(client.get(f"/api/shots/{shot}").json()["elements"]["screen"])


def composite(client: TestClient, shot: str, frame: int = 1001, **query: str) -> np.ndarray:
    answer = client.get(f"/api/shots/{shot}/looks/composite/{frame}", params=query)
    assert answer.status_code == 200, answer.text
    return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), int)


def test_what_the_plate_tells_is_proposed_and_what_it_does_not_tell_is_said(client: TestClient, placed: str) -> None:
    answer = client.get(f"/api/shots/{placed}/panes/screen/sitting")
    assert answer.status_code == 200, answer.text
    proposal = answer.json()
    assert proposal["sit"]["edges"]["on"] is True
    assert any("clean pane" in sentence for sentence in proposal["unknown"])
    before = pane(client, placed)
    assert not before["sit"]["edges"]["on"]  # nothing is changed by asking
    edit(client, placed, type="set-pane", pane="screen", sit=proposal["sit"])
    assert pane(client, placed)["sit"]["edges"]["on"] is True


def test_a_row_is_tried_without_being_kept(client: TestClient, placed: str) -> None:
    plain = composite(client, placed)
    sit = pane(client, placed)["sit"]
    sit["level"] = {**sit["level"], "on": True, "white": [0.2, 0.2, 0.2]}
    trial = json.dumps({"type": "set-pane", "pane": "screen", "sit": sit})
    assert composite(client, placed, trial=trial)[50, 60].sum() < plain[50, 60].sum()
    assert (composite(client, placed) == plain).all()
    refused = client.get(f"/api/shots/{placed}/looks/composite/1001", params={"trial": '{"type": "delete"}'})
    assert refused.status_code == 422
    assert "Nothing was changed" in refused.json()["detail"]


def test_numbers_are_keyed_in_time(client: TestClient, placed: str) -> None:
    for frame, value in ((1001, 0.0), (1005, 1.0)):
        edit(client, placed, type="set-value", pane="screen", path="opacity", frame=frame, value=value, ease="linear")
    plate = composite(client, placed, 1001)
    half, whole = composite(client, placed, 1003), composite(client, placed, 1005)
    bright = [picture[50, 60].sum() for picture in (plate, half, whole)]
    assert bright[0] < bright[1] < bright[2]
    revision = client.get(f"/api/shots/{placed}").json()["revision"]
    for path, value in (("name", 1.0), ("opacity", 7.0), ("floats.tilt", 3.0)):
        body = {"type": "set-value", "pane": "screen", "path": path, "frame": 1001, "value": value}
        refused = client.post(f"/api/shots/{placed}/edits", json={"revision": revision, "edit": body})
        assert refused.status_code in (409, 422), path
        assert "changed" in refused.json()["detail"]


def test_a_level_is_picked_in_the_plate(client: TestClient, placed: str) -> None:
    address = f"/api/shots/{placed}/panes/screen/level"
    dark = client.post(address, json={"frame": 1001, "x": 60, "y": 50, "stands_for": "dark"})
    assert dark.status_code == 200, dark.text
    assert dark.json()["on"] is True
    outside = client.post(address, json={"frame": 1001, "x": -500, "y": 50, "stands_for": "dark"})
    assert outside.status_code == 422
    assert "outside" in outside.json()["detail"]
    edit(client, placed, type="set-pane", pane="screen", sit={"level": {**dark.json(), "black": [0.99, 0.99, 0.99]}})
    refused = client.post(address, json={"frame": 1001, "x": 60, "y": 50, "stands_for": "light"})
    assert refused.status_code == 422
    assert "not lighter" in refused.json()["detail"]


def test_proportions_that_cannot_be_told_are_refused_with_the_reason(client: TestClient, placed: str) -> None:
    answer = client.get(f"/api/shots/{placed}/panes/screen/proportions")
    assert answer.status_code in (200, 422)
    if answer.status_code == 422:
        assert "Type width and height" in answer.json()["detail"]


def test_pieces_come_and_go_in_their_time(client: TestClient, placed: str) -> None:
    black = {
        "id": "off",
        "name": "Off",
        "source": "solid",
        "colours": ["#000000", "#000000"],
        "first": 1004,
        "last": 1006,
    }
    edit(client, placed, type="set-pane", pane="screen", pieces=[black])
    seen = [composite(client, placed, frame)[50, 60].sum() for frame in (1003, 1004, 1006, 1007)]
    assert seen[1] < 15
    assert seen[2] < 15
    assert min(seen[0], seen[3]) > 100
    revision = client.get(f"/api/shots/{placed}").json()["revision"]
    for wrong in ({**black, "first": 1006, "last": 1004}, {**black, "source": "media"}, {**black, "first": 5000}):
        body = {"type": "set-pane", "pane": "screen", "pieces": [wrong]}
        refused = client.post(f"/api/shots/{placed}/edits", json={"revision": revision, "edit": body})
        assert refused.status_code == 422, wrong
        assert refused.json()["detail"]


def test_a_pane_floats_before_another_and_follows_it(client: TestClient, placed: str) -> None:
    edit(client, placed, type="add-pane", frame=1001, corners=QUAD, id="counter")
    edit(client, placed, type="set-pane", pane="counter", floats={"pane": "screen", "distance": 0.2, "size": 0.5})

    def corners() -> np.ndarray:
        state = client.get(f"/api/shots/{placed}").json()
        rows = client.get(f"/api/shots/{placed}/geometry?revision={state['revision']}&first=1001&last=1001").content
        return np.frombuffer(rows, "<f4").reshape(2, 4, 8)[0, :, :2]  # "counter" comes before "screen"

    first = corners()
    sides = [np.linalg.norm(first[1] - first[0]), np.linalg.norm(np.subtract(QUAD[1], QUAD[0]))]
    assert 0.4 < sides[0] / sides[1] < 0.8
    moved = [[x + 10, y] for x, y in QUAD]
    points = {str(i): [x, y, 0, 0, 0, 0] for i, (x, y) in enumerate(moved)}
    edit(client, placed, type="shape-points", element="screen", frame=1001, points=points)
    assert corners() == pytest.approx(first + (10, 0), abs=1.5)  # nearer things shift a little more
    revision = client.get(f"/api/shots/{placed}").json()["revision"]
    body = {"type": "shape-points", "element": "counter", "frame": 1001, "points": points}
    refused = client.post(f"/api/shots/{placed}/edits", json={"revision": revision, "edit": body})
    assert refused.status_code == 422
    assert "floats before another pane" in refused.json()["detail"]
    edit(client, placed, type="delete", element="screen")
    assert client.get(f"/api/shots/{placed}").json()["elements"]["counter"]["floats"] is None


def test_scopes_show_plate_and_composite(client: TestClient, placed: str) -> None:
    answer = client.get(f"/api/shots/{placed}/panes/screen/scopes/1001.png")
    assert answer.status_code == 200, answer.text
    assert Image.open(io.BytesIO(answer.content)).size == (448, 230)
