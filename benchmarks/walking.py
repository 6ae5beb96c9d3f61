"""Carrying outlines on over a gardener who walks past, whole and in parts, with and without what is behind her known.

Errors are mean distances, in pixels, between the carried outline and the true edge of its part, both ways, where nothing
nearer hides that edge. Starts and ways were looked at in tuning, the clip before leaves less than that before the panel.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import cache, partial
from multiprocessing import get_context

import cv2
import numpy as np
import shapely

from benchmarks.coded import through_h264
from benchmarks.table import Row
from benchmarks.truth import fitted, half_covered, line_distance
from wiseglove.core.behind.clean import Behind, clean_picture
from wiseglove.core.behind.difference import difference_within, held_out
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.carry import OutlineFollower
from wiseglove.core.outline.normals import follow, normals_of
from wiseglove.core.outline.silhouette import FACING, WHOLE, Covered, Silhouette
from wiseglove.core.outline.towards import carry_range
from wiseglove.demo import passers, walker

STARTS, AWAY, APART = (20, 33, 46), (1, 3, 5), 10
PARTS = ("head", "torso", "near arm", "near leg")
HIDDEN_PARTS = (("in a robe before a bare wall", "near leg"),)
"""Nobody could draw these: the truth of a leg goes on under the robe."""
INSIDE = 6
CUT, CUT_AT = ", cut at the thighs", 450
"""What the name of a clip ends on whose lower part is left out, and at which row: she ends on the plate's border."""
CUT_PARTS = ("near leg", "near arm")
SMALL = ", small"
"""What the name of a clip ends on that is seen small and compressed."""
LARGE, LARGE_SIZE, LARGE_GRAIN = ", in a 1080p plate", (1920, 1080), 1.5
"""What the name of a clip ends on that is seen as large as ever, amid more of what is behind, the plate's size, and the grain of that."""
HIDES = 64
"""Alpha, of 255, from which what is nearer hides an edge."""
BAD, DOUBTED = 2.0, 0.5


def run() -> list[Row]:
    """All of them."""
    rows = [row for back in walker.BACKS for row in _held_out(back)]
    for known in (True, False):
        parts, whole = _Scores(), _Scores()
        for back in walker.BACKS:
            for part in PARTS:
                parts.take(back, part, known)
            whole.take(back, "whole", known)
        rows += [*parts.rows("parts", known), *whole.rows("whole figure", known)]
    small = _Scores()
    for back in walker.BACKS:
        small.take(back + SMALL, "whole", True)
    rows += small.rows("whole figure, small and compressed", True)
    for known in (True, False):
        parts, whole = _Scores(), _Scores()
        for part in PARTS:
            parts.take(walker.BACKS[0] + LARGE, part, known)
        whole.take(walker.BACKS[0] + LARGE, "whole", known)
        rows += [*parts.large_rows("parts", known), *whole.large_rows("whole figure", known)]
    for known in (True, False):
        whole, parts = _Scores(), _Scores()
        for back in walker.BACKS:
            whole.take(back + CUT, "whole", known)
            for part in CUT_PARTS:
                parts.take(back + CUT, part, known)
        rows += [*whole.few_rows("gardener" + CUT, "whole", known), *parts.few_rows("gardener" + CUT, "parts", known)]
    for name, passer in passers.PASSERS.items():
        if not passer.shake:
            rows += _held_out(name)
        for known in (False,) if passer.shake else (True, False):
            whole, parts = _Scores(), _Scores()
            whole.take(name, "whole", known)
            for part in PARTS:
                if (name, part) not in HIDDEN_PARTS:
                    parts.take(name, part, known)
            rows += [*whole.few_rows(name, "whole", known), *parts.few_rows(name, "parts", known)]
    return rows


@cache
def clip_of(back: str) -> list[walker.Walked]:
    """All frames of the clip of that name; rendered once a process."""
    if back.endswith(SMALL):
        return [_compressed(walked) for walked in clip_of(back.removesuffix(SMALL))]
    if back.endswith(CUT):
        return [_above(CUT_AT, walked) for walked in clip_of(back.removesuffix(CUT))]
    if back.endswith(LARGE):
        return _amid_more(clip_of(back.removesuffix(LARGE)))
    # Processes of their own: loops on several threads do not outlive a fork.
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        if back in passers.PASSERS:
            return _coded(list(pool.map(partial(passers.passed, name=back), range(passers.FRAMES))))
        return list(pool.map(partial(walker.walk, behind=back), range(walker.FRAMES)))


def _held_out(back: str) -> Iterator[Row]:
    """How far the lines of mattes from difference lie off, on all frames."""
    clip, behind = clip_of(back), _behind(back)
    inside = np.zeros(clip[0].whole.shape, bool)
    inside[INSIDE:-INSIDE, INSIDE:-INSIDE] = True
    away = [line_distance(255 * held_out(w.plate.astype(np.float32), behind, 0), w.whole, inside) for w in clip]
    off = [a for a in away if a is not None]
    yield Row(f"walker, {back}: holdout from difference, line to the true one", float(np.mean(off)), "px", "behind.line", f"{sum(a > 1 for a in off)} of {len(off)} frames over 1 px")  # fmt: skip
    yield Row("  the worst frame", max(off), "px", "behind.line")


def _above(row: int, walked: walker.Walked) -> walker.Walked:
    """A frame down to a row."""
    parts = {part: alpha[:row] for part, alpha in walked.parts.items()}
    return walker.Walked(np.ascontiguousarray(walked.plate[:row]), walked.whole[:row], parts)


def _coded(clip: list[walker.Walked]) -> list[walker.Walked]:
    """A clip through H.264 at 8 Mbit/s."""
    seen = through_h264(np.stack([w.plate for w in clip]), "8M")
    return [walker.Walked(plate, w.whole, w.parts) for plate, w in zip(seen, clip, strict=True)]


def _compressed(walked: walker.Walked) -> walker.Walked:
    """A frame in four tenths of its size, through JPEG: colours in half of that, and nothing that stands ever changes."""

    def small(picture: np.ndarray) -> np.ndarray:
        return cv2.resize(picture, None, fx=0.4, fy=0.4, interpolation=cv2.INTER_AREA)

    coded = cv2.imencode(".jpg", small(walked.plate)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 45])[1]
    plate = np.ascontiguousarray(cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1])
    return walker.Walked(plate, small(walked.whole), {part: small(alpha) for part, alpha in walked.parts.items()})


def _amid_more(clip: list[walker.Walked]) -> list[walker.Walked]:
    """A clip in the middle of a larger plate, round which what is behind goes on as its mirror image."""
    height, width = clip[0].plate.shape[:2]
    left, top = (LARGE_SIZE[0] - width) // 2, (LARGE_SIZE[1] - height) // 2
    sides = top, LARGE_SIZE[1] - height - top, left, LARGE_SIZE[0] - width - left
    behind = clean_picture(np.stack([w.plate for w in clip[::2]])).picture
    around = cv2.copyMakeBorder(behind, *sides, cv2.BORDER_REFLECT_101)
    rng, out = np.random.default_rng(7), []

    def amid(alpha: np.ndarray) -> np.ndarray:
        return cv2.copyMakeBorder(alpha, *sides, cv2.BORDER_CONSTANT, value=0)

    for walked in clip:
        grainy = around + rng.normal(0, LARGE_GRAIN, around.shape)
        plate = np.clip(np.round(grainy), 0, 255).astype(np.uint8)
        plate[top : top + height, left : left + width] = walked.plate
        parts = {part: amid(alpha) for part, alpha in walked.parts.items()}
        out.append(walker.Walked(plate, amid(walked.whole), parts))
    return out


@cache
def covered_on(back: str) -> Covered:
    """What covers its clean picture, which every other of its frames makes."""
    return partial(difference_within, _behind(back))


@cache
def _behind(back: str) -> Behind:
    """Its clean picture, made of every other of its frames."""
    return clean_picture(np.stack([w.plate for w in clip_of(back)[::2]]))


def _alpha(back: str, frame: int, part: str) -> np.ndarray:
    walked = clip_of(back)[frame]
    return walked.whole if part == "whole" else walked.parts[part]


class _Edge:
    """A part's true edge on a frame: all of it, and places of its outermost line that nothing hides."""

    def __init__(self, back: str, frame: int, part: str) -> None:
        walked = clip_of(back)[frame]
        lines = half_covered(_alpha(back, frame, part))
        hidden = np.zeros_like(walked.whole) if part == "whole" else walked.hidden(part)
        self._hidden = cv2.dilate(hidden, np.ones((5, 5), np.uint8))
        self.all = shapely.MultiLineString([line for line in lines if len(line) > 20])
        self._seen = lines[0][self._counts(lines[0])]

    def _counts(self, places: np.ndarray) -> np.ndarray:
        height, width = self._hidden.shape
        x, y = (np.clip(v.astype(int), 0, end - 1) for v, end in zip(places.T, (width, height), strict=True))
        return np.asarray((self._hidden[y, x] < HIDES) & self._within(places))

    def _within(self, places: np.ndarray) -> np.ndarray:
        """Which places (M, 2) do not lie on the plate's border."""
        height, width = self._hidden.shape
        return np.asarray(((places > INSIDE) & (places < [width - INSIDE, height - INSIDE])).all(axis=1))

    def off(self, points: Points, every: int = 1) -> tuple[float, np.ndarray, np.ndarray]:
        """Mean distance of an outline, both ways; distances and segments of its places that count, `every` so many pixels."""
        along = normals_of(points, list(range(len(points))), float(every))
        near = nearest(along.places, self.all)
        counts = self._counts(near) & self._within(along.places)
        away = np.linalg.norm(near - along.places, axis=1)
        own = shapely.LineString(np.vstack([along.places, along.places[:1]]))
        back = shapely.distance(own, shapely.points(self._seen[::every])).mean() if len(self._seen) else 0.0
        there = away[counts].mean() if counts.any() else 0.0
        return float(there + back) / 2, away[counts], along.segment[counts]


@cache
def edge_on(back: str, frame: int, part: str) -> _Edge:
    """The true edge of a part, or of all of her ('whole'), on a frame of a clip."""
    return _Edge(back, frame, part)


def nearest(places: np.ndarray, line: shapely.Geometry) -> np.ndarray:
    """The nearest place of a line for each of places (M, 2)."""
    return shapely.get_coordinates(shapely.shortest_line(shapely.points(places), line)).reshape(-1, 2, 2)[:, 1]


class _Scores:
    """What was measured of some outlines."""

    def __init__(self) -> None:
        self.errors: dict[int, list[float]] = {away: [] for away in AWAY}
        self.between: list[float] = []
        self.straight: list[float] = []
        self.marked: dict[bool, list[bool]] = {True: [], False: []}
        self.spent: list[float] = []

    def take(self, back: str, part: str, known: bool) -> None:
        """Carry a part of a clip on from all starts, both ways, and between keys."""
        pictures = [w.plate for w in clip_of(back)]
        covered = covered_on(back) if known else None
        for start in STARTS:
            points, kinds = started(back, start, part)
            for last in (start + max(AWAY), start - max(AWAY)):
                begin = time.perf_counter()
                ends = min(start, last), max(start, last)
                found = {d.frame: d for d in carry_range(pictures.__getitem__, {start: points}, kinds, *ends, covered=covered, plate=(0, len(pictures) - 1))}  # fmt: skip
                self.spent.append((time.perf_counter() - begin) / max(AWAY) * 1000)
                for away in AWAY:
                    carried = found[start + away * (1 if last > start else -1)]
                    error, distances, segments = edge_on(back, carried.frame, part).off(carried.points)
                    self.errors[away].append(error)
                    for segment in np.unique(segments):
                        here = distances[segments == segment]
                        if len(here) > 2:
                            self.marked[bool(here.mean() > BAD)].append(bool(carried.doubt[segment] >= DOUBTED))
            later = corrected(back, part, start)
            keys = {start: points, start + APART: later}
            found = {d.frame: d for d in carry_range(pictures.__getitem__, keys, kinds, start, start + APART, covered=covered, plate=(0, len(pictures) - 1))}  # fmt: skip
            for k in range(1, APART):
                edge = edge_on(back, start + k, part)
                self.between.append(edge.off(found[start + k].points)[0])
                self.straight.append(edge.off(points + (later - points) * k / APART)[0])

    def rows(self, name: str, known: bool) -> Iterator[Row]:
        """As rows of the table."""
        how = "behind known" if known else "behind unknown"
        goal = f"walk.{'whole' if name.startswith('whole') else 'parts'}_{'known' if known else 'unknown'}"
        for away, errors in self.errors.items():
            yield Row(f"walker, {name}, {how}: {away} frames on", float(np.mean(errors)), "px", f"{goal}:at_{away}", f"worst {max(errors):.1f} px of {len(errors)}")  # fmt: skip
        yield Row("  between keys 10 apart", float(np.mean(self.between)), "px", f"{goal}:between", f"straight between points {np.mean(self.straight):.1f} px")  # fmt: skip
        bad, good = self.marked[True], self.marked[False]
        yield Row(
            f"  of {len(bad)} stretches over {BAD:.0f} px off, marked", 100 * float(np.mean(bad)), "%", "walk.marked"
        )
        yield Row(f"  of {len(good)} others, marked", 100 * float(np.mean(good)), "%", "walk.unmarked")
        yield Row("  a frame, mean", float(np.mean(self.spent)), "ms", f"{goal.rsplit('_', 1)[0]}_time")

    def few_rows(self, name: str, what: str, known: bool) -> Iterator[Row]:
        """Of somebody else, whole or in parts: the mean distances, and what is marked."""
        how = "known" if known else "unknown"
        _, three, five = (f"{np.mean(errors):.2f}" for errors in self.errors.values())
        yield Row(f"{name}, {what}, behind {how}: 1 frame on", float(np.mean(self.errors[1])), "px", f"walk.{what}_{how}:at_1", f"3 and 5 frames on {three} and {five} px")  # fmt: skip
        yield Row("  5 frames on", float(np.mean(self.errors[5])), "px", f"walk.{what}_{how}:at_5")
        bad, good = self.marked[True], self.marked[False]
        yield Row(f"  of {len(bad)} stretches over {BAD:.0f} px off, marked", 100 * float(np.mean(bad or [1])), "%", "walk.marked")  # fmt: skip
        yield Row(f"  of {len(good)} others, marked", 100 * float(np.mean(good)), "%", "walk.unmarked")

    def large_rows(self, name: str, known: bool) -> Iterator[Row]:
        """Of the same in a larger plate: how long a frame takes, and that the plate's size does not change what is found."""
        how = "behind known" if known else "behind unknown"
        goal = f"walk.{'whole' if name.startswith('whole') else 'parts'}"
        far = ", ".join(f"{np.mean(errors):.2f}" for errors in self.errors.values())
        yield Row(f"{name}{LARGE}, {how}: a frame, mean", float(np.mean(self.spent)), "ms", f"{goal}_time", f"{far} px off at 1, 3 and 5 frames")  # fmt: skip


@cache
def started(back: str, start: int, part: str) -> tuple[Points, list[str]]:
    """A part's outline on a frame as its truth gives it, (N, 8), and the kinds of its points."""
    return fitted(_alpha(back, start, part), 1.0)


@cache
def corrected(back: str, part: str, start: int) -> Points:
    """A later key as an artist makes it: carried on frame by frame, and set right on each."""
    points, kinds = started(back, start, part)
    pictures = clip_of(back)
    for frame in range(start + 1, start + APART + 1):
        if part == "whole":
            edges = Silhouette(_alpha(back, frame, part).astype(np.float32) / 255)
            points = edges.onto(points, kinds, WHOLE, FACING)
            points = edges.onto(edges.recut(points, kinds), kinds, WHOLE[-2:], FACING)
            continue
        carried = OutlineFollower(pictures[frame - 1].plate, points, kinds).anyway(pictures[frame].plate)
        assert carried is not None
        along = normals_of(carried.points, list(range(len(points))), 2.0)
        near = nearest(along.places, edge_on(back, frame, part).all)
        close = np.linalg.norm(near - along.places, axis=1) < 15
        target = np.where(close[:, None], near, along.places)
        points = follow(carried.points, along, target, np.ones(len(points), bool), kinds)
    return points


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
