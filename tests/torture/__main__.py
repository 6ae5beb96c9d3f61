"""`make torture`: hard times for about ten minutes, and one table of what was lost or done twice."""

from __future__ import annotations

import sys
import time

from tests.torture import hard_times


def main() -> int:
    """Run all of it; 1 where something was lost or doubled."""
    seed = int(sys.argv[1]) if len(sys.argv) > 1 else int(time.time())
    print(f"seed {seed}")
    started = time.monotonic()
    with hard_times.town(seed) as place:
        found = [hard_times.edits_under_kills(place, 200, every=6)]
        for hurt, count in (("kill", 4), ("freeze", 3), ("restart", 5), ("postmaster", 4)):
            found.append(hard_times.jobs_under(place, hurt, count))
            print(f"  {found[-1].what} after {time.monotonic() - started:.0f} s", flush=True)
        readable = hard_times.all_readable(place)
    print(f"{'what':<20}{'done':>6}{'hurts':>7}{'lost':>6}{'twice':>7}")
    for each in found:
        print(f"{each.what:<20}{each.done:>6}{each.hurts:>7}{each.lost:>6}{each.doubled:>7}")
    print(f"{readable} shots read by a fresh process; {time.monotonic() - started:.0f} s")
    return int(any(each.lost or each.doubled for each in found))


if __name__ == "__main__":
    sys.exit(main())
