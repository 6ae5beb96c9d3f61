"""Requests made from the API's own description: none is answered with 5xx, and what was accepted can be read again.

Schemathesis makes the requests of each operation (a stateful run follows what answers lead to), bounded in `make test`;
`make fuzz` makes ten thousand.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from random import Random
from typing import Any

import pytest
import schemathesis
from fastapi import FastAPI
from hypothesis import HealthCheck, Phase, given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st

from tests.api.conftest import edit
from wiseglove.settings import Settings
from wiseglove.store import shots
from wiseglove.store.database import Database
from wiseglove.store.tables import ShotRow

CASES = int(os.environ.get("WISEGLOVE_FUZZ", "600"))
LEFT_OUT = {"events"}
"""An endless stream."""
IDS = (
    "element",
    "cover",
    "outline",
    "pane",
    "carrier",
    "subject",
    "group",
    "region",
    "joint",
    "point",
    "rides",
    "begins",
)
"""Fields of edits that name an element."""


@pytest.fixture
def busy_shot(client: Any, shot: str) -> str:
    """A shot with something of each kind."""
    outline = {
        "kinds": ["smooth"] * 4,
        "points": [[30, 20, 0, 0, 0, 0], [60, 20, 0, 0, 0, 0], [60, 60, 0, 0, 0, 0], [30, 60, 0, 0, 0, 0]],
    }
    corners = [[10, 10], [90, 12], [88, 70], [12, 68]]
    for number in range(2):
        edit(client, shot, type="add-cover", frame=1001, outline=outline, outline_id=f"hand{number}")
    edit(client, shot, type="add-pane", frame=1001, corners=corners, id="screen")
    patch = [[*corner, 0, 0, 0, 0] for corner in corners]
    edit(client, shot, type="add-carrier", frame=1001, id="panel", patch=patch)
    edit(client, shot, type="add-subject", frame=1001, id="who")
    return shot


def aimed(value: Any, ids: list[str], choose: Callable[[list[str]], str]) -> Any:
    """A request's body whose names of elements are those of elements that are there, most of the time."""
    if isinstance(value, list):
        return [aimed(v, ids, choose) for v in value]
    if not isinstance(value, dict):
        return value
    out = {}
    for name, inner in value.items():
        if name in IDS and isinstance(inner, str):
            out[name] = choose([*ids, inner])
        elif name in ("covers", "elements", "depth") and isinstance(inner, list):
            out[name] = [choose(ids) for _ in inner]
        elif name in ("frame", "at", "first", "last", "to") and isinstance(inner, int):
            out[name] = 995 + inner % 22
        else:
            out[name] = aimed(inner, ids, choose)
    return out


def test_no_request_is_answered_with_a_fault_and_what_is_accepted_can_be_read(
    settings: Settings, client: Any, busy_shot: str, database: Database
) -> None:
    app = client.app
    assert isinstance(app, FastAPI)
    schema = schemathesis.openapi.from_dict(app.openapi())
    operations = [result.ok() for result in schema.get_all_operations()]
    wanted = [o for o in operations if o.definition.raw["operationId"] not in LEFT_OUT]
    assert len(wanted) > 40
    asked: dict[str, int] = {}
    accepted = 0

    def ask(case: Any, choose: Callable[[list[str]], str]) -> None:
        nonlocal accepted
        name = case.operation.definition.raw["operationId"]
        path = dict(case.path_parameters or {})
        if "shot_id" in path:
            path["shot_id"] = choose([busy_shot, busy_shot, busy_shot, path["shot_id"]])
        body = case.body
        with database.transaction() as session:
            known = session.get(ShotRow, busy_shot)
            if known is None:
                pytest.fail("the shot has gone")
            revision = known.revision
            ids = sorted(shots.load(session, busy_shot).elements)
        for part in ("element", "outline", "subject", "carrier"):
            if part in path:
                path[part] = choose([*ids, path[part]])
        if isinstance(body, dict):
            body = aimed(body, ids, choose)
            if "revision" in body:
                body["revision"] = revision
        if name == "delete_shot":
            path["shot_id"] = "nothere"
        address = case.operation.path
        for part, value in path.items():
            address = address.replace(
                "{" + part + "}", str(value).replace("/", "%2F").replace("?", "%3F").replace("#", "%23")
            )
        query = {k: v for k, v in (case.query or {}).items() if v is not None}
        sent = {"json": body} if isinstance(body, dict | list) else {}
        answer = client.request(case.method, address, params=query, **sent)
        asked[name] = asked.get(name, 0) + 1
        assert answer.status_code < 500, f"{case.method} {address} {query} {body}: {answer.text}"
        if answer.status_code >= 400:
            assert answer.json()["detail"]
        elif name in ("apply_edit", "undo", "redo"):
            accepted += 1
            fresh = Database(settings.database_url)
            with fresh.transaction() as session:
                shots.load(session, busy_shot)
            fresh.close()

    each = max(CASES // (len(wanted) + 20), 3)
    for operation in wanted:
        count = each * (20 if operation.definition.raw["operationId"] == "apply_edit" else 1)

        @hypothesis_settings(
            max_examples=count, deadline=None, derandomize=True, database=None, phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )  # fmt: skip
        @given(case=operation.as_strategy(), seed=st.integers(0, 2**32))
        def run(case: Any, seed: int) -> None:
            ask(case, Random(seed).choice)  # what is there changes as it goes, so it is not drawn

        run()
    assert accepted > 0
    assert set(asked) == {o.definition.raw["operationId"] for o in wanted}
