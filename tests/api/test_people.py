"""Signing in, roles, and who made what; passwords and cookies."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from fastapi.testclient import TestClient
from starlette.websockets import WebSocketDisconnect
from typer.testing import CliRunner, Result

from wiseglove.api.app import create_app
from wiseglove.cli import app
from wiseglove.settings import Settings, get_settings
from wiseglove.store import people
from wiseglove.store.database import Database
from wiseglove.store.tables import SessionRow, UserRow

PASSWORD = "lanterns at dusk"


@pytest.fixture
def asking(settings: Settings, database: Database) -> Iterator[TestClient]:
    """A server that asks to sign in, with an artist and a reviewer."""
    with database.transaction() as session:
        people.add(session, "Orla", "artist", PASSWORD)
        people.add(session, "Tam", "reviewer", PASSWORD)
    with TestClient(create_app(settings.model_copy(update={"sign_in": True}))) as client:
        yield client


def sign_in(client: TestClient, name: str, password: str = PASSWORD) -> Any:
    return client.post("/api/session", json={"name": name, "password": password})


def test_nothing_is_told_to_who_is_not_signed_in(asking: TestClient) -> None:
    for path in ("/api/shots", "/api/jobs", "/api/events", "/api/health", "/api/clips/x/full/1.jpg"):
        answer = asking.get(path)
        assert (answer.status_code, answer.json()["type"]) == (401, "signin")
    assert asking.post("/api/intakes", json={"files": [{"name": "a.png", "size": 1}]}).status_code == 401
    with pytest.raises(WebSocketDisconnect), asking.websocket_connect("/api/shots/x/live"):
        pass
    assert asking.get("/healthz").text == "well\n"
    assert asking.get("/").status_code == 200
    assert asking.get("/api/session").json() == {"asked": True, "person": None}


def test_an_artist_signs_in_works_and_signs_out(asking: TestClient, shot: str) -> None:
    answer = sign_in(asking, "Orla")
    assert answer.json() == {"asked": True, "person": {"name": "Orla", "role": "artist"}}
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=strict" in cookie
    edit = {"revision": 0, "edit": {"type": "set-shot", "name": "Panel at night"}}
    assert asking.post(f"/api/shots/{shot}/edits", json=edit).status_code == 200
    (past,) = asking.get(f"/api/shots/{shot}/history").json()
    assert (past["author"], past["label"]) == ("Orla", "Renamed the shot to Panel at night")
    token = asking.cookies["wiseglove_session"]
    assert asking.delete("/api/session").status_code == 204
    asking.cookies.set("wiseglove_session", token)  # a copy of it is worth nothing any more
    assert asking.get("/api/shots").status_code == 401


def test_a_reviewer_reads_and_changes_nothing(asking: TestClient, shot: str) -> None:
    assert sign_in(asking, "Tam").status_code == 200
    assert asking.get(f"/api/shots/{shot}").status_code == 200
    for method, path in (
        ("POST", f"/api/shots/{shot}/edits"), ("POST", f"/api/shots/{shot}/undo"), ("DELETE", f"/api/shots/{shot}"),
        ("POST", f"/api/shots/{shot}/deliveries"), ("POST", "/api/intakes"), ("POST", f"/api/shots/{shot}/fresh"),
    ):  # fmt: skip
        answer = asking.request(method, path, json={})
        assert answer.status_code == 403
        assert "here to review" in answer.json()["detail"]


def test_over_tls_the_cookie_never_travels_in_the_clear(settings: Settings, database: Database) -> None:
    with database.transaction() as session:
        people.add(session, "Orla", "artist", PASSWORD)
    app = create_app(settings.model_copy(update={"sign_in": True}))
    with TestClient(app, base_url="https://testserver") as client:
        assert "secure" in sign_in(client, "Orla").headers["set-cookie"].lower()


def test_wrong_passwords_have_to_wait_longer_and_longer(asking: TestClient, database: Database) -> None:
    for name in ("Orla", "Nobody"):
        assert sign_in(asking, name, "wrong").status_code == 401
    words = {sign_in(asking, name, "wrong").json()["detail"] for name in ("Orla", "Nobody")}
    assert len(words) == 1  # it is not told who is there
    for _ in range(people.FREE_TRIES):
        sign_in(asking, "Orla", "wrong")
    with database.transaction() as session:
        row = session.get_one(UserRow, "Orla")
        row.failures, row.failed_at = row.failures + 6, datetime.now(UTC)  # seconds are soon over on a busy machine
    refused = sign_in(asking, "Orla")
    assert refused.status_code == 429
    assert int(refused.headers["retry-after"]) >= 1
    assert "wait" in refused.json()["detail"]
    with database.transaction() as session:
        session.get_one(UserRow, "Orla").failed_at = datetime.now(UTC) - timedelta(hours=1)
    assert sign_in(asking, "Orla").status_code == 200
    assert sign_in(asking, "Tam").status_code == 200  # somebody else never had to wait


def test_what_is_stored_is_neither_password_nor_token(asking: TestClient, database: Database) -> None:
    sign_in(asking, "Orla")
    with database.transaction() as session:
        kept = session.get_one(UserRow, "Orla").password
        tokens = [row.token for row in session.query(SessionRow)]
    assert kept.startswith("$argon2id$")
    assert asking.cookies["wiseglove_session"] not in tokens


def test_a_session_that_is_old_or_whose_person_was_removed_is_over(asking: TestClient, database: Database) -> None:
    sign_in(asking, "Orla")
    token = asking.cookies["wiseglove_session"]
    with database.transaction() as session:
        assert people.who(session, token) is not None
        session.query(SessionRow).update({"used_at": datetime.now(UTC) - people.UNUSED_FOR - timedelta(minutes=1)})
    with database.transaction() as session:
        assert people.who(session, token) is None
        session.query(SessionRow).update({"used_at": datetime.now(UTC)})
    with database.transaction() as session:
        people.remove(session, "Orla")
    with database.transaction() as session:
        assert people.who(session, token) is None


@pytest.fixture
def command(url: str, settings: Settings) -> Iterator[Callable[..., Result]]:
    """The command line within this process."""

    def run(*words: str, given: str = "", **more: str) -> Result:
        get_settings.cache_clear()
        environment = {"WISEGLOVE_DATABASE_URL": url, "WISEGLOVE_FILES": str(settings.files), **more}
        return CliRunner().invoke(app, list(words), input=given, env=environment)

    yield run
    get_settings.cache_clear()


def test_people_are_added_listed_and_removed_by_command(command: Callable[..., Any], database: Database) -> None:
    assert "10 to 200 characters" in command("users", "add", "Orla", given="short\n").stderr
    assert command("users", "add", "Orla", given=f"{PASSWORD}\n").stdout == "Orla may sign in, as artist.\n"
    command("users", "add", "Tam", "--role", "reviewer", given=f"{PASSWORD}\n")
    assert command("users", "list").stdout == "artist\tOrla\nreviewer\tTam\n"
    assert people.sign_in(database, "Orla", PASSWORD) is not None
    assert command("users", "remove", "Orla").exit_code == 0
    assert people.sign_in(database, "Orla", PASSWORD) is None
    assert "nobody called" in command("users", "remove", "Orla").stderr


@pytest.mark.parametrize("asked", ["false", "true"])
def test_it_does_not_leave_loopback_without_signing_in(command: Callable[..., Any], asked: str) -> None:
    ended = command("serve", "--bind", "0.0.0.0", WISEGLOVE_SIGN_IN=asked)
    assert ended.exit_code == 2
    assert "users add" in ended.stderr
    assert "Traceback" not in ended.stderr
