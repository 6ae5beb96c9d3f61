"""Documents that were written long ago: the demo shots with their journals as the first format had them.

The files in fixtures/ were taken from databases of migration 0002 and are never made anew. Beside the rows they hold what
that version showed: evaluated points on three frames, and each cover's matte at a quarter of the size.
"""

from __future__ import annotations

import base64
import json
import lzma
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import psycopg
import pytest
from psycopg import sql
from psycopg.types.json import Jsonb

from tests.builders import PlainPictures
from tests.databases import older
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.formats import CHANGES, ELEMENTS, FORMAT, NewerFormatError, upgraded, upgraded_shot
from wiseglove.shot.model import Carrier, Shot
from wiseglove.shot.render import FrameScene
from wiseglove.store import shots
from wiseglove.store.cluster import Cluster
from wiseglove.store.database import Database, migrate
from wiseglove.store.shapes import parsed

Old = dict[str, Any]
WRITTEN = sorted((Path(__file__).parent / "fixtures").glob("*.json.xz"))
JSON = {"plate", "info", "body", "edit", "before", "after"}


def value(name: str, held: Any) -> Any:
    if isinstance(held, dict) and set(held) == {"base64"}:
        return base64.b64decode(held["base64"])
    return Jsonb(held) if name in JSON else held


@pytest.fixture(params=WRITTEN, ids=lambda path: path.name.split(".")[0])
def old(request: pytest.FixtureRequest) -> Old:
    return dict(json.loads(lzma.decompress(request.param.read_bytes())))


@pytest.fixture
def database(cluster: Cluster, old: Old) -> Iterator[Database]:
    """A database of the older version with the shot in it, brought up to date."""
    with older(cluster, "0002") as url:
        with psycopg.connect(url) as connection:
            tables = {
                "clips": old["clips"],
                "shots": [old["shot"]],
                "elements": old["elements"],
                "journal": old["journal"],
            }
            for table, rows in (*tables.items(), ("shot_clips", old["shot_clips"])):
                for row in rows:
                    query = sql.SQL("insert into {} ({}) overriding system value values ({})").format(
                        sql.Identifier(table),
                        sql.SQL(", ").join(map(sql.Identifier, row)),
                        sql.SQL(", ").join([sql.Placeholder()] * len(row)),
                    )
                    connection.execute(query, [value(k, v) for k, v in row.items()])
        migrate(url)
        database = Database(url)
        yield database
        database.close()


def load(database: Database, old: Old) -> EvaluatedShot:
    with database.transaction() as session:
        return shots.load(session, old["shot"]["id"])


def step(database: Database, shot: EvaluatedShot, back: bool) -> EvaluatedShot:
    with database.transaction() as session:
        return (shots.undo if back else shots.redo)(session, shot.id, shot.revision).shot


def test_it_opens_and_looks_as_it_did(database: Database, old: Old) -> None:
    shot = load(database, old)
    assert shot.revision == old["shot"]["revision"]
    frames = old["expected"]["frames"]
    for element_id, expected in old["expected"]["points"].items():
        element = shot.elements[element_id]
        if isinstance(element, Carrier):
            motion = shot.motion(element)
            seen = motion.quads[[f - motion.first for f in frames]]
        else:
            seen = shot.points_at(element, frames)
        assert np.abs(seen - np.array(expected)).max() < 1e-6, element_id
    for name, picture in old["expected"]["mattes"].items():
        cover, frame = name.split(".")
        pixels = np.frombuffer(base64.b64decode(picture), np.uint8)
        expected_matte = cv2.imdecode(pixels, cv2.IMREAD_GRAYSCALE).astype(int)
        matte = np.round(FrameScene(shot, int(frame), PlainPictures(), 0.25).matte_of(cover) * 255).astype(int)
        assert np.abs(matte - expected_matte).max() <= 1, name


def test_every_step_of_its_journal_can_be_undone_and_done_again(database: Database, old: Old) -> None:
    """What the old journal held as whole bodies is what each step leads to."""
    shot = start = load(database, old)
    done = [entry for entry in old["journal"] if not entry["undone"]]
    for entry in reversed(done):
        shot = step(database, shot, back=True)
        assert_is(shot, entry["before"])
    for entry in done:
        shot = step(database, shot, back=False)
        assert_is(shot, entry["after"])
    assert shot.document.model_dump(exclude={"revision"}) == start.document.model_dump(exclude={"revision"})
    for entry in (entry for entry in old["journal"] if entry["undone"]):
        shot = step(database, shot, back=False)
        assert_is(shot, entry["after"])


def assert_is(shot: EvaluatedShot, bodies: dict[str, Any]) -> None:
    for element_id, body in bodies.items():
        expected = None if body is None else parsed(upgraded(body, 1, ELEMENTS))
        assert shot.elements.get(element_id) == expected


def test_a_whole_shot_that_was_queued_long_ago_is_read(old: Old) -> None:
    """As a delivery that was ordered before the update holds it: without a format, with shapes in the bodies."""
    elements = {}
    for row in old["elements"]:
        body = dict(row["body"])
        if row["shapes"] is not None:
            numbers = np.frombuffer(base64.b64decode(row["shapes"]["base64"]), "<f8")
            shapes = numbers.reshape(len(body["keys"]), len(body["kinds"]), 8).tolist()
            body["keys"] = [{**k, "points": p} for k, p in zip(body["keys"], shapes, strict=True)]
        elements[row["id"]] = body
    written = {"id": old["shot"]["id"], "revision": 3, "plate": old["shot"]["plate"], "elements": elements}
    shot = Shot.model_validate(upgraded_shot(written), strict=False)
    assert shot.format == FORMAT
    assert {i: e.kind for i, e in shot.elements.items()} == {row["id"]: row["kind"] for row in old["elements"]}


def test_what_a_newer_version_wrote_is_refused_in_words() -> None:
    with pytest.raises(NewerFormatError, match="by a newer Wise Glove"):
        upgraded({}, FORMAT + 1, CHANGES)
