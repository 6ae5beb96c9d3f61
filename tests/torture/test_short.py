"""The short form of `make torture`."""

from __future__ import annotations

from tests.torture import hard_times


def test_nothing_is_lost_or_doubled_when_processes_are_killed() -> None:
    with hard_times.town(seed=5) as place:
        edits = hard_times.edits_under_kills(place, 8, every=4)
        assert (edits.done, edits.hurts, edits.lost, edits.doubled) == (8, 2, 0, 0)
        found = hard_times.jobs_under(place, "kill", 1)
        assert (found.lost, found.doubled) == (0, 0)
        assert hard_times.all_readable(place) == 1
