"""Who may ask from where, what no address may hold, and what every answer says."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from wiseglove.api.app import create_app
from wiseglove.settings import Settings

OWN = {"Origin": "http://testserver"}
ELSEWHERE = {"Origin": "http://lantern.example"}


@pytest.mark.parametrize("host", ["lantern.example", "127.0.0.1.lantern.example", "", "lantern.example:8017"])
def test_a_host_that_is_not_ours_is_refused(client: TestClient, host: str) -> None:
    """DNS rebinding: the browser believes that the page's own server is asked."""
    assert client.get("/api/shots", headers={"Host": host}).status_code == 400
    with pytest.raises(WebSocketDisconnect), client.websocket_connect("/api/shots/x/live", headers={"Host": host}):
        pass


@pytest.mark.parametrize("host", ["testserver", "127.0.0.1:8017"])
def test_our_own_hosts_are_served(client: TestClient, host: str) -> None:
    assert client.get("/api/shots", headers={"Host": host}).status_code == 200


@pytest.mark.parametrize("method", ["POST", "PUT", "DELETE", "PATCH"])
@pytest.mark.parametrize(
    "headers",
    [
        ELSEWHERE,
        {"Origin": "null"},
        {"Origin": "http://testserver:81"},
        {"Origin": "http://testserver.lantern.example"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Sec-Fetch-Site": "same-site"},
    ],
)
def test_what_changes_something_comes_from_our_own_pages(
    client: TestClient, shot: str, method: str, headers: dict[str, str]
) -> None:
    answer = client.request(method, f"/api/shots/{shot}", headers=headers)
    assert answer.status_code == 403
    assert "another site" in answer.json()["detail"]
    assert client.post(f"/api/shots/{shot}/fresh", headers=headers).status_code == 403
    assert len(client.get("/api/shots").json()) == 1


def test_our_own_pages_and_programs_may_change_things(client: TestClient, shot: str) -> None:
    for headers in (OWN, {**OWN, "Sec-Fetch-Site": "same-origin"}, {}):
        assert client.post(f"/api/shots/{shot}/fresh", headers=headers).status_code == 200


def test_a_further_origin_is_allowed_by_setting(settings: Settings) -> None:
    allowing = settings.model_copy(update={"origins": ["http://lantern.example"]})
    with TestClient(create_app(allowing)) as client:
        assert client.delete("/api/shots/none", headers=ELSEWHERE).status_code == 404


def test_a_websocket_of_another_site_is_refused(client: TestClient, shot: str) -> None:
    for path in ("live", "trace"):
        with (
            pytest.raises(WebSocketDisconnect),
            client.websocket_connect(f"/api/shots/{shot}/{path}", headers=ELSEWHERE),
        ):
            pass
        with client.websocket_connect(f"/api/shots/{shot}/{path}", headers=OWN) as socket:
            socket.send_text("{}")
            assert "message" in socket.receive_json()


def test_other_sites_read_nothing_but_may_link_here(client: TestClient) -> None:
    embedding = {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors", "Sec-Fetch-Dest": "image"}
    following = {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}
    assert client.get("/api/shots", headers=embedding).status_code == 403
    assert client.get("/", headers=following).status_code == 200


@pytest.mark.parametrize("path", ["/", "/api/shots", "/api/nothing", "/api/shots/x", "/favicon.svg"])
def test_every_answer_says_what_a_browser_may_do_with_it(client: TestClient, path: str) -> None:
    headers = client.get(path).headers
    policy = headers["content-security-policy"]
    assert "script-src 'self';" in policy
    assert "unsafe" not in policy.split("script-src")[1].split(";")[0]
    assert "frame-ancestors 'none'" in policy
    assert headers["x-content-type-options"] == "nosniff"
    assert headers["referrer-policy"] == "same-origin"
    assert headers["cache-control"] in ("no-store", "no-cache")


def test_assets_are_kept_for_ever_and_the_page_is_not(client: TestClient) -> None:
    page = client.get("/").text
    script = page.split('src="')[1].split('"')[0]
    assert "immutable" in client.get(script).headers["cache-control"]
    assert "<script>" not in page


@pytest.mark.parametrize(
    "path",
    [
        "/api/shots/a%00b", "/%00", "/a%00/b", "/api/shots?after=1%00", "/api/clips/a%00/full/1.jpg",
        "/api/shots/" + "x" * 300, "/" + "y" * 300, "/" + "%E6%89%8B" * 100, "/api/intakes/" + "z" * 5000,
    ],
)  # fmt: skip
def test_addresses_that_nothing_can_have_get_a_sentence(client: TestClient, path: str) -> None:
    answer = client.get(path)
    assert answer.status_code in (400, 404, 422)
    assert answer.json()["detail"]


def test_zero_characters_in_texts_are_refused_in_words(client: TestClient, shot: str) -> None:
    bodies: list[tuple[str, Any]] = [
        (f"/api/shots/{shot}/edits", {"revision": 0, "edit": {"type": "set-shot", "name": "a\0b"}}),
        ("/api/intakes", {"files": [{"name": "a\0.png", "size": 1}], "purpose": "insert", "shot": "x\0"}),
    ]
    for path, body in bodies:
        answer = client.post(path, json=body)
        assert answer.status_code == 422, answer.text
        assert "Nothing was changed" in answer.json()["detail"]


def test_what_nobody_foresaw_has_a_number_that_stands_in_the_log(
    client: TestClient, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("inner secret")

    monkeypatch.setattr("wiseglove.api.pictures.shots.load", broken)
    answer = client.get("/api/shots/x/pivots/y/1")
    assert answer.status_code == 500
    assert "inner secret" not in answer.text
    detail = answer.json()["detail"]
    assert "The shot is as it was before" in detail
    number = detail.split("under ")[1].split(".")[0]
    assert any(number in record.message for record in caplog.records)
