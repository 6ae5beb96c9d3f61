from __future__ import annotations

import errno
import json
import socket
import threading
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import uvicorn
from fastapi.testclient import TestClient

from tests.api.conftest import correction, send
from tests.builders import numbered_picture, write_movie, write_sequence
from wiseglove.api.app import create_app
from wiseglove.jobs import take_in as take_in_job
from wiseglove.media import clip
from wiseglove.media.info import Limits
from wiseglove.settings import Settings
from wiseglove.store.database import Database

TakeIn = Callable[..., dict[str, Any]]


def left_behind(settings: Settings) -> list[str]:
    folders = (settings.media, settings.intakes, settings.deliveries)
    return [str(p) for folder in folders for p in folder.iterdir()]


def test_a_movie_becomes_a_shot(client: TestClient, take_in: TakeIn, tmp_path: Path) -> None:
    done = take_in([write_movie(tmp_path / "tap.mp4", 12)], {"name": "Tap one", "first": 86, "rate_num": 24})
    assert done["state"] == "done"
    assert done["job"]["message"] == "Took in 12 frames of Tap one."
    (card,) = client.get("/api/shots").json()
    assert card["name"] == "Tap one"
    assert (card["plate"]["first"], card["plate"]["count"], card["plate"]["rate_num"]) == (86, 12, 24)
    assert client.get(f"/api/intakes/{done['id']}/picture.jpg").status_code == 404
    clip_id = card["plate"]["media"]
    for size in ("full", "proxy"):
        picture = client.get(f"/api/clips/{clip_id}/{size}/11.jpg")
        assert picture.status_code == 200
        assert "immutable" in picture.headers["cache-control"]
    assert client.get(f"/api/clips/{clip_id}/full/12.jpg").status_code == 404


def test_small_pictures_come_together_and_all_or_none_of_them_are_kept(client: TestClient, tmp_path: Path) -> None:
    paths = write_sequence(tmp_path / "s", [1001, 1002, 1003])
    claims = [{"name": p.name, "size": p.stat().st_size} for p in paths]
    intake = client.post("/api/intakes", json={"files": claims}).json()["id"]
    at = f"/api/intakes/{intake}"

    def together(*named: tuple[str, bytes]) -> tuple[int, str]:
        answer = client.post(f"{at}/files", files=[("files", each) for each in named])
        return answer.status_code, answer.text

    first, second, third = (p.read_bytes() for p in paths)
    for wrong, words in (
        ([("0", first), ("1", second[:-5])], "was cut off after"),
        ([("0", first), ("7", second)], "File 7 was not announced"),
        ([("0", first), ("0", first)], "not told apart by their numbers"),
        ([("0", first), ("../1", second)], "not told apart by their numbers"),
    ):
        status, text = together(*wrong)
        assert (status, words in text) == (409, True), text
    assert "has not arrived yet" in client.post(f"{at}/understand").json()["detail"]
    assert together(("2", third), ("0", first))[0] == 204
    assert client.put(f"{at}/files/1", content=second).status_code == 204
    understood = client.post(f"{at}/understand").json()["understood"]
    assert (understood["first"], understood["count"], understood["gaps"]) == (1001, 3, [])


def test_a_sequence_with_gaps_is_taken_only_when_the_artist_says_hold(
    client: TestClient, work: Callable[[], None], tmp_path: Path, settings: Settings
) -> None:
    intake = send(client, write_sequence(tmp_path / "s", [1001, 1002, 1005]))
    assert client.get(f"/api/intakes/{intake['id']}/picture.jpg").headers["content-type"] == "image/jpeg"
    assert intake["understood"]["gaps"] == [{"first": 1003, "last": 1004}]
    refused = client.post(f"/api/intakes/{intake['id']}/accept", json=correction(intake))
    assert refused.status_code == 409
    assert "hold the frame before each gap" in refused.json()["detail"]
    client.post(f"/api/intakes/{intake['id']}/accept", json=correction(intake, hold_gaps=True))
    work()
    (card,) = client.get("/api/shots").json()
    assert (card["plate"]["first"], card["plate"]["count"]) == (1001, 5)
    reader = clip.ClipReader(settings.media / card["plate"]["media"])
    assert (reader.read(3) == numbered_picture(1002)).all()


def test_a_table_that_comes_later_makes_it_another_clip_and_its_picture_another_one(
    client: TestClient, take_in: TakeIn, work: Callable[[], None], tmp_path: Path, settings: Settings
) -> None:
    paths = write_sequence(tmp_path / "s", [1, 2])
    plain = take_in(paths)["job"]["result"]["clip"]
    at = f"/api/intakes/{send(client, paths)['id']}"
    before = client.get(f"{at}/picture.jpg").content
    swap = "LUT_3D_SIZE 2\n" + "\n".join(f"{g} {r} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
    for content, name, words in (
        (swap, "swap.txt", "is no .cube file"),
        ("seeds", "swap.cube", "cannot be read as a look-up table"),
    ):
        answer = client.put(f"{at}/lut", params={"name": name}, content=content)
        assert (answer.is_client_error, words in answer.json()["detail"]) == (True, True), answer.text
    assert client.get(at).json()["understood"]["light"] == "usual"
    refused = client.post(f"{at}/accept", json=correction(client.get(at).json(), light="lut"))
    assert "No look-up table came" in refused.json()["detail"]
    intake = client.put(f"{at}/lut", params={"name": "swap.cube"}, content=swap).json()
    assert (intake["understood"]["light"], intake["understood"]["lut_name"]) == ("lut", "swap.cube")
    assert client.get(f"{at}/picture.jpg").content != before
    assert client.get(f"{at}/picture.jpg", params={"light": "usual"}).content == before
    refused = client.post(f"{at}/accept", json=correction(intake, layer="lamp"))
    assert "no layer “lamp”" in refused.json()["detail"]
    client.post(f"{at}/accept", json=correction(intake, light="lut"))
    work()
    graded = client.get(at).json()["job"]["result"]["clip"]
    assert graded != plain
    seen = clip.ClipReader(settings.media / graded).read(1)
    assert np.abs(seen / 257 - numbered_picture(2)[..., [1, 0, 2]]).max() < 0.02


def test_the_same_files_again_share_one_clip(
    client: TestClient, take_in: TakeIn, tmp_path: Path, settings: Settings
) -> None:
    paths = write_sequence(tmp_path / "s", [1, 2, 3])
    take_in(paths)
    take_in(paths, {"name": "Again", "first": 500})
    cards = client.get("/api/shots").json()
    assert len(cards) == 2
    assert {c["plate"]["first"] for c in cards} == {1, 500}
    assert len(list(settings.media.iterdir())) == 1
    client.delete(f"/api/shots/{cards[0]['id']}")
    assert len(list(settings.media.iterdir())) == 1
    client.delete(f"/api/shots/{cards[1]['id']}")
    assert left_behind(settings) == []


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("empty.mp4", b"", "is empty"),
        ("list.mp4", b"seeds, twine, gloves\n" * 50, "cannot be read as a movie"),
        ("list.png", b"seeds", "damaged"),
        ("list.doc", b"seeds", "cannot be read as a movie"),
    ],
)
def test_what_is_no_plate_is_refused_and_nothing_stays(
    client: TestClient, settings: Settings, tmp_path: Path, name: str, content: bytes, says: str
) -> None:
    (tmp_path / name).write_bytes(content)
    answer = send(client, [tmp_path / name])
    assert says in answer["detail"]
    assert "Nothing was taken in" in answer["detail"]
    assert left_behind(settings) == []
    assert client.get("/api/intakes").json() == []


def test_a_plate_larger_than_the_limit_is_refused(settings: Settings, tmp_path: Path) -> None:
    small = settings.model_copy(update={"limits": Limits(width=64, height=64), "largest_file": 100_000})
    with TestClient(create_app(small)) as client:
        assert "at most 64x64" in send(client, write_sequence(tmp_path, [1, 2]))["detail"]
        big = client.post("/api/intakes", json={"files": [{"name": "a.mp4", "size": 200_000}]})
        assert big.status_code == 409
        assert "takes at most" in big.json()["detail"]
    assert left_behind(settings) == []


def test_damage_in_the_middle_fails_the_job_and_spares_the_other_shots(
    client: TestClient, take_in: TakeIn, tmp_path: Path, settings: Settings
) -> None:
    take_in(write_sequence(tmp_path / "good", [1, 2, 3]))
    paths = write_sequence(tmp_path / "bad", range(1, 6))
    paths[3].write_bytes(paths[3].read_bytes()[:600])
    failed = take_in(paths)
    assert failed["state"] == "failed"
    assert "tap.0004.png" in failed["message"]
    assert len(client.get("/api/shots").json()) == 1
    assert len(list(settings.media.iterdir())) == 1
    assert [p.name for p in (settings.intakes / failed["id"]).iterdir()] == ["source"]
    assert client.delete(f"/api/intakes/{failed['id']}").status_code == 204
    assert list(settings.intakes.iterdir()) == []


def test_a_full_disk_while_decoding_can_be_tried_again(
    client: TestClient,
    take_in: TakeIn,
    work: Callable[[], None],
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    settings: Settings,
) -> None:
    real = clip.write_file

    def full(path: Path, data: bytes) -> None:
        if path.name == "000002.jpg":
            raise OSError(errno.ENOSPC, "No space left on device")
        real(path, data)

    monkeypatch.setattr(clip, "write_file", full)
    monkeypatch.setattr(take_in_job, "guarded", lambda task, *args, memory, progress: task(*args, progress))
    failed = take_in(write_sequence(tmp_path, range(1, 6)))
    assert failed["state"] == "failed"
    assert "disk is full" in failed["message"]
    assert list(settings.media.iterdir()) == []
    monkeypatch.setattr(clip, "write_file", real)
    again = client.post(f"/api/intakes/{failed['id']}/accept", json=correction(failed))
    assert again.status_code == 200
    work()
    assert client.get(f"/api/intakes/{failed['id']}").json()["state"] == "done"


def test_cancelling_before_it_begins_keeps_the_files_for_another_try(
    client: TestClient, work: Callable[[], None], tmp_path: Path
) -> None:
    intake = send(client, write_sequence(tmp_path, range(1, 6)))
    accepted = client.post(f"/api/intakes/{intake['id']}/accept", json=correction(intake)).json()
    cancelled = client.post(f"/api/jobs/{accepted['job']['id']}/cancel").json()
    assert cancelled["state"] == "cancelled"
    work()
    assert client.get("/api/shots").json() == []
    client.post(f"/api/intakes/{intake['id']}/accept", json=correction(intake))
    work()
    assert len(client.get("/api/shots").json()) == 1


def test_bytes_that_differ_from_what_was_announced_are_refused(client: TestClient, settings: Settings) -> None:
    intake = client.post("/api/intakes", json={"files": [{"name": "a.png", "size": 10}]}).json()["id"]
    for content, says in ((b"x" * 11, "larger than was announced"), (b"x" * 9, "cut off after 9 of 10 bytes")):
        answer = client.put(f"/api/intakes/{intake}/files/0", content=content)
        assert answer.status_code == 409
        assert says in answer.json()["detail"]
    assert client.put(f"/api/intakes/{intake}/files/1", content=b"x").status_code == 409
    early = client.post(f"/api/intakes/{intake}/understand")
    assert "has not arrived yet" in early.json()["detail"]
    assert list((settings.intakes / intake / "source").iterdir()) == []
    assert [p.name for p in (settings.intakes / intake).iterdir()] == ["source"]


@pytest.mark.parametrize(
    "name", ["../../escape.png", "..", "clip.json", "a\0b.png", "\u624b" * 86 + ".png", "x.\u624b", "."]
)
def test_files_are_kept_under_names_that_are_made_here(
    client: TestClient, settings: Settings, name: str, tmp_path: Path
) -> None:
    picture = write_sequence(tmp_path, [1])[0].read_bytes()
    begun = client.post("/api/intakes", json={"files": [{"name": name, "size": len(picture)}]})
    assert begun.status_code == 201, begun.text
    intake = begun.json()["id"]
    assert client.put(f"/api/intakes/{intake}/files/0", content=picture).status_code == 204
    (kept,) = (settings.intakes / intake / "source").iterdir()
    assert kept.name in ("000000", "000000.png", "000000.json")
    assert client.post(f"/api/intakes/{intake}/understand").status_code in (200, 422)


@pytest.mark.parametrize(
    "changes",
    [
        {"first": -1},
        {"rate_num": 0},
        {"pixel_aspect": 0},
        {"name": ""},
        {"name": "x" * 81},
        {"count": 4},
        {"rate_den": 1.5},
    ],
)
def test_senseless_corrections_are_refused(client: TestClient, tmp_path: Path, changes: dict[str, Any]) -> None:
    intake = send(client, write_sequence(tmp_path, [1, 2]))
    answer = client.post(f"/api/intakes/{intake['id']}/accept", json=correction(intake, **changes))
    assert answer.status_code == 422
    assert next(iter(changes)) in answer.json()["detail"]
    assert client.get(f"/api/intakes/{intake['id']}").json()["state"] == "understood"


def test_a_still_and_a_clip_become_inserts_of_a_shot(client: TestClient, take_in: TakeIn, tmp_path: Path) -> None:
    take_in(write_sequence(tmp_path / "p", range(1, 4)))
    (card,) = client.get("/api/shots").json()
    take_in(write_sequence(tmp_path / "i", [7]), purpose="insert", shot=card["id"])
    take_in([write_movie(tmp_path / "clip.mp4", 6)], purpose="insert", shot=card["id"])
    kinds = {c["info"]["kind"] for c in client.get(f"/api/shots/{card['id']}/clips").json()}
    assert kinds == {"still", "movie"}
    lost = client.post(
        "/api/intakes", json={"purpose": "insert", "shot": "nothere", "files": [{"name": "a.png", "size": 1}]}
    )
    assert lost.status_code == 404


@pytest.fixture
def served(settings: Settings) -> Iterator[int]:
    """A real server, for what only sockets can show."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(create_app(settings), host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    yield port
    server.should_exit = True
    thread.join()


def test_an_upload_cut_in_the_middle_leaves_nothing_and_can_be_sent_again(
    served: int, settings: Settings, database: Database, tmp_path: Path
) -> None:
    def call(method: str, path: str, body: bytes, kind: str = "application/json") -> bytes:
        request = urllib.request.Request(
            f"http://127.0.0.1:{served}{path}", data=body, method=method, headers={"Content-Type": kind}
        )
        with urllib.request.urlopen(request) as answer:
            return bytes(answer.read())

    (path,) = write_sequence(tmp_path, [1])
    data = path.read_bytes() + bytes(5_000_000)  # more than is kept in memory
    claim = json.dumps({"files": [{"name": path.name, "size": len(data)}]}).encode()
    intake = json.loads(call("POST", "/api/intakes", claim))["id"]
    head = f"PUT /api/intakes/{intake}/files/0 HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {len(data)}\r\n\r\n"
    with socket.create_connection(("127.0.0.1", served)) as cut:
        cut.sendall(head.encode() + data[: len(data) // 2])
        time.sleep(0.3)
        assert list((settings.intakes / intake).glob("*.part"))
    for _ in range(100):
        if not list((settings.intakes / intake).glob("*.part")):
            break
        time.sleep(0.05)
    assert [p.name for p in (settings.intakes / intake).rglob("*")] == ["source"]
    call("PUT", f"/api/intakes/{intake}/files/0", data, "application/octet-stream")
    understood = json.loads(call("POST", f"/api/intakes/{intake}/understand", b""))
    assert understood["state"] == "understood"
