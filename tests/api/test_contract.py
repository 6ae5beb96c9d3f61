"""What holds for every operation of the API."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from jsonschema import Draft202012Validator

from tests.builders import write_sequence
from wiseglove.api.app import create_app
from wiseglove.settings import Settings

METHODS = ("get", "put", "post", "delete", "patch")


@pytest.fixture
def described(settings: Settings) -> dict[str, Any]:
    return dict(create_app(settings).openapi())


def operations(described: dict[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
    for path, item in described["paths"].items():
        for method in METHODS:
            if method in item:
                yield f"{method} {path}", item[method]


def test_operations_have_names_and_say_what_goes_wrong(described: dict[str, Any]) -> None:
    names = [operation["operationId"] for _, operation in operations(described)]
    assert len(set(names)) == len(names) > 30
    for where, operation in operations(described):
        assert "application/problem+json" in operation["responses"]["default"]["content"], where


def test_bodies_are_shown_by_examples_that_the_schema_takes(described: dict[str, Any]) -> None:
    shown = 0
    for where, operation in operations(described):
        body = operation.get("requestBody", {}).get("content", {}).get("application/json")
        if body is None:
            continue
        assert body.get("example") is not None, where
        schema = {**body["schema"], "components": described["components"]}
        Draft202012Validator(schema).validate(body["example"])
        shown += 1
    assert shown > 10


def test_a_long_list_is_walked_by_its_links(
    client: TestClient, take_in: Callable[..., dict[str, Any]], tmp_path: Path
) -> None:
    paths = write_sequence(tmp_path, range(1001, 1003))
    for name in ("one", "two", "three"):
        take_in(paths, {"name": name})
    address: str | None = "/api/shots?limit=2"
    found: list[str] = []
    while address:
        answer = client.get(address)
        found += [shot["name"] for shot in answer.json()]
        address = answer.links.get("next", {}).get("url")
    assert found == ["three", "two", "one"]
    assert client.get("/api/shots?limit=0").status_code == 422
