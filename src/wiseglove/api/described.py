"""The API's description: what FastAPI makes of the code, with problems of every operation and examples of requests."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

from wiseglove.api.errors import Problem

EXAMPLES: dict[str, dict[str, Any]] = {
    "apply_edit": {
        "revision": 12, "id": "6f1c2a-7", "edit": {"type": "set-cover", "cover": "8c1f0e4b7a21", "name": "Thumb"},
    },
    "undo": {"revision": 13, "id": "6f1c2a-8"},
    "redo": {"revision": 14},
    "begin": {"purpose": "plate", "files": [{"name": "panel_tap.mp4", "size": 4_812_333}]},
    "accept": {"name": "Panel tap", "first": 1001, "rate_num": 25, "rate_den": 1, "pixel_aspect": 1.0},
    "sign_in": {"name": "Orla", "password": "lanterns at dusk"},
    "solve": {"first": 1001, "last": 1100},
    "solve_all": {"first": 1001, "last": 1100},
    "fit": {"line": [100.0, 80.0, 180.0, 82.0, 176.0, 150.0, 104.0, 148.0], "tolerance": 1.0},
    "propose_snap": {"outline": "d0000000000b", "frame": 1041, "points": [2, 3, 4], "radius": 12.0},
    "propose_carry": {"outline": "d0000000000b", "frame": 1041, "to": 1051},
    "make_behind": {"pane": None},
    "keep_differing": {"pane": None, "frames": [1001, 1002, 1003], "form": "matte"},
    "keep_preset": {"name": "For the edit", "items": [{"what": "union", "form": "png8"}]},
    "bring_in_mattes": {"clip": "0123456789abcdef01234567"},
    "propose_thinning": {"outline": "d0000000000b", "tolerance": 0.5},
    "sample": {"frame": 1001, "box": [40.0, 40.0, 200.0, 120.0], "limited": False},
    "judge_slip": {"first": 1001, "slip": [0.05, 0.08, 0.9, 0.1, None]},
    "pick_level": {"frame": 1001, "x": 412.0, "y": 230.5, "stands_for": "light", "shown": 0.9},
    "make_version": {"name": "First pass", "comment": "Thumb still rough at the end.", "frame": 1041},
    "restore_version": {"revision": 12},
    "add_note": {"frame": 1041, "text": "The ring finger boils here.", "x": 612.0, "y": 388.0, "version": 1},
    "change_note": {"done": True},
    "spend_time": {"seconds": 28.5},
    "preview_delivery": {"items": [{"what": "union", "form": "png8"}, {"what": "motion", "form": "csv"}]},
    "order_delivery": {
        "name": "Mattes",
        "items": [{"what": "union", "form": "png8"}, {"what": "cover", "form": "exr-half", "together": "channels"}],
    },
}  # fmt: skip
"""A request's body for each operation that has one, by the operation's id."""


def describe(app: FastAPI) -> None:
    """Let the application describe itself so."""

    def described() -> dict[str, Any]:
        if app.openapi_schema is None:
            made = get_openapi(title=app.title, version=app.version, routes=app.routes)
            schemas = made["components"]["schemas"]
            problem = Problem.model_json_schema(ref_template="#/components/schemas/{model}", mode="serialization")
            problem.pop("$defs", None)  # all of them are there already
            schemas["Problem"] = problem
            for operation in _operations(made):
                operation["responses"].pop("422", None)  # a problem like any other
                body = operation.get("requestBody", {}).get("content", {}).get("application/json")
                if body is not None:
                    body["example"] = EXAMPLES[operation["operationId"]]
            for unused in ("HTTPValidationError", "ValidationError"):
                schemas.pop(unused, None)
            app.openapi_schema = made
        return app.openapi_schema

    app.openapi = described  # type: ignore[method-assign]


def _operations(described: dict[str, Any]) -> list[dict[str, Any]]:
    methods = {"get", "put", "post", "patch", "delete"}
    return [op for path in described["paths"].values() for method, op in path.items() if method in methods]
