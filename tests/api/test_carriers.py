"""Carriers over HTTP: solved by a job, watched, stopped, and looked at."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.api.conftest import edit
from tests.core.motion.test_plane import QUAD, clip, truth_at
from wiseglove.core.geometry.homography import apply
from wiseglove.jobs import solve as solving
from wiseglove.jobs.run import Run
from wiseglove.store import jobs
from wiseglove.store.database import Database

COUNT, FIRST = 8, 1001
PATCH = [[x, y, 0, 0, 0, 0] for x, y in QUAD.tolist()]


@pytest.fixture
def moving(take_in: Callable[..., dict[str, Any]], tmp_path: Path) -> str:
    """A shot whose plate moves in a known way."""
    picture_at = clip(COUNT)
    paths = []
    for n in range(COUNT):
        paths.append(tmp_path / f"door.{FIRST + n}.png")
        cv2.imwrite(str(paths[-1]), picture_at(n + 1).astype(np.uint8))
    return str(take_in(paths)["job"]["result"]["shot"])


def carrier(client: TestClient, shot: str) -> dict[str, Any]:
    return next(e for e in client.get(f"/api/shots/{shot}").json()["elements"].values() if e["kind"] == "carrier")


def order(client: TestClient, shot: str, first: int = FIRST, last: int = FIRST + COUNT - 1) -> dict[str, Any]:
    made = client.post(f"/api/shots/{shot}/carriers/motion/solve", json={"first": first, "last": last})
    assert made.status_code == 201, made.text
    return dict(made.json())


def pane_at(client: TestClient, shot: str, frame: int) -> np.ndarray:
    """Corners on a frame of the pane in a shot with a carrier besides."""
    revision = client.get(f"/api/shots/{shot}").json()["revision"]
    rows = client.get(f"/api/shots/{shot}/geometry?revision={revision}&first={frame}&last={frame}")
    return np.frombuffer(rows.content, "<f4").reshape(2, 4, 8)[1, :, :2]


def test_a_carrier_is_solved_by_a_job_as_one_step_and_what_rides_goes_along(
    client: TestClient, moving: str, work: Callable[[], None]
) -> None:
    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    edit(client, moving, type="add-pane", frame=FIRST, corners=QUAD.tolist(), id="screen")
    edit(client, moving, type="ride", elements=["screen"], carrier="motion")
    assert pane_at(client, moving, FIRST + 5) == pytest.approx(QUAD, abs=0.1)  # nothing is solved yet
    job = order(client, moving)
    work()
    ended = next(j for j in client.get("/api/jobs").json() if j["id"] == job["id"])
    assert ended["state"] == "done", ended["message"]
    assert f"{COUNT} of {COUNT} frames solved" in ended["message"]
    solved = carrier(client, moving)["solved"]
    assert [s["frame"] for s in solved] == list(range(FIRST, FIRST + COUNT))
    state = client.get(f"/api/shots/{moving}").json()
    assert state["undo"].startswith("Solved")
    assert pane_at(client, moving, FIRST + 5) == pytest.approx(apply(truth_at(6), QUAD), abs=0.1)
    assert pane_at(client, moving, FIRST) == pytest.approx(QUAD, abs=0.1)
    client.post(f"/api/shots/{moving}/undo", json={"revision": state["revision"]})
    assert carrier(client, moving)["solved"] == []
    assert pane_at(client, moving, FIRST + 5) == pytest.approx(QUAD, abs=0.1)


def test_only_the_range_that_was_asked_for_changes(client: TestClient, moving: str, work: Callable[[], None]) -> None:
    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    order(client, moving, FIRST, FIRST + 4)
    work()
    before = {s["frame"]: s for s in carrier(client, moving)["solved"]}
    order(client, moving, FIRST + 5, FIRST + COUNT - 1)
    work()
    after = {s["frame"]: s for s in carrier(client, moving)["solved"]}
    assert all(after[f] == before[f] for f in before)
    assert sorted(after) == list(range(FIRST, FIRST + COUNT))


def test_what_was_solved_stays_when_it_is_stopped(
    client: TestClient, moving: str, work: Callable[[], None], database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    job = order(client, moving)
    monkeypatch.setattr(solving, "EVERY", 0.0)
    progress = Run.progress

    def stopped(self: Run, done: int, total: int) -> None:
        if done == 3:
            with database.transaction() as session:
                jobs.ask_to_stop(session, job["id"])
        progress(self, done, total)

    monkeypatch.setattr(Run, "progress", stopped)
    monkeypatch.setattr("wiseglove.jobs.run.EVERY", 0.0)
    work()
    ended = next(j for j in client.get("/api/jobs").json() if j["id"] == job["id"])
    assert "stopped by hand" in ended["message"]
    assert 3 <= len(carrier(client, moving)["solved"]) < COUNT


def test_the_trackers_eye_dims_what_does_not_count_and_the_flat_pane_holds_still(
    client: TestClient, moving: str, work: Callable[[], None]
) -> None:
    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    edit(client, moving, type="add-pane", frame=FIRST, corners=QUAD.tolist(), id="screen")
    edit(client, moving, type="ride", elements=["screen"], carrier="motion")
    order(client, moving)
    work()

    def picture(address: str) -> np.ndarray:
        answer = client.get(f"/api/shots/{moving}/{address}")
        assert answer.status_code == 200, answer.text
        return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), np.float64)

    plate = clip(1)(1)
    eye = picture(f"carriers/motion/eye/{FIRST}.jpg?size=full")
    assert eye[110, 150].mean() == pytest.approx(plate[110, 150], abs=12)
    assert eye[20, 20].mean() == pytest.approx(0.28 * plate[20, 20], abs=12)
    flats = [picture(f"panes/screen/flat/{f}.jpg?size=full")[60:180, 60:260] for f in (FIRST, FIRST + 6)]
    assert np.abs(flats[0] - flats[1]).mean() < 5
    assert np.abs(flats[0] - np.roll(flats[1], 6, axis=1)).mean() > 8


@pytest.mark.parametrize(
    ("first", "last", "says"),
    [(1, 2, "outside the plate"), (FIRST + 3, FIRST + 1, "must not lie after"), (FIRST, FIRST, "own frame only")],
)
def test_a_range_that_cannot_be_is_refused(client: TestClient, moving: str, first: int, last: int, says: str) -> None:
    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    answer = client.post(f"/api/shots/{moving}/carriers/motion/solve", json={"first": first, "last": last})
    assert answer.status_code == 422
    assert says in answer.json()["detail"]
    gone = client.post(f"/api/shots/{moving}/carriers/nothing/solve", json={"first": FIRST, "last": FIRST + 2})
    assert gone.status_code == 422


def test_a_patch_that_covers_hide_is_said_and_nothing_is_lost(
    client: TestClient, moving: str, work: Callable[[], None]
) -> None:
    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    around = [[20, 20, 0, 0, 0, 0], [300, 20, 0, 0, 0, 0], [300, 220, 0, 0, 0, 0], [20, 220, 0, 0, 0, 0]]
    edit(client, moving, type="add-cover", frame=FIRST, outline={"kinds": ["corner"] * 4, "points": around})
    job = order(client, moving)
    work()
    ended = next(j for j in client.get("/api/jobs").json() if j["id"] == job["id"])
    assert ended["state"] == "failed"
    assert "Covers hide the whole patch" in ended["message"]
    assert carrier(client, moving)["solved"] == []


def test_points_are_followed_by_the_same_job_and_keep_their_tracks(
    client: TestClient, moving: str, work: Callable[[], None]
) -> None:
    edit(client, moving, type="add-point", frame=FIRST, place=[100.0, 80.0], id="motion")
    edit(client, moving, type="add-point", frame=FIRST, carrier="motion", place=[210.0, 90.0])
    order(client, moving)
    work()
    found = carrier(client, moving)
    assert {s["status"] for s in found["solved"]} == {"solved"}
    for point, (x, y) in zip(found["points"], ((100.0, 80.0), (210.0, 90.0)), strict=True):
        last = next(f for f in point["track"] if f["frame"] == FIRST + COUNT - 1)
        assert (last["x"], last["y"]) == pytest.approx(apply(truth_at(COUNT), np.array([[x, y]]))[0], abs=0.4)


def test_a_carrier_set_by_hand_has_nothing_to_solve_and_says_so_at_once(client: TestClient, moving: str) -> None:
    edit(client, moving, type="add-hand-carrier", frame=FIRST, corners=QUAD.tolist(), id="motion")
    refused = client.post(f"/api/shots/{moving}/carriers/motion/solve", json={"first": FIRST, "last": FIRST + 3})
    assert refused.status_code == 422
    assert "set by hand" in refused.json()["detail"]
    assert [j["kind"] for j in client.get("/api/jobs").json() if j["kind"] == "solve"] == []


def test_slip_and_jitter_are_given_frame_by_frame(client: TestClient, moving: str, work: Callable[[], None]) -> None:
    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    order(client, moving)
    work()
    where = f"/api/shots/{moving}/carriers/motion"
    checks = client.get(f"{where}/checks").json()
    assert (checks["first"], len(checks["jitter"])) == (FIRST, COUNT)
    assert max(checks["jitter"]) < 0.3
    assert checks["removed"] == [0] * COUNT
    slip = client.get(f"{where}/slip?first={FIRST}&last={FIRST + COUNT + 50}").json()["slip"]
    assert len(slip) == COUNT
    assert max(slip) < 0.15
    corners = [[x + 3, y] for x, y in carrier(client, moving)["solved"][4]["corners"]]
    edit(client, moving, type="set-by-hand", carrier="motion", frame=FIRST + 4, how="correction", corners=corners)
    edit(client, moving, type="set-by-hand", carrier="motion", frame=FIRST, how="correction", none=True)
    off = client.get(f"{where}/slip?first={FIRST + 4}&last={FIRST + 4}").json()["slip"]
    assert off == [pytest.approx(3, abs=0.3)]
    edit(client, moving, type="set-carrier", carrier="motion", smoothing=2)
    assert max(client.get(f"{where}/checks").json()["removed"]) > 0
    assert client.get(f"{where}/slip?first=5&last=6").status_code == 422


def test_the_bright_pixels_of_a_matte_that_was_taken_in_are_left_out(
    client: TestClient,
    moving: str,
    work: Callable[[], None],
    take_in: Callable[..., dict[str, Any]],
    tmp_path: Path,
) -> None:
    def mattes(count: int) -> str:
        paths = []
        for n in range(count):
            paths.append(tmp_path / f"front{count}.{FIRST + n}.png")
            picture = np.zeros((120, 160), np.uint8)  # half the plate's size
            picture[:, 80:] = 255
            cv2.imwrite(str(paths[-1]), picture)
        return str(take_in(paths, purpose="insert", shot=moving)["job"]["result"]["clip"])

    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    edit(client, moving, type="set-carrier", carrier="motion", matte=mattes(COUNT), margin=0)
    eye = client.get(f"/api/shots/{moving}/carriers/motion/eye/{FIRST}.jpg?size=full")
    seen = np.asarray(Image.open(io.BytesIO(eye.content)).convert("L"), np.float64)
    whole = clip(COUNT)(1)
    assert np.abs(seen[90:150, 110:150] - whole[90:150, 110:150]).mean() < 4
    assert seen[90:150, 170:200].mean() < 0.5 * whole[90:150, 170:200].mean()
    edit(client, moving, type="set-carrier", carrier="motion", matte=mattes(3))
    job = order(client, moving)
    work()
    ended = next(j for j in client.get("/api/jobs").json() if j["id"] == job["id"])
    assert ended["state"] == "failed"
    assert "3 frames, the plate has 8" in ended["message"]
    edit(client, moving, type="set-carrier", carrier="motion", matte="")
    assert carrier(client, moving)["matte"] is None


def test_a_further_reference_goes_on_from_a_sure_frame_and_its_loss_is_told(
    client: TestClient, moving: str, work: Callable[[], None]
) -> None:
    edit(client, moving, type="add-carrier", frame=FIRST, patch=PATCH, id="motion")
    revision = client.get(f"/api/shots/{moving}").json()["revision"]
    renew = {"type": "renew-reference", "carrier": "motion", "frame": FIRST + 3}
    refused = client.post(f"/api/shots/{moving}/edits", json={"revision": revision, "edit": renew})
    assert refused.status_code == 422
    assert "solved and sure" in refused.json()["detail"]
    order(client, moving)
    work()
    edit(client, moving, **renew)
    job = order(client, moving)
    work()
    ended = next(j for j in client.get("/api/jobs").json() if j["id"] == job["id"])
    assert f"px at {FIRST + 3}" in ended["message"]
    for place in carrier(client, moving)["solved"]:
        truth = apply(truth_at(place["frame"] - FIRST + 1), np.array(carrier(client, moving)["base"]))
        assert np.linalg.norm(np.array(place["corners"]) - truth, axis=1).mean() < 0.2
    again = order(client, moving, FIRST + 5, FIRST + 6)
    work()
    ended = next(j for j in client.get("/api/jobs").json() if j["id"] == again["id"])
    assert (ended["state"], ended["message"]) == ("done", "Carrier: 2 of 2 frames solved.")


def test_every_reason_is_told_in_two_sentences(client: TestClient, moving: str) -> None:
    told = client.get(f"/api/shots/{moving}/reasons").json()
    assert {"covered", "frame", "edge-on"} <= set(told)
    assert all(text.count(". ") == 1 and text.endswith(".") for text in told.values())


def test_all_carriers_are_ordered_at_once_but_locked_ones(client: TestClient, moving: str) -> None:
    refused = client.post(f"/api/shots/{moving}/solve", json={"first": FIRST, "last": FIRST + 3})
    assert refused.status_code == 422
    assert "no carrier to solve" in refused.text
    for name in ("one", "two", "three"):
        edit(client, moving, type="add-carrier", id=name, frame=FIRST, patch=PATCH, name=name)
    edit(client, moving, type="set-carrier", carrier="one", begins="two")
    edit(client, moving, type="set-carrier", carrier="three", locked=True)
    answer = client.post(f"/api/shots/{moving}/solve", json={"first": FIRST, "last": FIRST + 3})
    assert answer.status_code == 201
    assert [job["title"] for job in answer.json()] == ["Solving two", "Solving one"]
