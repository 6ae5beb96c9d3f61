"""Notices to the page: none is lost without a word."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from wiseglove.api.events import AT_HAND, GAP, HELLO, QUEUE, Notice, Notices


def heard(notices: Notices, last: str | None, expected: int) -> list[Notice]:
    """The first notices that a page gets which comes with an id."""

    async def listen() -> list[Notice]:
        stream = notices.subscribe(last)
        found = [await asyncio.wait_for(anext(stream), 30) for _ in range(expected)]
        await stream.aclose()  # type: ignore[attr-defined]
        return found

    return run_apart(listen())


def run_apart(work: Coroutine[Any, Any, list[Notice]]) -> list[Notice]:
    """Run in a thread of its own, for another test's browser may have a loop running in this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, work).result()


def said(count: int) -> Notices:
    notices = Notices("")
    for number in range(1, count + 1):
        notices.publish(json.dumps({"topic": "shot", "revision": number}))
    return notices


def test_a_page_that_comes_back_hears_what_it_missed_and_nothing_twice() -> None:
    notices = said(5)
    last = notices.id_of(Notice(2, ""))
    hello, *missed = heard(notices, last, 4)
    assert hello.payload == HELLO
    assert [json.loads(n.payload)["revision"] for n in missed] == [3, 4, 5]


def test_a_greeting_does_not_move_a_page_backwards_or_past_what_it_missed() -> None:
    """The greeting's id must be safe to come back with: nothing is missed then, and nothing is heard again."""
    notices = said(5)
    (hello,) = heard(notices, None, 1)
    assert heard(notices, notices.id_of(hello), 1)[0].payload == HELLO
    notices.publish('{"topic": "shot", "revision": 6}')
    assert json.loads(heard(notices, notices.id_of(hello), 2)[1].payload)["revision"] == 6


def test_what_is_no_more_at_hand_is_told_as_a_gap() -> None:
    notices = said(AT_HAND + 10)
    assert heard(notices, notices.id_of(Notice(3, "")), 2)[1].payload == GAP
    assert heard(notices, notices.id_of(Notice(10, "")), 2)[1].payload != GAP  # the very first that is still there


def test_a_server_that_was_started_anew_tells_a_gap() -> None:
    before, now = said(5), said(5)
    assert heard(now, before.id_of(Notice(4, "")), 2)[1].payload == GAP
    assert heard(now, "nonsense", 2)[1].payload == GAP


def test_a_page_that_is_too_slow_is_told_a_gap_in_place_of_what_does_not_fit() -> None:
    notices = Notices("")

    async def run() -> list[Notice]:
        stream = notices.subscribe(None)
        found = [await anext(stream)]
        waiting = asyncio.ensure_future(anext(stream))
        await asyncio.sleep(0)
        for number in range(QUEUE + 50):
            notices.publish(json.dumps({"topic": "shot", "revision": number}))
        found.append(await waiting)
        while not found[-1].payload.endswith(f"{QUEUE + 49}}}"):
            found.append(await asyncio.wait_for(anext(stream), 30))
        await stream.aclose()  # type: ignore[attr-defined]
        return found

    found = [n.payload for n in run_apart(run())]
    assert GAP in found
    after = [json.loads(p)["revision"] for p in found[found.index(GAP) + 1 :]]
    assert after == list(range(after[0], QUEUE + 50))  # after the gap nothing is missing
