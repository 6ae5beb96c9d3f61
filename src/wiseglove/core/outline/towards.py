"""An outline on every frame of a range, carried on from its keys; between two keys from both, blended where they meet."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.carry import Carried, OutlineFollower
from wiseglove.core.outline.cut import CutFollower, Follower, cut_by, on_border
from wiseglove.core.outline.figure import AHEAD, BLOCK, TRAVELS, FigureFollower, moved, read_in_order
from wiseglove.core.outline.silhouette import Covered, SilhouetteFollower, lacking
from wiseglove.core.outline.steady import LostError
from wiseglove.core.parallel import each

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
LASTING = 0.9
"""Share of a doubt that is still there a frame later."""
APART = 4.0
"""Pixels between the two ways' outlines from which the middle between them is doubted."""
ASTRAY = 0.25
"""Mean doubt by shape and inside from which an outline is no longer followed from inside: a bending hand has up to 0.19, a walking figure from 0.30 on."""
FIRST = 3
"""Frames on which it may go astray: who walks fast is far from where she was before her outline is."""
LACKING = 0.06
"""Share of what a key holds that seems to be uncovered there from which what is behind is no help: figures whose mattes are right have up to
0.04, dark cloth before dark leaves 0.10 to 0.24."""
CERTAIN = 0.05
"""The least that a doubt counts as where two outlines are weighed against each other."""


@dataclass(frozen=True)
class Delivered:
    """A frame's outline (N, 8) and the doubt on each of its segments (N,), 0..1; both None where nothing of it is in sight."""

    frame: int
    points: Points | None
    doubt: Array | None


def carry_range(
    picture_at: Callable[[int], Picture],
    keys: Mapping[int, Points],
    kinds: list[str],
    first: int,
    last: int,
    stop: Callable[[], bool] = lambda: False,
    covered: Covered | None = None,
    plate: tuple[int, int] | None = None,
) -> Iterator[Delivered]:
    """Every frame of first..last, in stretches between keys. picture_at: frame number to RGB (H, W, 3).

    keys: the outline as it is right on some frames, with the same points. Before the first and after the last key it is carried
    on one way. Without `covered`, and where that does not show what the keys hold (dark cloth before what is dark), a whole figure
    before what stands is told by what it uncovers; where `plate` gives its first and last frame, some frames beyond the range are
    looked at for that. What ends on the picture's border is carried on as if it went on beyond (see `cut`). Raises
    ValueError where keys have other numbers of points.
    """
    if len({len(points) for points in keys.values()}) != 1:
        raise ValueError("the keys of an outline need the same number of points")
    frames = sorted(keys)
    shape = picture_at(frames[0]).shape
    begin, end = frames[0], frames[-1]
    seen = plate or (first, last)

    @cache
    def shown(at: int) -> bool:
        return covered is not None and lacking(covered, picture_at(at), keys[at]) <= LACKING

    def follower(at: int, by: Covered | None) -> _Begun:
        if by is None:
            return _Begun(_inside(picture_at(at), keys[at], kinds))
        known = SilhouetteFollower(picture_at(at), keys[at], kinds, by)
        cut = None if known.whole else cut_by(keys[at], kinds, shape)
        if cut is None:
            return _Begun(known)
        longer = SilhouetteFollower(picture_at(at), cut.points, cut.kinds, by)
        return _Begun(CutFollower(cut, picture_at(at), longer))

    def all_of_them() -> Iterator[Delivered]:
        for frame in frames:
            yield Delivered(frame, keys[frame], np.zeros(len(keys[frame])))
        for at, outer in ((begin, range(begin - 1, first - 1, -1)), (end, range(end + 1, last + 1))):
            if outer and shown(at):
                yield from _one_way(picture_at, follower(at, covered), outer, stop)
            elif outer:
                step = outer.step
                ahead = range(outer[-1] + step, seen[1] + 1 if step > 0 else seen[0] - 1, step)
                yield from _whole_or_part(picture_at, (at, keys[at]), kinds, (outer, ahead), stop)
        for a, b in pairwise(frames):
            if b > first and a < last and b - a > 1:
                by = covered if shown(a) and shown(b) else None
                figure, begun = None, follower(a, by)
                if by is None:
                    figure = _figure(picture_at, {a: keys[a], b: keys[b]}, kinds, begun, range(a + 1, b), stop)
                try:
                    found = figure.between(a, b, stop) or list(begun.found.items()) if figure else []
                except LostError:
                    found = []
                if found:
                    yield from _delivered(found)
                else:
                    yield from _between(picture_at, (a, b), (begun, follower(b, by)), stop)

    for found in all_of_them():
        if not first <= found.frame <= last:
            continue
        if found.points is None or found.doubt is None:
            yield found
        else:  # on the border there is no edge to be off
            yield replace(found, doubt=np.where(on_border(found.points, shape), 0.0, found.doubt))


def _inside(picture: Picture, points: Points, kinds: list[str]) -> Follower:
    """What follows an outline by what is inside, from a frame on which it is right."""
    cut = cut_by(points, kinds, picture.shape)
    if cut is None:
        return OutlineFollower(picture, points, kinds)
    return CutFollower(cut, picture, OutlineFollower(picture, cut.points, cut.kinds))


class _Begun:
    """What follows an outline, with the frames that it was followed on already."""

    def __init__(self, follower: Follower) -> None:
        self.follower = follower
        self.found: dict[int, Carried | None] = {}

    def on(self, frame: int, picture_at: Callable[[int], Picture]) -> Carried | None:
        """As the follower's `anyway`, once for each frame."""
        if frame not in self.found:
            self.found[frame] = self.follower.anyway(picture_at(frame))
        return self.found[frame]


def _figure(
    picture_at: Callable[[int], Picture],
    keys: dict[int, Points],
    kinds: list[str],
    begun: _Begun,
    frames: Sequence[int],
    stop: Callable[[], bool],
) -> FigureFollower | None:
    """What follows a whole figure, where keys are one's; `begun` follows it as a part from the key beside the frames.

    It is told on the first of the frames that the outline went far by; what is followed inside without being lost is a part's
    way, also for a whole thing: a hand's shadow and light on a screen would be taken for it.
    """
    key = keys[min(keys, key=lambda at: abs(at - frames[0]))]
    astray = False
    for number, frame in enumerate(frames[:BLOCK], start=1):
        found = None if stop() else begun.on(frame, picture_at)
        if found is None:
            return None
        astray = astray or found.astray > ASTRAY
        if moved(key, found.points) >= TRAVELS and (astray or number >= min(FIRST, len(frames))):
            figure = FigureFollower(picture_at, keys, kinds) if astray else None
            needed = figure and figure.is_one(frame, found.points) and not figure.lies(frame, found.points)
            return figure if needed else None
    return None


def _whole_or_part(
    picture_at: Callable[[int], Picture],
    key: tuple[int, Points],
    kinds: list[str],
    frames: tuple[range, range],
    stop: Callable[[], bool],
) -> Iterator[Delivered]:
    """The first of two ranges, carried on from a key; a few of the frames after it are looked at, if it is a whole figure."""
    (at, points), (inner, after) = key, frames
    follower = _Begun(_inside(picture_at(at), points, kinds))
    figure = _figure(picture_at, {at: points}, kinds, follower, inner, stop)
    done = 0
    while figure is not None and done < len(inner):
        now = inner[done : done + BLOCK]
        try:
            found = figure.block(at, points, list(now), [*inner[done + BLOCK :], *after][:AHEAD], stop)
        except LostError:
            follower = _Begun(_inside(picture_at(at), points, kinds)) if done else follower
            break
        yield from _delivered(found if found or done else follower.found.items())
        if len(found) < len(now):
            return
        done += len(now)
        at, last = found[-1]
        if last is None:
            yield from (Delivered(frame, None, None) for frame in inner[done:])
            return
        points = last.points
    yield from _one_way(picture_at, follower, inner[done:], stop)


def _delivered(found: Iterable[tuple[int, Carried | None]]) -> Iterator[Delivered]:
    for frame, carried in found:
        yield Delivered(frame, None, None) if carried is None else Delivered(frame, carried.points, carried.doubt)


def _one_way(
    picture_at: Callable[[int], Picture],
    follower: _Begun,
    frames: range,
    stop: Callable[[], bool],
) -> Iterator[Delivered]:
    gone = False
    doubt: Array = np.zeros(1)
    for frame in frames:
        if frame not in follower.found and stop():
            return
        found = None if gone else follower.on(frame, picture_at)
        gone = gone or found is None
        if found is not None and found.doubt is not None:
            # What has once gone astray is not right again by itself, unless each frame is told by its own edges.
            doubt = np.maximum(found.doubt, doubt * LASTING) if follower.follower.accumulates else found.doubt
        yield Delivered(frame, None if found is None else found.points, None if found is None else doubt.copy())


def _between(
    picture_at: Callable[[int], Picture],
    ends: tuple[int, int],
    followers: tuple[_Begun, _Begun],
    stop: Callable[[], bool],
) -> Iterator[Delivered]:
    a, b = ends
    inner = range(a + 1, b)
    if not stop():
        followers[0].on(a + 1, picture_at)  # one frame in any case, however long it takes to read them
    read_in_order(picture_at, inner, stop)

    def on(way: tuple[_Begun, range]) -> dict[int, Delivered]:
        return {d.frame: d for d in _one_way(picture_at, *way, stop)}

    forth, back = each(on, zip(followers, (inner, inner[::-1]), strict=True))
    if len(forth) < len(inner) or len(back) < len(inner):  # stopped: what there is from the first key
        yield from forth.values()
        return

    def blended(frame: int) -> Delivered:
        share = (frame - a) / (b - a)
        one, other = forth[frame], back[frame]
        if one.points is None or other.points is None:
            return other if one.points is None else one
        assert one.doubt is not None
        assert other.doubt is not None
        mine = (1 - share) ** 2 / (_at_points(one.doubt) + CERTAIN)
        theirs = share**2 / (_at_points(other.doubt) + CERTAIN)
        weight = theirs / (mine + theirs)
        points = one.points * (1 - weight[:, None]) + other.points * weight[:, None]
        apart = np.hypot(*(one.points - other.points)[:, :2].T)
        split = np.maximum(apart, np.roll(apart, -1)) / APART
        doubt = np.maximum(np.minimum(one.doubt, other.doubt), np.clip(split / 2, 0, 1) * 4 * share * (1 - share))
        return Delivered(frame, followers[0].follower.settled(picture_at, frame, points), doubt)

    yield from each(blended, inner)


def _at_points(doubt: Array) -> Array:
    """Doubt of points from that of the segments on both sides."""
    return np.asarray(np.maximum(doubt, np.roll(doubt, 1)))
