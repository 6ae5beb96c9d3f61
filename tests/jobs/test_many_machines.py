"""One delivery by several workers: own processes, own folders, one database and one store."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from uuid import uuid4

import boto3
import cv2
import pytest
from moto.server import ThreadedMotoServer
from sqlalchemy import select

from tests.builders import draft, numbered_picture
from wiseglove.delivery.preset import Preset
from wiseglove.jobs.deliver import Ordered, render_next
from wiseglove.jobs.putting import Queue
from wiseglove.jobs.queue import KINDS
from wiseglove.jobs.run import execute
from wiseglove.media import clip
from wiseglove.media.identity import content_id, hashed
from wiseglove.media.probe import probe
from wiseglove.settings import Settings
from wiseglove.shot.edits import AddCover
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import new_shot
from wiseglove.store import chunks, clips, jobs, workers
from wiseglove.store.database import Database
from wiseglove.store.errors import StoreError
from wiseglove.store.objects import Objects
from wiseglove.store.tables import ChunkRow, JobRow

COUNT, WIDE, HIGH = 96, 320, 240  # four pieces, for three workers
PRESET = {
    "items": [
        {"what": "union", "form": "png16"},
        {"what": "composite", "form": "mp4"},
        {"what": "cover", "form": "exr-half"},
    ]
}


def plate_in(store: Objects, folder: Path) -> EvaluatedShot:
    """A clip in the store and nowhere else, and a shot of it."""
    source = folder / "made" / "source"
    source.mkdir(parents=True)
    paths = [source / f"tap.{number}.png" for number in range(1001, 1001 + COUNT)]
    for number, path in enumerate(paths):
        cv2.imwrite(str(path), numbered_picture(number, WIDE, HIGH))
    understood = probe(paths)
    info = clip.decode(source, folder / "made", understood, lambda done, all_: None)
    clip_id = content_id(understood, hashed(source, understood.files))
    store.push(folder / "made", f"media/{clip_id}")
    shot = EvaluatedShot.of(new_shot("s1", "Tap", clips.plate_of(clip_id, info)))
    edit = AddCover(type="add-cover", frame=1001, outline=draft(), name="Hand")
    return shot.advanced(shot.document.with_elements(edit.apply(shot).after, 1))


@pytest.fixture(scope="module")
def buckets() -> Iterator[Callable[[], str]]:
    """A store behind the S3 protocol, on loopback; each process finds it by the environment. Makes a bucket."""
    server = ThreadedMotoServer("127.0.0.1", 0)
    server.start()
    _, port = server.get_host_and_port()
    with pytest.MonkeyPatch.context() as patch:
        for name, value in {"ENDPOINT_URL": f"http://127.0.0.1:{port}", "ACCESS_KEY_ID": "made", "SECRET_ACCESS_KEY": "up",
                            "DEFAULT_REGION": "us-east-1"}.items():  # fmt: skip
            patch.setenv(f"AWS_{name}", value)

        def made() -> str:
            name = f"greenhouse-{uuid4().hex[:8]}"
            boto3.client("s3").create_bucket(Bucket=name)
            return name

        yield made
    server.stop()


@pytest.fixture
def shared(
    settings: Settings, buckets: Callable[[], str], tmp_path: Path, request: pytest.FixtureRequest
) -> Iterator[Settings]:
    """Behind S3, or in a folder, which is quicker, where a test says so."""
    place = f"file://{tmp_path}/store" if getattr(request, "param", "") == "file" else f"s3://{buckets()}/lantern-lane"
    clips.bring_from(place, settings.media, shown=False)
    yield settings.model_copy(update={"store": place})
    clip.bring_missing(settings.media, None)


@pytest.fixture
def order(database: Database, shared: Settings, tmp_path: Path) -> Callable[[], str]:
    shot = plate_in(Objects(shared.store), tmp_path)

    def put() -> str:
        payload = {"shot": shot.document.model_dump(mode="json"), "preset": PRESET}
        with database.transaction() as session:
            return Queue(shared.database_url).put(session, "deliver", "Test", payload).id

    return put


@pytest.fixture
def worker(shared: Settings, tmp_path: Path) -> Iterator[Callable[[str], subprocess.Popen[bytes]]]:
    started: list[subprocess.Popen[bytes]] = []

    def start(name: str) -> subprocess.Popen[bytes]:
        environment = {
            **os.environ, "WISEGLOVE_DATABASE_URL": shared.database_url, "WISEGLOVE_FILES": str(tmp_path / name),
            "WISEGLOVE_STORE": shared.store, "WISEGLOVE_WORKERS": "1",
        }  # fmt: skip
        words = [sys.executable, "-m", "wiseglove.cli", "worker", "--queues", "render"]
        log = (tmp_path / f"{name}.log").open("wb")
        started.append(subprocess.Popen(words, env=environment, stdout=log, stderr=log))
        return started[-1]

    yield start
    for process in started:
        process.send_signal(signal.SIGCONT)
        process.kill()
        process.wait()


def standing(database: Database, job: str) -> list[ChunkRow]:
    with database.transaction() as session:
        return list(session.scalars(select(ChunkRow).where(ChunkRow.job == job).order_by(ChunkRow.number)))


def there(database: Database) -> list[str]:
    """Workers that have said that they are there."""
    with database.transaction() as session:
        return [w.name for w in workers.alive(session, 60.0)]


def until(what: Callable[[], bool], patience: float = 240.0) -> None:
    end = time.monotonic() + patience
    while not what():
        assert time.monotonic() < end
        time.sleep(0.1)


def job(database: Database, which: str) -> JobRow:
    with database.transaction() as session:
        return jobs.get(session, which)


def test_three_workers_of_which_one_is_killed_and_one_frozen_give_the_bits_of_a_single_one(
    database: Database, shared: Settings, order: Callable[[], str], worker: Callable[[str], subprocess.Popen[bytes]],
    tmp_path: Path,
) -> None:  # fmt: skip
    alone = order()
    code, failed = KINDS["deliver"]
    execute(database, shared, alone, code, failed)
    assert job(database, alone).state == "done", job(database, alone).message
    crowd = {name: worker(name) for name in ("one", "two", "three")}
    until(lambda: len(there(database)) == 3)  # ready, so that none of them comes when all is done
    together = order()
    by_pid = {str(p.pid): p for p in crowd.values()}

    def at_work() -> dict[str, int]:
        rows = standing(database, together)
        return {str(r.worker).rpartition(":")[2]: r.number for r in rows if r.state == "doing"}

    until(lambda: len(at_work()) >= 2)
    first, second = list(at_work())[:2]
    by_pid[first].kill()
    by_pid[second].send_signal(signal.SIGSTOP)
    silent = time.monotonic()
    until(lambda: job(database, together).state == "done")
    assert max(r.attempt for r in standing(database, together)) > 1  # somebody took over what was left
    by_pid[second].send_signal(signal.SIGCONT)  # it wakes up late, and changes nothing
    time.sleep(max(0.0, 1.0 - (time.monotonic() - silent)))
    store = Objects(shared.store)
    made = []
    for which in (alone, together):
        assert store.pull(f"deliveries/{which}.zip", tmp_path / f"{which}.zip")
        made.append((tmp_path / f"{which}.zip").read_bytes())
    assert made[0] == made[1]


@pytest.mark.parametrize("shared", ["file"], indirect=True)
def test_a_worker_that_wakes_up_late_cannot_have_its_piece_count(
    database: Database, shared: Settings, order: Callable[[], str], monkeypatch: pytest.MonkeyPatch
) -> None:
    which = order()
    with database.transaction() as session:
        row = jobs.begin(session, which)
        assert row is not None
        payload = dict(row.payload)
    ordered = Ordered(shared, which, payload)
    assert isinstance(ordered.plan.preset, Preset)
    with database.transaction() as session:
        chunks.lay_out(session, which, len(ordered.plan.chunks))
        assert chunks.take(session, which, "slow") == (0, 1)
    with database.transaction() as session:  # it is not heard of for long
        session.get(ChunkRow, (which, 0)).seen_at = session.get(JobRow, which).made_at.replace(year=2020)  # type: ignore[union-attr]
    with database.transaction() as session:
        assert chunks.take(session, which, "quick") == (0, 2)
    with database.transaction() as session:
        assert not chunks.heard(session, which, 0, 1, 3)
        assert not chunks.settle(session, which, 0, 1, 24)
        assert chunks.settle(session, which, 0, 2, 24)
    with database.transaction() as session:
        jobs.ask_to_stop(session, which)
    assert not render_next(database, ordered)  # nobody wants it any more


@pytest.mark.parametrize("kind", ["s3", "file"])
def test_files_and_folders_are_put_brought_and_removed(kind: str, buckets: Callable[[], str], tmp_path: Path) -> None:
    store = Objects(f"s3://{buckets()}" if kind == "s3" else f"file://{tmp_path}/store")
    (tmp_path / "a" / "deep").mkdir(parents=True)
    (tmp_path / "a" / "deep" / "one.png").write_bytes(b"1" * 70_000)
    (tmp_path / "a" / "two.json").write_bytes(b"")
    store.push(tmp_path / "a", "media/a")
    store.push(tmp_path / "a" / "two.json", "two.json")
    assert store.pull("media/a", tmp_path / "b")
    assert {p.relative_to(tmp_path / "b").as_posix(): p.stat().st_size for p in (tmp_path / "b").rglob("*.*")} == {
        "deep/one.png": 70_000, "two.json": 0,
    }  # fmt: skip
    assert store.pull("two.json", tmp_path / "three.json")
    store.remove("media/a")
    assert not store.pull("media/a", tmp_path / "c")
    assert not (tmp_path / "c").exists()
    store.remove("media/a")  # which is not there any more


@pytest.mark.parametrize("shared", ["file"], indirect=True)
def test_a_clip_is_brought_when_it_is_looked_for_and_its_display_copies_only_where_they_are_shown(
    shared: Settings, tmp_path: Path
) -> None:
    shot = plate_in(Objects(shared.store), tmp_path)
    worker, server = tmp_path / "worker", tmp_path / "server"
    for media, shown in ((worker, False), (server, True)):
        clips.bring_from(shared.store, media, shown)
        try:
            folder = clip.folder_of(media, shot.plate.media)
        finally:
            clip.bring_missing(media, None)
        assert clip.read_info(folder).count == COUNT
        assert (clip.ClipReader(folder).read(7) == numbered_picture(7, WIDE, HIGH)[..., ::-1]).all()
        assert clip.full_path(folder, 7).is_file() == clip.proxy_path(folder, 7).is_file() == shown


def test_a_store_that_does_not_answer_is_said_so(buckets: Callable[[], str], tmp_path: Path) -> None:
    buckets()
    nowhere = Objects("s3://nobody-made-this-one/at-all")
    (tmp_path / "a.json").write_bytes(b"{}")
    with pytest.raises(StoreError, match="The store s3://nobody-made-this-one/at-all cannot be"):
        nowhere.push(tmp_path / "a.json", "a.json")
    with pytest.raises(StoreError, match="cannot be used here"):
        Objects("beans://somewhere")
