"""How many actions it takes to hold a walking gardener to 1.5 px over 60 frames: by in-betweening alone, and by carrying on.

The hand is a script. An action is a drag (of one point with its handles, of one handle, or of the whole) or a press (carry on,
keep). It goes to the worst frame first, and there to the worst stretch, drags what is there to where the true edge is, and goes
on until the frame is right; what does not make it better is not counted against either way.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np

from benchmarks.table import Row
from benchmarks.walking import _clip, _covered, _Edge, _edge, _started, nearest
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.outline.towards import carry_range
from wiseglove.demo import walker

FIRST, LAST = 6, 65
RIGHT = 1.5
"""Mean distance from the true edge, in pixels, up to which a frame is right."""
STRIDE = 10
"""Frames after which a key is made when carrying on."""
NEAR = 2.0
"""Distances along an outline, in pixels, between its places."""
SHARES = (1.0, 0.6, 1.5)
"""Of the way to the true edge, what a drag of a point tries."""
MOST = 400
"""Drags on one frame after which it is given up."""


@dataclass
class Hand:
    """What was done to one outline of a clip."""

    back: str
    part: str
    drags: int = 0
    presses: int = 0
    keys: dict[int, Points] = field(default_factory=dict)
    given_up: list[int] = field(default_factory=list)

    def off(self, frame: int, points: Points) -> float:
        """How far an outline is from the true edge on a frame."""
        return _edge(self.back, frame, self.part).off(points)[0]

    def put_right(self, frame: int, points: Points) -> Points:
        """The outline dragged until it is right on a frame, which becomes a key."""
        now = self.off(frame, points)
        for _ in range(MOST):
            if now <= RIGHT:
                break
            best, error = self._dragged(frame, points, now)
            if best is None:
                self.given_up.append(frame)
                break
            points, now = best, error
            self.drags += 1
        self.keys[frame] = points
        return points

    def _dragged(self, frame: int, points: Points, now: float) -> tuple[Points | None, float]:
        """The drag at the worst stretches that helps most there, if it helps on the whole; else the next best."""
        edge, count = _edge(self.back, frame, self.part), len(points)
        along = normals_of(points, list(range(count)), NEAR)
        way = nearest(along.places, edge.all) - along.places
        away = np.linalg.norm(way, axis=1)
        worst = [float(away[along.segment == k].sum()) for k in range(count)]
        tried = [(float(away.sum()) - _length_off(edge, points + _moved(count, range(count), way.mean(0)), range(count)), points + _moved(count, range(count), way.mean(0)))]  # fmt: skip
        for segment in np.argsort(worst)[::-1][:3]:
            after = (int(segment) + 1) % count
            mean = way[along.segment == segment].mean(0)
            for index in (int(segment), after):
                touched = [(index - 1) % count, index]
                before = sum(worst[k] for k in touched)
                beside = way[np.isin(along.segment, touched)].mean(0)
                for target in (mean, beside):
                    for share in SHARES:
                        shape = points + _moved(count, [index], share * target)
                        tried.append((before - _length_off(edge, shape, touched), shape))
            for share in SHARES:
                shape = _bent(points, int(segment), share * mean)
                touched = [(int(segment) - 1) % count, int(segment), after]
                tried.append((sum(worst[k] for k in touched) - _length_off(edge, shape, touched), shape))
        for _, shape in sorted(tried, key=lambda t: -t[0])[:4]:
            error = self.off(frame, shape)
            if error < now - 1e-3:
                return shape, error
        return None, now


def _length_off(edge: _Edge, points: Points, segments: Iterable[int]) -> float:
    """Distances from the true edge, summed over the places of some segments."""
    places = normals_of(points, list(segments), NEAR).places
    return float(np.linalg.norm(nearest(places, edge.all) - places, axis=1).sum())


def _moved(count: int, which: object, way: np.ndarray) -> Points:
    out = np.zeros((count, 8))
    out[list(which), :2] = way  # type: ignore[call-overload]
    return out


def _bent(points: Points, segment: int, way: np.ndarray) -> Points:
    """A segment pulled by its middle: both its handles go 4/3 of the way, so that its middle goes all of it."""
    out = points.copy()
    out[segment, 4:6] += way * 4 / 3
    out[(segment + 1) % len(points), 2:4] += way * 4 / 3
    return out


def by_in_betweening(back: str, part: str) -> Hand:
    """Keys by hand where it is worst, in-betweened as always."""
    points, _ = _started(back, FIRST, part)
    hand = Hand(back, part, keys={FIRST: points})
    frames = np.arange(FIRST, LAST + 1)
    while True:
        keyed = sorted(hand.keys)
        if len(keyed) == 1:
            shapes = np.repeat(points[None], len(frames), axis=0)
        else:
            animation = Animation(
                np.array(keyed, np.float64), np.stack([hand.keys[k] for k in keyed]), ("smooth",) * len(keyed)
            )
            shapes = in_between(animation, frames.astype(np.float64))
        errors = [hand.off(int(f), shape) for f, shape in zip(frames, shapes, strict=True)]
        open_ = [i for i, f in enumerate(frames) if errors[i] > RIGHT and int(f) not in hand.keys]
        if not open_:
            return hand
        worst = max(open_, key=lambda i: errors[i])
        hand.put_right(int(frames[worst]), shapes[worst])


def by_carrying(back: str, part: str, known: bool) -> Hand:
    """Carried on over a stride, set right at its end, carried between the keys from both, and set right where it is worst."""
    points, kinds = _started(back, FIRST, part)
    hand = Hand(back, part, keys={FIRST: points})
    covered = _covered(back) if known else None

    def carried(keys: dict[int, Points], first: int, last: int) -> dict[int, Points]:
        hand.presses += 2  # carry on, and keep
        found = carry_range(
            lambda f: _clip(back)[f].plate, keys, kinds, first, last, covered=covered, plate=(0, walker.FRAMES - 1)
        )
        return {d.frame: d.points for d in found if d.points is not None}

    at = FIRST
    while at < LAST:
        to = min(at + STRIDE, LAST)
        ahead = carried({at: hand.keys[at]}, at + 1, to)
        hand.put_right(to, ahead.get(to, hand.keys[at]))
        spans = [(at, to)]
        while spans:
            a, b = spans.pop()
            if b - a < 2:
                continue
            found = carried({a: hand.keys[a], b: hand.keys[b]}, a + 1, b - 1)
            errors = {f: hand.off(f, shape) for f, shape in found.items()}
            worst = max(errors, key=lambda f: errors[f])
            if errors[worst] > RIGHT:
                hand.put_right(worst, found[worst])
                spans += [(a, worst), (worst, b)]
        at = to
    return hand


def run() -> list[Row]:
    """The whole figure and an arm, before both backs."""
    rows = []
    for part, known in (("whole", True), ("whole", False), ("near arm", False)):
        plain = [by_in_betweening(back, part) for back in walker.BACKS]
        helped = [by_carrying(back, part, known) for back in walker.BACKS]
        before, after = (sum(h.drags + h.presses for h in hands) for hands in (plain, helped))
        lost = sum(len(h.given_up) for h in (*plain, *helped))
        how = "behind known" if known else "behind unknown"
        rows.append(
            Row(
                f"hands' work, {part}, {how}: actions by carrying of those by in-betweening", 100 * after / before, "%", "walk.actions",
                f"{after} of {before}; keys {sum(len(h.keys) for h in helped)} of {sum(len(h.keys) for h in plain)}, frames given up {lost}",
            )
        )  # fmt: skip
    return rows


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
