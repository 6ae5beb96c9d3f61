from __future__ import annotations

import cv2
import httpx2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from tests.builders import HAND, draft
from wiseglove.core.matte.coverage import Box, coverage


def loop(radius: float = 60.0, count: int = 240) -> list[float]:
    angle = np.arange(count) / count * 2 * np.pi
    return np.stack([200 + radius * np.cos(angle), 150 + radius * np.sin(angle)], axis=1).reshape(-1).tolist()


def test_a_loop_becomes_an_outline_of_few_points_and_its_area(client: TestClient) -> None:
    answer = client.post("/api/fit", json={"line": loop(), "tolerance": 1.0})
    assert answer.status_code == 200
    points = np.array(answer.json()["points"])
    assert len(points) == len(answer.json()["kinds"]) <= 8
    area = coverage(points, Box(0, 0, 400, 300)).sum()
    assert area == pytest.approx(np.pi * 60**2, rel=0.02)


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ({"line": [1.0, 2.0, 3.0], "tolerance": 1.0}, "too short"),
        ({"line": [1.0, 2.0, 50.0, 2.0, 90.0, 2.0, 20.0, 2.0], "tolerance": 1.0}, "holds no area"),
        ({"line": [5.0, 5.0] * 40, "tolerance": 1.0}, "holds no area"),
        ({"line": loop(), "tolerance": 0.0}, "tolerance"),
        ({"line": [1e9] * 12, "tolerance": 1.0}, "line"),
    ],
)
def test_what_is_no_loop_is_refused_with_a_sentence(client: TestClient, body: dict[str, object], says: str) -> None:
    answer = client.post("/api/fit", json=body)
    assert answer.status_code == 422
    assert says in answer.json()["detail"]


@pytest.fixture
def drawn(client: TestClient, shot: str) -> str:
    """A shot whose plate shows numbered pictures, with the cover "Hand"; its outline is HAND."""
    body = {"type": "add-cover", "outline_id": HAND, "frame": 1001, "outline": draft().model_dump(), "name": "Hand"}
    assert client.post(f"/api/shots/{shot}/edits", json={"revision": 0, "edit": body}).is_success
    return shot


def ask(client: TestClient, shot: str, what: str, **body: object) -> httpx2.Response:
    return client.post(f"/api/shots/{shot}/{what}", json={"outline": HAND, **body})


def test_what_follows_the_picture_is_proposed_or_refused_and_never_stored(client: TestClient, drawn: str) -> None:
    for what, body in (
        ("snap", {"frame": 1001, "points": [], "radius": 10}),
        ("carry", {"frame": 1001, "to": 1004}),
        ("thin", {"tolerance": 0.5}),
    ):
        answer = ask(client, drawn, what, **body)
        assert answer.status_code in (200, 422), answer.text
        if answer.status_code == 422:
            assert "Nothing was changed" in answer.json()["detail"]
    assert client.get(f"/api/shots/{drawn}").json()["revision"] == 1
    thin = ask(client, drawn, "thin", tolerance=0.5).json()
    assert thin == {"frames": [1001], "before": 1, "error": 0.0}


@pytest.mark.parametrize(
    ("what", "body", "status", "says"),
    [
        ("snap", {"frame": 3, "points": []}, 422, "outside the plate"),
        ("carry", {"frame": 1001, "to": 1001}, 422, "no further frame"),
        ("carry", {"frame": 1001, "to": 1004, "shape": [[0.0] * 8]}, 422, "1 came to carry on from"),
        ("thin", {"tolerance": -1}, 422, "tolerance"),
        ("snap", {"outline": "nobody", "frame": 1001, "points": []}, 404, "not in the shot"),
        ("snap", {"frame": 1001, "points": [], "radius": 1e9}, 422, "radius"),
    ],
)
def test_impossible_wishes_get_a_message(
    client: TestClient, drawn: str, what: str, body: dict[str, object], status: int, says: str
) -> None:
    answer = ask(client, drawn, what, **body)
    assert answer.status_code == status
    assert says in answer.json()["detail"]


def test_the_pivot_is_told_for_each_frame(client: TestClient, drawn: str) -> None:
    edit = {"type": "set-outline", "outline": HAND, "pivot": [40.0, 30.0], "frame": 1001}
    assert client.post(f"/api/shots/{drawn}/edits", json={"revision": 1, "edit": edit}).is_success
    assert client.get(f"/api/shots/{drawn}/pivots/{HAND}/1005").json() == {"x": 40.0, "y": 30.0}


def test_a_trace_answers_with_a_line_from_its_anchor_to_the_place(client: TestClient, drawn: str) -> None:
    with client.websocket_connect(f"/api/shots/{drawn}/trace") as socket:
        socket.send_json({"frame": 1001, "anchor": [20.0, 20.0], "place": [20.0, 20.0]})
        assert len(np.frombuffer(socket.receive_bytes(), "<f4")) == 2
        socket.send_json({"frame": 1001, "place": [70.0, 60.0]})
        line = np.frombuffer(socket.receive_bytes(), "<f4").reshape(-1, 2)
        assert line[0] == pytest.approx([20.5, 20.5])
        assert line[-1] == pytest.approx([70.5, 60.5])
        assert np.abs(np.diff(line, axis=0)).max() < 3
        socket.send_json({"frame": 7, "anchor": [0, 0], "place": [1, 1]})
        assert "outside the plate" in socket.receive_json()["message"]
        socket.send_text("nonsense")
        assert socket.receive_json()["message"]


def test_a_copy_can_be_pasted_as_it_is(client: TestClient, drawn: str) -> None:
    what = client.get(f"/api/shots/{drawn}/copies/{HAND}").json()
    edit = {"type": "paste", "what": what, "frame": 1003}
    change = client.post(f"/api/shots/{drawn}/edits", json={"revision": 1, "edit": edit}).json()
    assert change["label"] == "Pasted Hand 2"
    assert client.get(f"/api/shots/{drawn}/copies/nobody").status_code == 422


def test_looks_are_shown_in_the_manner_that_is_asked_for(client: TestClient, drawn: str) -> None:
    def look(kind: str, **how: str) -> np.ndarray:
        answer = client.get(f"/api/shots/{drawn}/looks/{kind}/1001", params=how)
        assert answer.status_code == 200, answer.text
        return np.asarray(cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR_RGB))

    assert look("matte").max() == 255
    assert look("matte", only="other").max() == 0
    assert look("matte", style="edges")[50, 60].max() == 0
    tinted = look("matte", style="tint")
    assert np.ptp(tinted[5, 5]) < np.ptp(tinted[50, 60].astype(int)) + 200
    assert look("cutout", ground="c81e5a")[2, 2].astype(int) == pytest.approx([200, 30, 90], abs=4)
    for bad in ({"style": "neon"}, {"ground": "red"}, {"only": "../x"}):
        assert client.get(f"/api/shots/{drawn}/looks/matte/1001", params=bad).status_code == 422
