from __future__ import annotations

import numpy as np
import pytest
from fastapi.testclient import TestClient

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
    assert says in answer.json()["message"]
