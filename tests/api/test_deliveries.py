from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.builders import HAND, PANE, SQUARE, draft, write_movie
from wiseglove.core.compositing.pane import FINAL
from wiseglove.delivery import chunk
from wiseglove.jobs import deliver
from wiseglove.settings import Settings
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Pane
from wiseglove.shot.render import FrameScene
from wiseglove.store import shots
from wiseglove.store.database import Database
from wiseglove.store.pictures import ExactPictures

FRAMES = range(86, 98)


@pytest.fixture
def shot(
    client: TestClient, take_in: Callable[..., dict[str, Any]], tmp_path: Path, database: Database
) -> EvaluatedShot:
    done = take_in(
        [write_movie(tmp_path / "tap.mp4", len(FRAMES))],
        {"first": 86, "name": "Tap / one", "rate_num": 24000, "rate_den": 1001},
    )
    shot_id = done["job"]["result"]["shot"]
    pane = {"type": "add-pane", "id": PANE, "frame": 86, "corners": SQUARE, "name": "Screen"}
    hand = {"type": "add-cover", "outline_id": HAND, "frame": 86, "outline": draft().model_dump(), "name": "Hand"}
    moved = {"type": "shape-points", "element": PANE, "frame": 97, "points": {"0": [30, 20, 0, 0, 0, 0]}}
    for revision, edit in enumerate((pane, hand, moved)):
        assert client.post(f"/api/shots/{shot_id}/edits", json={"revision": revision, "edit": edit}).status_code == 200
    with database.transaction() as session:
        return shots.load(session, shot_id)


def order(*items: tuple[str, str], **more: Any) -> dict[str, Any]:
    """A preset of things and forms; matte, composite and corners where none are named."""
    chosen = items or (("union", "png8"), ("composite", "mp4"), ("motion", "csv"))
    return {"items": [{"what": what, "form": form} for what, form in chosen], **more}


def ordered(
    client: TestClient, shot: EvaluatedShot, work: Callable[[], None], *items: tuple[str, str], **more: Any
) -> dict[str, Any]:
    job = client.post(f"/api/shots/{shot.id}/deliveries", json=order(*items, **more)).json()
    work()
    jobs = client.get(f"/api/jobs?shot={shot.id}").json()
    return dict(next(j for j in jobs if j["id"] == job["id"]))


def unpacked(client: TestClient, job: dict[str, Any]) -> dict[str, bytes]:
    answer = client.get(f"/api/deliveries/{job['id']}.zip")
    assert answer.headers["content-type"] == "application/zip"
    with zipfile.ZipFile(io.BytesIO(answer.content)) as file:
        assert file.testzip() is None
        return {name.split("/", 1)[1]: file.read(name) for name in file.namelist()}


def test_the_zip_holds_the_cores_pixels_and_the_manifest_is_true(
    client: TestClient, shot: EvaluatedShot, work: Callable[[], None], settings: Settings
) -> None:
    job = ordered(client, shot, work, ("union", "png8"), ("cover", "png8"), ("composite", "mp4"), ("motion", "csv"))
    assert job["state"] == "done"
    files = unpacked(client, job)
    manifest = json.loads(files.pop("manifest.json"))
    told = {f["name"]: (f["size"], f["sha256"]) for f in manifest["files"]}
    assert told == {n: (len(d), hashlib.sha256(d).hexdigest()) for n, d in files.items()}
    assert (manifest["plate"]["rate"], manifest["frames"], manifest["revision"]) == ("24000/1001", [86, 97], 3)

    scenes = [FrameScene(shot, f, ExactPictures(settings.media), 1.0, FINAL) for f in FRAMES]
    for frame, scene in zip(FRAMES, scenes, strict=True):
        expected = scene.look("matte", scene.whole)
        for name in (f"matte/Tap_one_r3_matte.{frame:04d}.png", f"cover_Hand/Tap_one_r3_cover_Hand.{frame:04d}.png"):
            image = Image.open(io.BytesIO(files[name]))
            assert image.mode == "L"
            assert (np.asarray(image) == expected).all()

    with av.open(io.BytesIO(files["composite/Tap_one_r3_composite.mp4"])) as movie:
        stream = movie.streams.video[0]
        assert stream.average_rate == Fraction(24000, 1001)
        assert stream.codec_context.name == "h264"
        seen = [f.to_ndarray(format="rgb24", src_colorspace="ITU709").astype(int) for f in movie.decode(stream)]
    assert len(seen) == len(FRAMES)
    for picture, scene in zip(seen, scenes, strict=True):
        assert np.abs(picture - scene.look("composite", scene.whole)).mean() < 8  # 4:2:0 of a hard-edged picture

    rows = list(csv.DictReader(io.StringIO(files["motion_Screen/Tap_one_r3_motion_Screen.csv"].decode())))
    assert [int(r["frame"]) for r in rows] == list(FRAMES)
    pane = shot.find(PANE, Pane)
    assert pane is not None
    for row in rows:
        written = np.array([[float(row[f"{a}{i}"]) for a in "xy"] for i in (1, 2, 3, 4)])
        assert np.abs(written - shot.corners_at(pane, int(row["frame"]))).max() < 1e-4


def test_the_preview_lists_what_the_zip_will_hold(
    client: TestClient, shot: EvaluatedShot, work: Callable[[], None]
) -> None:
    wanted = order(("union", "png8"), ("cover", "exr-half"), ("composite", "mp4"), ("motion", "json"))
    preview = client.post(f"/api/shots/{shot.id}/deliveries/preview", json=wanted).json()
    job = client.post(f"/api/shots/{shot.id}/deliveries", json=wanted).json()
    work()
    files = unpacked(client, job)
    expected = set()
    for line in preview["files"]:
        expected |= {line.replace("[0086-0097]", f"{f:04d}") for f in FRAMES}
    assert expected == set(files)
    assert preview["count"] == len(files)


def test_what_the_next_delivery_takes_is_learnt_from_the_last(
    client: TestClient, shot: EvaluatedShot, work: Callable[[], None]
) -> None:
    url = f"/api/shots/{shot.id}/deliveries/preview"
    assert client.post(url, json=order()).json()["estimate"] is None
    done = ordered(client, shot, work)
    told = client.post(url, json=order()).json()["estimate"]
    assert 0.7 * done["result"]["bytes"] < told["bytes"] < 1.3 * done["result"]["bytes"]
    half = client.post(url, json=order(last=91)).json()["estimate"]
    assert half["seconds"] == pytest.approx(told["seconds"] / 2, abs=0.11)


def test_remarks_say_what_might_surprise(client: TestClient, shot: EvaluatedShot) -> None:
    hide = {"type": "set-cover", "cover": shot.covers[0].id, "shown": False}
    client.post(f"/api/shots/{shot.id}/edits", json={"revision": 3, "edit": hide})
    remarks = client.post(f"/api/shots/{shot.id}/deliveries/preview", json=order()).json()["remarks"]
    assert remarks == ["Hidden, and so left out: Hand."]


def test_a_delivery_is_of_the_shot_as_it_was_when_ordered(
    client: TestClient, shot: EvaluatedShot, work: Callable[[], None], settings: Settings
) -> None:
    job = client.post(f"/api/shots/{shot.id}/deliveries", json=order(("union", "png8"))).json()
    client.post(f"/api/shots/{shot.id}/undo", json={"revision": 3})
    gone = {"type": "delete", "element": shot.covers[0].id}
    client.post(f"/api/shots/{shot.id}/edits", json={"revision": 4, "edit": gone})
    work()
    files = unpacked(client, job)
    scene = FrameScene(shot, 90, ExactPictures(settings.media))
    assert (
        np.asarray(Image.open(io.BytesIO(files["matte/Tap_one_r3_matte.0090.png"]))) == scene.look("matte", scene.whole)
    ).all()


@pytest.mark.parametrize(
    ("wanted", "said"),
    [
        ({"items": []}, "at least 1 item"),
        ({"items": [{"what": "cover", "form": "png8", "names": ["Gone"]}]}, "no cover “Gone”"),
        (order(pattern="{what}.{ext}"), "frame:04d"),
        (order(("union", "png8"), ("union", "png16")), "would both be written"),
        (order(pattern="../{what}.{frame:04d}.{ext}"), "leaves the delivery's folder"),
        (order(pattern="/{what}.{frame:04d}.{ext}"), "leaves the delivery's folder"),
        (order(pattern="{what.__class__}.{frame:04d}.{ext}"), "cannot be filled in"),
        (order(pattern="{what}" * 40 + "{frame:04d}"), "String should have at most 240"),
        (order(pattern="x" * 220 + "{what}{frame:04d}"), "too long"),
        (order(first=900, last=910), "holds no frame"),
        (order(crop=[0, 0, 5000, 10]), "does not lie in the plate"),
    ],
)
def test_what_cannot_be_delivered_is_said_at_once(
    client: TestClient, shot: EvaluatedShot, wanted: dict[str, Any], said: str
) -> None:
    for url in (f"/api/shots/{shot.id}/deliveries/preview", f"/api/shots/{shot.id}/deliveries"):
        answer = client.post(url, json=wanted)
        assert answer.status_code == 422
        assert said in answer.json()["detail"]
    assert client.get("/api/jobs").json()[0]["kind"] == "take-in"


def test_cancelling_a_running_delivery_leaves_no_file(
    client: TestClient,
    shot: EvaluatedShot,
    work: Callable[[], None],
    settings: Settings,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    job = client.post(f"/api/shots/{shot.id}/deliveries", json=order()).json()
    real = chunk.picture_file

    def cancelling(*args: Any) -> bytes:
        client.post(f"/api/jobs/{job['id']}/cancel")
        return real(*args)

    monkeypatch.setattr(chunk, "picture_file", cancelling)
    monkeypatch.setattr("wiseglove.jobs.run.EVERY", 0.0)
    monkeypatch.setattr(deliver, "EVERY", 0.0)
    work()
    (ended,) = [j for j in client.get("/api/jobs").json() if j["id"] == job["id"]]
    assert ended["state"] == "cancelled"
    assert list(settings.deliveries.iterdir()) == []
    assert client.get(f"/api/deliveries/{job['id']}.zip").status_code == 404


def test_a_delivery_whose_clip_is_gone_fails_with_a_sentence(
    client: TestClient, shot: EvaluatedShot, work: Callable[[], None], settings: Settings
) -> None:
    for path in settings.media.rglob("source/*"):
        path.write_bytes(b"")
    job = ordered(client, shot, work)
    assert job["state"] == "failed"
    assert "is empty" in job["message"]
    assert list(settings.deliveries.iterdir()) == []


def test_subjects_alone_are_a_delivery(client: TestClient, shot: EvaluatedShot, work: Callable[[], None]) -> None:
    revision = client.get(f"/api/shots/{shot.id}").json()["revision"]
    added = {"type": "add-subject", "frame": 86, "name": "Who"}
    assert client.post(f"/api/shots/{shot.id}/edits", json={"revision": revision, "edit": added}).is_success
    job = ordered(client, shot, work, ("subject", "png16"))
    assert job["state"] == "done", job
    names = [name for name in unpacked(client, job) if not name.endswith(".json")]
    assert names
    assert all("Who" in name for name in names)


def test_presets_are_kept_by_name_replaced_and_forgotten(client: TestClient) -> None:
    mine = {"name": "For the edit", "items": [{"what": "union", "form": "png8"}]}
    assert client.put("/api/presets", json=mine).status_code == 204
    assert client.put("/api/presets", json={**mine, "handles": 8}).status_code == 204
    known = client.get("/api/presets").json()
    assert [(p["name"], p["handles"]) for p in known["own"]] == [("For the edit", 8)]
    taken = client.put("/api/presets", json={**mine, "name": known["presets"][0]["name"]})
    assert (taken.status_code, "stays as it is" in taken.json()["detail"]) == (422, True)
    assert client.put("/api/presets", json={**mine, "items": []}).status_code == 422
    assert client.delete("/api/presets/For the edit").status_code == 204
    assert client.delete("/api/presets/For the edit").status_code == 404
    assert client.get("/api/presets").json()["own"] == []


def test_a_comment_goes_along_with_the_delivery(
    client: TestClient, shot: EvaluatedShot, work: Callable[[], None]
) -> None:
    versions = f"/api/shots/{shot.id}/versions"
    made = client.post(versions, json={"name": "First", "comment": "Thumb still rough.", "frame": 86}).json()
    for more, said in (
        ({"of": made["number"]}, "Thumb still rough."),
        ({"of": made["number"], "comment": "Final."}, "Final."),
        ({}, ""),
    ):
        package = unpacked(client, ordered(client, shot, work, ("shot", "json"), **more))
        assert json.loads(package["manifest.json"])["comment"] == said
