"""Knowing where to look: how well faults of outlines are told, holes and boil found, and how quickly.

Rough states are made of true outlines: keys on every fifth to twelfth frame, some left out, a quarter of them put off as a whole,
a fifth along a stretch, all of them jittered. Weights were learned from other rough states of the demo's hand and index finger and
of the walking gardener before the panel (`scripts/learn_faults.py`); her parts before leaves, and three other people, were kept aside.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from functools import cache, partial
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
import shapely
from scipy.stats import spearmanr

from benchmarks.delivering import _shot
from benchmarks.hand import moved_if_better, to_its_place
from benchmarks.table import Row
from benchmarks.truth import FOOTAGE, AtHand, edge_of, plates
from benchmarks.walking import clip_of
from wiseglove.core.behind.difference import difference_matte
from wiseglove.core.outline.from_mattes import traced
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.core.outline.normals import Normals, normals_of
from wiseglove.core.outline.towards import carry_range
from wiseglove.core.review.boil import boil
from wiseglove.core.review.fit import OutlineFit
from wiseglove.core.review.holes import holes
from wiseglove.demo import drawing, passers
from wiseglove.demo.install import read_truth
from wiseglove.jobs.behind_files import Request, View, behind_of
from wiseglove.shot.between import FITS, nearest_of
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Outline
from wiseglove.shot.reviewing import FAULTY, Reviewer, calmed, fault_of

BAD, NEARLY = 2.0, 0.9
"""Pixels from which a place is truly off, and the share of the worst frame's error that the first pin's has to have."""
TRIALS = 9
RIGHT = 1.0
"""Pixels to which a rough state is brought."""


@dataclass(frozen=True)
class Clip:
    """Pictures, a true outline (T, N, 8) on each, and where its edge can be seen."""

    name: str
    pictures: list[np.ndarray]
    truth: np.ndarray
    edges: list[shapely.Geometry]


@cache
def demo() -> list[Clip]:
    """The tapping hand and its index finger."""
    frames = plates()
    seen = [read_truth(FOOTAGE, i) for i in range(len(frames))]
    edges: list[shapely.Geometry] = [edge_of(s.hand) for s in seen]
    hand = np.stack([drawing.rest_of_hand(i, s) for i, s in enumerate(seen)])
    finger = np.stack([drawing.finger(i) for i in range(len(frames))])
    return [Clip("the hand", frames, hand, edges), Clip("its finger", frames, finger, edges)]


@cache
def parts_of(name: str) -> list[Clip]:
    """Parts of somebody who walks past, while all of each is in the picture."""
    walked = clip_of(name)[22:66]
    out = []
    for part in ("near leg", "torso", "head", "near arm"):
        found = traced(range(len(walked)), lambda i, part=part: walked[i].parts[part].astype(np.float32) / 255)  # type: ignore[misc]
        whole = [t for t in found if len(t.shapes) == len(walked)]
        if not whole:
            continue
        shapes = np.stack([whole[0].shapes[i] for i in range(len(walked))])
        shapes = np.pad(shapes, ((0, 0), (0, 0), (0, 8 - shapes.shape[2])))
        edges = [_seen(w, part) for w in walked]
        out.append(Clip(part, [w.plate for w in walked], shapes, edges))
    return out


def _seen(walked, part: str) -> shapely.Geometry:  # type: ignore[no-untyped-def]
    alpha = walked.parts[part].astype(np.float32) * (1 - walked.hidden(part).astype(np.float32) / 255)
    return edge_of(alpha)


def rough(clip: Clip, seed: int) -> tuple[list[int], np.ndarray]:
    """Keys, and the outline in between them, as somebody would have left it half done."""
    rng = np.random.default_rng(seed)
    count, points = clip.truth.shape[:2]
    keys = np.arange(0, count, (5, 8, 12)[seed % 3])
    keys = np.unique(np.append(keys[rng.random(len(keys)) > 0.15], [0, count - 1]))
    shapes, amount = clip.truth[keys].copy(), rng.uniform(4, 10)
    for k in range(len(keys)):
        dice, angle = rng.random(), rng.uniform(0, 2 * np.pi)
        way = amount * np.array([np.cos(angle), np.sin(angle)])
        if dice < 0.25:
            shapes[k, :, :2] += rng.uniform(0.5, 1) * way
        elif dice < 0.45:
            some = (rng.integers(points) + np.arange(max(3, points // 5))) % points
            shapes[k, some, :2] += way
        shapes[k, :, :2] += rng.normal(0, 0.3, shapes[k, :, :2].shape)
    return [int(k) for k in keys], _between(keys, shapes, count)


def _between(keys: np.ndarray, shapes: np.ndarray, count: int) -> np.ndarray:
    return in_between(Animation(keys.astype(float), shapes, ("smooth",) * len(keys)), np.arange(count))


def errors(clip: Clip, frame: int, along: Normals) -> tuple[np.ndarray, np.ndarray]:
    """How far places are from the true outline, and which of them count: where its edge is seen."""
    true = normals_of(clip.truth[frame], list(range(clip.truth.shape[1])), 1.0).places
    line, spots = shapely.LinearRing(true), shapely.points(along.places)
    near = shapely.get_coordinates(shapely.shortest_line(spots, line)).reshape(-1, 2, 2)[:, 1]
    height, width = clip.pictures[frame].shape[:2]
    inside = [((p > 6) & (p < np.array([width, height]) - 6)).all(axis=1) for p in (near, along.places)]
    counts = (shapely.distance(clip.edges[frame], shapely.points(near)) < 2) & inside[0] & inside[1]
    return np.asarray(shapely.distance(line, spots)), counts


def _told(clips: list[Clip]) -> tuple[list[float], list[float], np.ndarray, list[float]]:
    """Rank correlations, the first pins' shares of the worst error, counts of (found, missed, false), milliseconds."""
    ranks, firsts, counts, spent = [], [], np.zeros(3), []
    for clip in clips:
        for seed in range(TRIALS):
            keys, points = rough(clip, seed)
            fit = OutlineFit(points, 0, keys, clip.pictures.__getitem__)
            true, faults = {}, {}
            for frame in range(len(points)):
                began = time.perf_counter()
                found = fit.on(frame)
                spent.append(1000 * (time.perf_counter() - began))
                error, counted = errors(clip, frame, fit.along(frame))
                counted &= found.seen
                if counted.sum() < 10:
                    continue
                true[frame], faults[frame] = error[counted].mean(), fault_of(found, counted)
                bad, marked = error[counted] > BAD, found.fault[counted] > FAULTY
                counts += [(bad & marked).sum(), (bad & ~marked).sum(), (~bad & marked).sum()]
            told = calmed(faults)
            ranks.append(float(spearmanr(list(true.values()), [told[f] for f in true])[0]))
            firsts.append(true[max(told, key=lambda f: told[f])] / max(true.values()))
    return ranks, firsts, counts, spent


def _actions(clip: Clip, seed: int) -> tuple[int, int]:
    """Drags and presses until the outline is within RIGHT on the mean: by going to the worst each time, and by even steps.

    Going to a frame is a press. There the whole is dragged, if that helps, and points one by one to their places until the frame
    is right. By the worst, keys that fit on both sides are carried between first (a press, and one to keep or drop it).
    """
    keys, points = rough(clip, seed)
    count, kinds = len(points), ["smooth"] * points.shape[1]

    def off(frame: int, shape: np.ndarray) -> float:
        error, counts = errors(clip, frame, normals_of(shape, list(range(len(shape))), 4.0))
        return float(error[counts].mean()) if counts.any() else 0.0

    def wrong(shapes: np.ndarray) -> float:
        return float(np.mean([off(frame, shapes[frame]) for frame in range(0, count, 4)]))

    def by_hand(frame: int, shape: np.ndarray) -> tuple[np.ndarray, int]:
        """The shape dragged until it is right, and the number of drags."""
        aim, error = clip.truth[frame], partial(off, frame)
        shape, moved = moved_if_better(shape, (aim - shape)[:, :2].mean(axis=0), error, RIGHT)
        shape, drags = to_its_place(shape, aim, error, RIGHT)
        return shape, moved + drags

    def between(held: dict[int, np.ndarray]) -> np.ndarray:
        at = np.array(sorted(held))
        return _between(at, np.stack([held[int(k)] for k in at]), count)

    def evenly() -> int:
        held, shapes, done = {k: points[k] for k in keys}, points, 0
        for frame in _evenly(count):
            if wrong(shapes) <= RIGHT:
                break
            held[frame], drags = by_hand(frame, shapes[frame])
            shapes, done = between(held), done + drags + 1
        return done

    def by_the_worst() -> int:
        held, shapes, done = {k: points[k] for k in keys}, points, 0
        seen: set[object] = set()
        while wrong(shapes) > RIGHT and len(seen) < count:
            fit = OutlineFit(shapes, 0, sorted(held), clip.pictures.__getitem__)
            faults = {f: fault_of(found, found.seen) for f in {*range(0, count, 2), *held} for found in [fit.on(f)]}
            told = {f: v for f, v in faults.items() if f % 2 == 0 and f not in seen}
            near = {f: told.get(f - 2, v) + 2 * v + told.get(f + 2, v) for f, v in told.items()}
            frame = max(near, key=lambda f: near[f])
            done += 1
            fits = {k for k in held if faults[k] <= FITS}
            before, after = nearest_of(held, frame, fits.__contains__)
            if before is not None and after is not None and (before, after) not in seen:
                seen.add((before, after))
                ends = {k: held[k] for k in (before, after)}
                found = carry_range(clip.pictures.__getitem__, ends, kinds, before, after, plate=(0, count - 1))
                tried = held | {d.frame: d.points for d in found if d.points is not None}
                carried, there = between(tried), range(before, after + 1, 2)
                done += 2
                if sum(off(f, carried[f]) for f in there) < sum(off(f, shapes[f]) for f in there):
                    held, shapes = tried, carried
                    continue
            seen.add(frame)
            held[frame], drags = by_hand(frame, shapes[frame])
            shapes, done = between(held), done + drags
        return done

    return by_the_worst(), evenly()


def _evenly(count: int) -> list[int]:
    """All frames in even steps, each half of the one before."""
    out: list[int] = []
    step = 16
    while step:
        out += [f for f in range(0, count, step) if f not in out]
        step //= 2
    return out


def _holes() -> tuple[int, int]:
    """In how many of 20 trials each a forgotten thumb, and a cover that is too wide, are found."""
    frames = plates()
    seen = {i: read_truth(FOOTAGE, i) for i in range(16, 76, 3)}
    corners = {i: read_truth(FOOTAGE, i).corners for i in range(len(frames))}
    view = View(Request("", corners), AtHand(frames))
    behind = behind_of(view, lambda line: None)
    rng, thumbs, wide = np.random.default_rng(4), 0, 0
    for frame, truth in list(seen.items())[:20]:
        laid = view.laid(behind, frame)
        within = cv2.erode(laid.known.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        picture = frames[frame].astype(np.float32)
        covered = difference_matte(picture, laid)
        whole, thumb = truth.hand.astype(np.float32) / 255, truth.parts["thumb"].astype(np.float32) / 255
        found = holes(covered, np.where(thumb > 0.02, 0, whole).astype(np.float32), within, picture, laid.picture)
        thumbs += any(h.what == "open" and _on(thumb, h.centre) for h in found) or (thumb * within > 0.5).sum() < 300
        bare = cv2.distanceTransform(((whole < 0.02) & within).astype(np.uint8), cv2.DIST_L2, 5)
        spots = np.argwhere(bare > 26)
        y, x = spots[rng.integers(len(spots))]
        blob = np.zeros(whole.shape, np.float32)
        cv2.circle(blob, (int(x), int(y)), 22, 1.0, -1, cv2.LINE_AA)
        found = holes(covered, np.maximum(whole, blob), within, picture, laid.picture)
        wide += any(h.what == "wide" and np.hypot(h.centre[0] - x, h.centre[1] - y) < 22 for h in found)
    return thumbs, wide


def _on(matte: np.ndarray, place: tuple[float, float]) -> bool:
    x, y = (int(v) for v in place)
    return bool(matte[max(y - 9, 0) : y + 10, max(x - 9, 0) : x + 10].max() > 0.5)


def _boil() -> float:
    """Share of trials in which boil of 0.3 px that was put in is located within a tenth of the outline's length."""
    rng, good, trials = np.random.default_rng(6), 0, 0
    for clip in demo():
        keys = np.arange(0, 100, 6)
        smooth = _between(keys, clip.truth[keys], 100)
        count = smooth.shape[1]
        for _ in range(20):
            place = int(rng.integers(count))
            shaken = smooth.copy()
            for near, share in ((-1, 0.5), (0, 1.0), (1, 0.5)):
                shaken[30:60, (place + near) % count, :2] += share * rng.normal(0, 0.3, (30, 2))
            found = boil(shaken)
            _, where = found.worst()
            lengths = np.bincount(found.segment, minlength=count) * found.spacing
            start = np.concatenate([[0], np.cumsum(lengths)])
            away = abs(start[found.segment[where]] + found.t[where] * lengths[found.segment[where]] - start[place])
            good += min(away, start[-1] - away) <= 0.1 * start[-1]
            trials += 1
    return good / trials


def _times() -> tuple[float, float]:
    """Seconds for all of a 1080p shot with 8 covers (for 300 frames), and for what an edit of one key touched."""
    with TemporaryDirectory() as scratch:
        opened = _shot(Path(scratch), 1920, 1080, 60, 8)
        shot, pictures, kept = opened.evaluated, opened.pictures(), {}

        def picture(frame: int) -> np.ndarray:
            if frame not in kept:
                kept[frame] = np.asarray(pictures.plate(shot.plate, frame, 1920, 1080), np.uint8)
            return kept[frame]

        for frame in opened.frames:
            picture(frame)
        reviewer = Reviewer()
        things = reviewer.things(shot)
        began = time.perf_counter()
        list(reviewer.judge(things, reviewer.left(things), picture))
        whole = (time.perf_counter() - began) * 300 / len(opened.frames)
        outline = things[0].outline
        moved = outline.keys[1].model_copy(update={"points": as_points(things[0].shape(outline.keys[1].frame) + 2.0)})
        keys = [outline.keys[0], moved, *outline.keys[2:]]
        after = shot.with_elements({outline.id: Outline.model_copy(outline, update={"keys": keys})})
        began = time.perf_counter()
        things = reviewer.things(after)
        list(reviewer.judge(things, reviewer.left(things), picture))
        pictures.close()
        return whole, time.perf_counter() - began


def run() -> list[Row]:
    """All rows."""
    rows = []
    others = [clip for name in passers.PASSERS for clip in parts_of(name)]
    for name, clips in (
        ("the demo's hand", demo()),
        ("a gardener's parts, kept aside", parts_of("leaves")),
        ("other people's parts, kept aside", others),
    ):
        ranks, firsts, (found, missed, false), spent = _told(clips)
        rows += [
            Row(f"fit and true error, rank correlation: {name}", float(np.mean(ranks)), "", "look.rank", f"worst {min(ranks):.2f} of {len(ranks)} trials; Spearman by SciPy"),
            Row(f"first pin has 90 % of the worst error: {name}", 100 * float(np.mean(np.array(firsts) >= NEARLY)), "%", "look.first", f"on the mean {100 * np.mean(firsts):.0f} % of it"),
            Row(f"places over 2 px off that are marked: {name}", 100 * found / (found + missed), "%", "look.found", f"{spent and np.median(spent):.0f} ms a shape"),
            Row(f"marks that are false: {name}", 100 * false / (found + false), "%", "look.false"),
        ]  # fmt: skip
    thumbs, wide = _holes()
    pairs = [_actions(clip, seed) for clip in demo() for seed in range(2)]
    going, evenly = (sum(p[k] for p in pairs) for k in (0, 1))
    whole, edit = _times()
    return [
        *rows,
        Row("forgotten thumb found, of 20", thumbs, "", "look.holes"),
        Row("cover that is too wide found, of 20", wide, "", "look.holes"),
        Row("boil of 0.3 px located within a tenth of the length", 100 * _boil(), "%", "look.boil"),
        Row("drags and presses until 1 px, going by the worst", going / evenly * 100, "%", "look.actions", f"{going} against {evenly} by even steps, 4 trials"),
        Row("whole shot of 300 frames at 1080p, 8 covers", whole, "s", "look.whole", "one thread; pictures at hand"),
        Row("after an edit: its frames judged anew", edit, "s", "look.edit", "one thread; pictures at hand"),
    ]  # fmt: skip


if __name__ == "__main__":
    from benchmarks.table import show
    from wiseglove.core.warm import warm_up

    warm_up()
    show(run())
