"""How many actions it takes to hold a walking gardener to 1.5 px over 60 frames: by in-betweening alone, and by carrying on.

The hand is a script that knows where each point belongs. An action is a drag (of the whole, of one point with its handles, or of one
handle) or a press (carry on, keep). It goes to the worst frame first, moves the whole there if that helps, then drags what lies
farthest off to its place, and goes on until the frame is right.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache, partial

import numpy as np

from benchmarks.hand import moved_if_better, to_its_place
from benchmarks.table import Row
from benchmarks.walking import _alpha, clip_of, covered_on, edge_on, started
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.core.outline.silhouette import FACING, WHOLE, Silhouette
from wiseglove.core.outline.towards import carry_range
from wiseglove.demo import walker

FIRST, LAST = 6, 65
RIGHT = 1.5
"""Mean distance from the true edge, in pixels, up to which a frame is right."""
STRIDE = 10
"""Frames after which a key is made when carrying on."""
EVERY = 4
"""Pixels between the places by which that is told."""
LEFT = 0.1
"""Pixels more than an outline's points can do, where that is more than RIGHT: it is right then as well."""
RECUTS = 4
"""How often points are set anew along the true edge at most."""


@cache
def _silhouette(back: str, part: str, frame: int) -> Silhouette:
    return Silhouette(_alpha(back, frame, part).astype(np.float32) / 255)


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
        return edge_on(self.back, frame, self.part).off(points, EVERY)[0]

    def put_right(self, frame: int, points: Points, aim: Points | None = None) -> Points:
        """The outline dragged until it is right on a frame, which becomes a key; aim: where its points belong, if that is known."""
        off = partial(self.off, frame)
        way = _silhouette(self.back, self.part, frame).places.mean(axis=0) - points[:, :2].mean(axis=0)
        points, moved = moved_if_better(points, way, off, RIGHT)
        aim = self.aim(frame, points) if aim is None else aim
        right = max(RIGHT, off(aim) + LEFT)
        points, drags = to_its_place(points, aim, off, right)
        self.drags += moved + drags
        if off(points) > right:
            self.given_up.append(frame)
        self.keys[frame] = points
        return points

    def aim(self, frame: int, points: Points) -> Points:
        """Where the points of an outline belong on a frame: on the true edge nearby; anew along it only where that is not enough.

        Points that slide along an edge spoil what lies between keys.
        """
        edges, kinds = _silhouette(self.back, self.part, frame), started(self.back, FIRST, self.part)[1]
        best = shape = edges.onto(points, kinds, WHOLE, FACING)
        for _ in range(RECUTS):
            if self.off(frame, best) <= RIGHT:
                break
            shape = edges.recut(shape, kinds)
            best = min(best, shape, key=lambda s: self.off(frame, s))
        return best


def by_in_betweening(back: str, part: str) -> Hand:
    """Keys by hand where it is worst, in-betweened as always; the first and the last of them to begin with."""
    points, _ = started(back, FIRST, part)
    hand = Hand(back, part, keys={FIRST: points})
    frames = np.arange(FIRST, LAST + 1)
    # What is in between needs points that stay what they are, so these come from the frame before, one by one.
    aims = {FIRST: points}
    for frame in range(FIRST + 1, LAST + 1):
        aims[frame] = hand.aim(frame, aims[frame - 1])
    hand.put_right(LAST, points, aims[LAST])
    known, errors = None, [0.0] * len(frames)
    while True:
        keyed = sorted(hand.keys)
        animation = Animation(np.array(keyed, float), np.stack([hand.keys[k] for k in keyed]), ("smooth",) * len(keyed))
        shapes = in_between(animation, frames.astype(np.float64))
        for i, (frame, shape) in enumerate(zip(frames, shapes, strict=True)):
            if known is None or not np.array_equal(known[i], shape):
                errors[i] = hand.off(int(frame), shape)
        known = shapes
        open_ = [i for i, f in enumerate(frames) if errors[i] > RIGHT and int(f) not in hand.keys]
        if not open_:
            return hand
        worst = max(open_, key=lambda i: errors[i])
        hand.put_right(int(frames[worst]), shapes[worst], aims[int(frames[worst])])


def by_carrying(back: str, part: str, known: bool) -> Hand:
    """Carried on over a stride, set right at its end, carried between the keys from both, and set right where it is worst."""
    points, kinds = started(back, FIRST, part)
    hand = Hand(back, part, keys={FIRST: points})
    covered = covered_on(back) if known else None

    def carried(keys: dict[int, Points], first: int, last: int) -> dict[int, Points]:
        hand.presses += 2  # carry on, and keep
        found = carry_range(
            lambda f: clip_of(back)[f].plate, keys, kinds, first, last, covered=covered, plate=(0, walker.FRAMES - 1)
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
