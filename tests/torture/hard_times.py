"""A real database, server and worker that are killed, frozen and started again while pages and jobs go on.

Everything is on loopback and in a folder of its own. What is looked for: nothing acknowledged is lost, nothing is done twice,
no job stays for good, every shot can be read by a fresh process.
"""

from __future__ import annotations

import http.client
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from uuid import uuid4

from tests.builders import write_sequence
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.store import shots
from wiseglove.store.cluster import Cluster, ClusterError, free_port
from wiseglove.store.database import Database, migrate
from wiseglove.store.tables import JobRow, ShotRow

PATIENCE = 120.0
"""Seconds after which something that should have come by itself is called lost."""


class LostError(AssertionError):
    """Something did not come back."""


@dataclass
class Town:
    """The three processes, and how they are hurt."""

    folder: Path
    random: random.Random
    hurts: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.cluster = Cluster(self.folder / "postgres")
        self.cluster.start()
        self.cluster.ensure_database()
        self.url = self.cluster.url()
        migrate(self.url)
        self.port = free_port()
        self.children: dict[str, subprocess.Popen[bytes]] = {}
        for name in ("serve", "worker"):
            self.start(name)
        self.wait_for_server()

    def start(self, name: str) -> None:
        """Start the page's server or the worker."""
        words = {"serve": ["serve", "--port", str(self.port)], "worker": ["worker"]}[name]
        environment = {**os.environ, "WISEGLOVE_DATABASE_URL": self.url, "WISEGLOVE_FILES": str(self.folder / "files")}
        log = (self.folder / f"{name}.log").open("ab")
        program = [sys.executable, "-m", "wiseglove.cli", *words]
        self.children[name] = subprocess.Popen(program, env=environment, stdout=log, stderr=log)

    def wait_for_server(self) -> None:
        """Until it answers."""
        until = time.monotonic() + PATIENCE
        while time.monotonic() < until:
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{self.port}/healthz", timeout=5).close()
                return
            except (OSError, http.client.HTTPException):
                time.sleep(0.1)
        raise LostError("the server does not answer")

    def kill(self, what: str) -> None:
        """SIGKILL to one of them, and start it again."""
        self.hurts[what] = self.hurts.get(what, 0) + 1
        if what == "postgres":
            assert self.cluster.process is not None
            os.kill(self.cluster.process, signal.SIGKILL)
            until = time.monotonic() + PATIENCE
            while True:
                try:
                    time.sleep(0.3)
                    self.cluster.start(self.cluster.port)
                    break
                except ClusterError:  # its children are on their way out
                    if time.monotonic() > until:
                        raise
        else:
            self.children[what].kill()
            self.children[what].wait()
            self.start(what)

    def restart_database(self) -> None:
        """An orderly restart under everybody's feet."""
        self.hurts["restart"] = self.hurts.get("restart", 0) + 1
        self.cluster.stop()
        time.sleep(self.random.uniform(0.1, 2.0))
        self.cluster.start(self.cluster.port)

    def freeze(self, what: str, seconds: float) -> None:
        """SIGSTOP for a while."""
        self.hurts["freeze"] = self.hurts.get("freeze", 0) + 1
        self.children[what].send_signal(signal.SIGSTOP)
        time.sleep(seconds)
        self.children[what].send_signal(signal.SIGCONT)

    def end(self) -> None:
        """All of it ends."""
        for child in self.children.values():
            child.kill()
            child.wait()
        self.cluster.stop()

    # -- what a page does ----------------------------------------------------------------------------------------

    def ask(self, method: str, path: str, body: Any = None, raw: bytes | None = None) -> Any:
        """One request. Raises OSError where no answer came, HTTPError for one that says no."""
        data = raw if raw is not None else None if body is None else json.dumps(body).encode()
        kind = "application/octet-stream" if raw is not None else "application/json"
        address = f"http://127.0.0.1:{self.port}{path}"
        request = urllib.request.Request(address, data, {"Content-Type": kind}, method=method)
        with urllib.request.urlopen(request, timeout=30) as answer:
            content = answer.read()
        return json.loads(content) if content else None

    def insist(self, method: str, path: str, body: Any = None, raw: bytes | None = None) -> Any:
        """The same until there is an answer, as a page does that has lost one."""
        until = time.monotonic() + PATIENCE
        while True:
            try:
                return self.ask(method, path, body, raw)
            except urllib.error.HTTPError as error:
                if error.code < 500 or time.monotonic() > until:
                    raise
            except (OSError, http.client.HTTPException):
                if time.monotonic() > until:
                    raise
            time.sleep(0.1)

    def take_in(self, paths: list[Path], **what: Any) -> str:
        """An intake of files, up to the decoding; its id."""
        claims = [{"name": p.name, "size": p.stat().st_size} for p in paths]
        intake = str(self.insist("POST", "/api/intakes", {"files": claims, **what})["id"])
        for number, path in enumerate(paths):
            self.insist("PUT", f"/api/intakes/{intake}/files/{number}", raw=path.read_bytes())
        understood = self.insist("POST", f"/api/intakes/{intake}/understand")["understood"]
        names = ("name", "first", "rate_num", "rate_den", "pixel_aspect")
        try:
            self.insist("POST", f"/api/intakes/{intake}/accept", {n: understood[n] for n in names})
        except urllib.error.HTTPError as error:  # the answer to the first was lost, and it is being decoded
            if error.code != 409:
                raise
        return intake

    def wait_for_job(self, job: str) -> dict[str, Any]:
        """Until it has ended."""
        until = time.monotonic() + PATIENCE
        while time.monotonic() < until:
            found = next((j for j in self.insist("GET", "/api/jobs") if j["id"] == job), None)
            if found is not None and found["state"] in ("done", "failed", "cancelled"):
                return dict(found)
            time.sleep(0.2)
        raise LostError(f"job {job} has not ended: {found}")


@contextmanager
def town(seed: int) -> Iterator[Town]:
    """All of it, in a folder that goes with it."""
    folder = Path(tempfile.mkdtemp(prefix="wiseglove-torture-", dir="/var/tmp"))
    folder.chmod(0o755)
    made = Town(folder, random.Random(seed))
    try:
        yield made
    finally:
        made.end()
        shutil.rmtree(folder, ignore_errors=True)


def make_shot(place: Town, frames: int = 12, name: str = "plate") -> str:
    """A shot on a small plate; its id."""
    (place.folder / name).mkdir(exist_ok=True)
    intake = place.take_in(write_sequence(place.folder / name, range(1001, 1001 + frames)))
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until:
        found = place.insist("GET", f"/api/intakes/{intake}")
        if found["state"] == "done":
            return str(found["job"]["result"]["shot"])
        if found["state"] == "failed":
            raise LostError(found["message"])
        time.sleep(0.1)
    raise LostError("the plate was never decoded")


@dataclass
class Found:
    """What a round found."""

    what: str
    done: int
    hurts: int
    lost: int
    doubled: int


COVER = {"kinds": ["corner"] * 3, "points": [[20, 20, 0, 0, 0, 0], [70, 25, 0, 0, 0, 0], [40, 70, 0, 0, 0, 0]]}


def edits_under_kills(place: Town, count: int, every: int) -> Found:
    """Two pages rename a cover each, with kills in between: what was acknowledged is in the history once, in each page's order."""
    shot = make_shot(place)
    before = sum(place.hurts.values())
    covers = []
    for name in ("A", "B"):
        revision = place.insist("GET", f"/api/shots/{shot}")["revision"]
        body = {"type": "add-cover", "frame": 1001, "outline": COVER, "name": name}
        asked = {"revision": revision, "id": uuid4().hex, "edit": body}
        covers.append(place.insist("POST", f"/api/shots/{shot}/edits", asked)["made"])
    acknowledged: list[list[str]] = [[], []]

    def page(which: int) -> None:
        label = "AB"[which]
        for number in range(count // 2):
            if which == 0 and number % (every // 2) == every // 2 - 1:
                place.kill(place.random.choice(["serve", "worker", "postgres"]))
            name = f"{'AB'[which]}{number}"
            _edit(place, shot, {"type": "set-cover", "cover": covers[which], "name": name})
            acknowledged[which].append(f"Renamed {label} to {name}")
            label = name

    pages = [threading.Thread(target=page, args=(which,)) for which in range(2)]
    for each in pages:
        each.start()
    for each in pages:
        each.join()
    labels: list[str] = []
    while True:
        part = place.insist("GET", f"/api/shots/{shot}/history?limit=500&after={len(labels)}")
        labels += [past["label"] for past in part]
        if len(part) < 500:
            break
    renamed = [label for label in reversed(labels) if label.startswith("Renamed")]
    lost = sum(label not in renamed for label in [*acknowledged[0], *acknowledged[1]])
    for which in range(2):
        if not lost and [label for label in renamed if f"to {'AB'[which]}" in label] != acknowledged[which]:
            raise LostError(f"the history is out of order: {renamed}")
    done = len(acknowledged[0]) + len(acknowledged[1])
    return Found("edits of two pages", done, sum(place.hurts.values()) - before, lost, len(renamed) - len(set(renamed)))


def _edit(place: Town, shot: str, edit: dict[str, Any]) -> None:
    """One edit, sent until it is acknowledged, under one id."""
    edit_id = uuid4().hex
    while True:
        revision = place.insist("GET", f"/api/shots/{shot}")["revision"]
        try:
            place.insist("POST", f"/api/shots/{shot}/edits", {"revision": revision, "id": edit_id, "edit": edit})
            return
        except urllib.error.HTTPError as error:
            if error.code != 409:
                raise


def jobs_under(place: Town, hurt: str, count: int) -> Found:
    """Plates taken in and deliveries rendered while something is done to the worker or its database: all of them end, once."""
    lost = doubled = 0
    hurts = sum(place.hurts.values())
    for number in range(count):
        name = f"{hurt}{number}"
        (place.folder / name).mkdir()
        intake = place.take_in(write_sequence(place.folder / name, range(1001, 1041)))
        time.sleep(place.random.uniform(0, 0.8))
        _hurt(place, hurt)
        job = place.insist("GET", f"/api/intakes/{intake}")["job"]
        ended = place.wait_for_job(job["id"])
        if ended["state"] != "done":
            lost += 1
            continue
        shot = ended["result"]["shot"]
        media = place.insist("GET", f"/api/shots/{shot}")["plate"]["media"]
        same = [s for s in place.insist("GET", "/api/shots") if s["plate"]["media"] == media]
        order = place.insist("POST", f"/api/shots/{shot}/deliveries", {"items": [{"what": "union", "form": "png8"}]})
        time.sleep(place.random.uniform(0, 0.5))
        _hurt(place, hurt)
        lost += place.wait_for_job(order["id"])["state"] != "done"
        doubled += len(same) - 1
        place.insist("DELETE", f"/api/shots/{shot}")
    return Found(f"jobs, {hurt}", 2 * count, sum(place.hurts.values()) - hurts, lost, doubled)


def _hurt(place: Town, how: str) -> None:
    if how == "kill":
        place.kill("worker")
    elif how == "freeze":
        place.freeze("worker", place.random.uniform(0.5, 3.0))
    elif how == "restart":
        place.restart_database()
    else:
        place.kill("postgres")


def all_readable(place: Town) -> int:
    """Every shot read by a process that has none at hand; how many. No job is under way without a worker's doing."""
    database = Database(place.url)
    with database.transaction() as session:
        found = [row.id for row in session.query(ShotRow)]
        going = session.query(JobRow).filter(JobRow.state.in_(["queued", "running"])).count()
        for shot in found:
            loaded = shots.load(session, shot)
            assert loaded.document.elements == EvaluatedShot.of(loaded.document).document.elements
            assert (place.folder / "files" / "media" / loaded.plate.media / "clip.json").is_file()
    database.close()
    if going:
        raise LostError(f"{going} jobs are still going on")
    return len(found)
