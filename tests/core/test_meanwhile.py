"""What is computed while the caller goes on."""

from __future__ import annotations

import threading

import pytest

from wiseglove.core import parallel
from wiseglove.core.parallel import meanwhile


@pytest.fixture(params=[1, 2])
def _workers(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(parallel._Number, "workers", request.param)


@pytest.mark.usefixtures("_workers")
def test_what_was_begun_gives_its_result_as_often_as_it_is_asked_or_what_it_raised() -> None:
    told = meanwhile(lambda: 6 * 7)
    assert (told(), told()) == (42, 42)
    with pytest.raises(ZeroDivisionError):
        meanwhile(lambda: 1 // 0)()


def test_with_several_workers_it_runs_beside_the_caller_and_with_one_when_it_is_asked(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    at_work, may_end = threading.Event(), threading.Event()

    def slowly() -> int:
        at_work.set()
        may_end.wait(60)
        return threading.get_ident()

    monkeypatch.setattr(parallel._Number, "workers", 2)
    told = meanwhile(slowly)
    assert at_work.wait(60)  # nobody has asked yet
    may_end.set()
    assert told() != threading.get_ident()

    monkeypatch.setattr(parallel._Number, "workers", 1)
    at_work.clear()
    told = meanwhile(slowly)
    assert not at_work.is_set()
    assert told() == threading.get_ident()
