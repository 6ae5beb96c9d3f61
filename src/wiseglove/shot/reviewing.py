"""Which frame of which outline needs a hand: fit, where it matters, and boil, of a shot as it stands; kept by content.

What was judged once holds for as long as the outline's shapes on the frames that it was judged by are the same, whoever
edited what. So after an edit only the frames it touched are judged again.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from threading import Lock
from typing import NamedTuple

import numpy as np
import shapely
from cachetools import LRUCache
from numpy.typing import NDArray

from wiseglove.core.kept import kept
from wiseglove.core.outline.normals import Normals
from wiseglove.core.review.boil import Boil, boil
from wiseglove.core.review.fit import Fit, OutlineFit, onto_edge
from wiseglove.core.review.matters import area_of, matters
from wiseglove.shot.basics import Plate
from wiseglove.shot.doubts import AROUND, Doubt
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import COARSE, shape_digest
from wiseglove.shot.model import Cover, Outline, Pane
from wiseglove.shot.rider import Rider
from wiseglove.shot.subject import Subject

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
PictureAt = Callable[[int], Picture]
KEPT, MOST_OUTLINES = 8000, 256
"""Frames of outlines whose verdicts are kept, and outlines whose shapes are."""
STRETCH = 32.0
"""Pixels along an outline over which a fault is told as one."""
LEAST_STRETCH = 6
"""How many times the fault of a frame its worst stretch has at most."""
FAULTY = 1.7
"""Pixels of fault from which a place is marked, and a frame gets a pin."""
BADLY = 8.0
"""Pixels of fault that need a hand as badly as can be told by halves."""


class Target(NamedTuple):
    """An outline of a frame that is still to be judged."""

    outline: str
    frame: int


@dataclass(frozen=True, eq=False)
class Reviewed:
    """An outline that rides as it does, with all that its verdicts depend on."""

    rider: Rider[Outline]
    cover: Cover
    plate: Plate

    @property
    def outline(self) -> Outline:
        """The outline itself."""
        return self.rider.element

    @kept
    def points(self) -> Array:
        """Its shape on each of the plate's frames, (T, N, 8)."""
        return self.rider.points_at(np.arange(self.plate.first, self.plate.last + 1))

    @kept
    def frames(self) -> list[int]:
        """Frames on which it is there."""
        every = range(self.plate.first, self.plate.last + 1)
        return [f for f in every if self.cover.present(f) and self.outline.present(f)]

    @kept
    def contents(self) -> dict[int, bytes]:
        """For each frame a name of all that its verdict depends on: the plate, the shapes around, and its witnesses."""
        rough = np.round(self.points / COARSE).astype("<i4")
        rows = [hashlib.blake2b(row.tobytes(), digest_size=8).digest() for row in rough]
        judge, last = self.judge(_nothing), len(rows) - 1

        def around(frame: int) -> bytes:
            index = frame - self.plate.first
            return b"".join(rows[min(max(index + d, 0), last)] for d in (-1, 0, 1))

        @cache
        def over(ways: tuple[range, range]) -> bytes:
            """What it is followed over: the shapes there, and those that these are judged by."""
            frames = {f for way in ways for f in way}
            frames |= {key for f in frames for key in judge.witnesses(f)}
            return hashlib.blake2b(b"".join(around(f) for f in sorted(frames)), digest_size=8).digest()

        out = {}
        for frame in self.frames:
            name = hashlib.blake2b(f"{self.plate.media} {frame}".encode(), digest_size=16)
            name.update(around(frame))
            for key in judge.witnesses(frame):
                name.update(f" {key} ".encode() + around(key))
            name.update(over(judge.followed_over(frame)))
            out[frame] = name.digest()
        return out

    def judge(self, picture_at: PictureAt, points: Array | None = None) -> OutlineFit:
        """What judges it, with nothing kept yet; points: other shapes (T, N, 8) than its own."""
        there, keys = set(self.frames), [k.frame for k in self.outline.keys]
        return OutlineFit(
            self.points if points is None else points,
            self.plate.first,
            [k for k in keys if k in there] or keys,
            picture_at,
            self._shifts if points is None else None,
        )

    @kept
    def _shifts(self) -> dict[int, Array]:
        return {}  # how far it seems to lie elsewhere, by frame, as far as it was looked at

    def along(self, frame: int) -> Normals:
        """The places along it that are looked at on a frame."""
        return self.judge(_nothing).along(frame)

    def shape(self, frame: int) -> Array:
        """Its shape (N, 8) on a frame of the plate."""
        return np.asarray(self.points[min(max(frame - self.plate.first, 0), len(self.points) - 1)])


class Reviewer:
    """Judges outlines frame by frame and keeps what it found. Safe for use by several threads."""

    def __init__(self) -> None:
        self._fits: LRUCache[bytes, Fit] = LRUCache(KEPT)
        self._faults: LRUCache[tuple[object, ...], float] = LRUCache(KEPT)
        self._things: LRUCache[tuple[object, ...], Reviewed] = LRUCache(MOST_OUTLINES)
        self._lock = Lock()

    def things(self, shot: EvaluatedShot, only: str | None = None) -> list[Reviewed]:
        """The outlines of covers that are shown and hide something themselves, from near to far; or only one of them."""
        others = shot.mattes_of_subjects
        wanted = [
            (shot.rider(outline), cover)
            for cover in shot.covers
            if cover.id not in others and shot.is_shown(cover)
            for outline in shot.outlines_of(cover)
            if only is None or outline.id == only
        ]
        out = []
        for rider, cover in wanted:
            key = rider, shot.plate.media
            with self._lock:
                thing = self._things.get(key)
            if thing is None or thing.cover is not cover:
                thing = Reviewed(rider, cover, shot.plate)
                with self._lock:
                    self._things[key] = thing
            out.append(thing)
        return out

    def fit(self, thing: Reviewed, frame: int) -> Fit | None:
        """What was judged of an outline on a frame, if it was."""
        name = thing.contents.get(frame)
        with self._lock:
            return None if name is None else self._fits.get(name)

    def left(self, things: Sequence[Reviewed]) -> list[Target]:
        """What is still to be judged of them."""
        out = []
        with self._lock:
            for thing in things:
                out += [Target(thing.outline.id, f) for f, name in thing.contents.items() if name not in self._fits]
        return out

    def judge(
        self, things: Sequence[Reviewed], targets: Sequence[Target], picture_at: PictureAt, keys_first: bool = False
    ) -> Iterator[Target]:
        """Judge some of them, one after the other, as they are asked for.

        keys_first: look at all keys that they are judged by first, in order, for pictures of a movie are quickest read so.
        """
        judges = {t.outline.id: (t, t.judge(picture_at)) for t in things}
        if keys_first:
            for key, outline in sorted(
                {(k, t.outline) for t in targets for k in judges[t.outline][1].witnesses(t.frame)}
            ):
                judges[outline][1].look_at(key)
        for target in targets:
            thing, judge = judges[target.outline]
            if self.fit(thing, target.frame) is None:
                fit = judge.on(target.frame)
                with self._lock:
                    self._fits[thing.contents[target.frame]] = fit
            yield target

    def fault(self, thing: Reviewed, frame: int, weighing: Weighing) -> float | None:
        """One number for an outline on a frame, in pixels; None where it was not judged."""
        fit = self.fit(thing, frame)
        if fit is None:
            return None
        key = thing.contents[frame], *weighing.depends_on(thing)
        with self._lock:
            known = self._faults.get(key)
        if known is None:
            known = fault_of(fit, weighing.of(thing, frame, fit.places))
            with self._lock:
                self._faults[key] = known
        return known


def _nothing(frame: int) -> Picture:
    raise AssertionError("what is known needs no pictures")


def _put_in(shot: EvaluatedShot) -> list[Pane | Subject]:
    """What is shown behind or between covers: panes and subjects."""
    things: list[Pane | Subject] = [*shot.panes, *shot.subjects]
    return [t for t in things if shot.is_shown(t)]


class Weighing:
    """Where outlines of a shot matter, frame by frame."""

    def __init__(self, shot: EvaluatedShot, everything: bool = False) -> None:
        """everything: whether all of an outline counts, not only what lies over what is put in behind it."""
        self._shot = shot
        self.everything = everything or not _put_in(shot)
        self._beside: dict[str, tuple[list[Pane | Subject], list[tuple[Cover, Outline]]]] = {}
        self._areas: dict[tuple[str, int], shapely.Geometry] = {}

    def of(self, thing: Reviewed, frame: int, places: Array) -> NDArray[np.bool_]:
        """Which of the places (M, 2) of an outline matter on a frame, (M,)."""
        if self.everything:
            return np.ones(len(places), bool)
        behind, nearer = self._around(thing)
        soft = float(thing.shape(frame)[:, 6:].max(initial=0.0)) + abs(thing.cover.grow)
        areas = [self._corners(b, frame) for b in behind]
        hiding = [self._outline(o, frame) for c, o in nearer if c.present(frame) and o.present(frame)]
        return matters(places, areas, [soft] * len(areas), hiding)

    def depends_on(self, thing: Reviewed) -> tuple[object, ...]:
        """What all of that depends on: the very objects, and whether everything counts."""
        if self.everything:
            return (True,)
        behind, nearer = self._around(thing)
        return (
            False,
            thing.cover.grow,
            *(self._shot.rider(b) for b in behind),
            *(self._shot.rider(o) for _, o in nearer),
        )

    def _around(self, thing: Reviewed) -> tuple[list[Pane | Subject], list[tuple[Cover, Outline]]]:
        """The panes and subjects behind an outline, and the other outlines that stay in front of all of these."""
        if thing.cover.id not in self._beside:
            shot, depth = self._shot, self._shot.settings.depth
            own = depth.index(thing.cover.id)
            behind = [b for b in _put_in(shot) if depth.index(b.id) > own]
            # What stays in front is a union: an edge inside another cover of it is no edge, be it nearer or farther.
            until = min((depth.index(b.id) for b in behind), default=own)
            nearer = [
                (c, o)
                for c in shot.covers
                if c is not thing.cover and depth.index(c.id) < until
                if shot.is_shown(c) and c.id not in shot.mattes_of_subjects
                for o in shot.outlines_of(c)
                if o.mode == "adds"
            ]
            self._beside[thing.cover.id] = behind, nearer
        return self._beside[thing.cover.id]

    def _corners(self, thing: Pane | Subject, frame: int) -> shapely.Geometry:
        key = thing.id, frame
        if key not in self._areas:
            corners = self._shot.corners_at(thing, frame)
            self._areas[key] = shapely.make_valid(shapely.Polygon(corners))
        return self._areas[key]

    def _outline(self, outline: Outline, frame: int) -> shapely.Geometry:
        key = outline.id, frame
        if key not in self._areas:
            self._areas[key] = area_of(self._shot.rider(outline).shape_at(frame))
        return self._areas[key]


class Stretch(NamedTuple):
    """A stretch of an outline that seems to be off: its places and where the edge seems to be, (M, 2), and the worst fault."""

    places: Array
    ghost: Array
    segments: list[int]
    worst: float


def fault_of(fit: Fit, counts: NDArray[np.bool_]) -> float:
    """One number for a frame, in pixels: the mean of the places that count, or a sixth of the worst stretch's, so that one
    which is far off gets a pin by itself.

    By the mean frames are ranked as they are wrong better than by a quartile, and than by a larger share of the worst stretch.
    """
    use = fit.seen & counts
    if not use.any():
        return 0.0
    spacing = _spacing(fit)
    size = max(round(STRETCH / spacing), 1)
    weighed = np.where(use, fit.fault, 0.0)
    around = np.convolve(np.concatenate([weighed, weighed[: size - 1]]), np.ones(size) / size, mode="valid")
    return float(max(fit.fault[use].mean(), around.max() / LEAST_STRETCH))


def stretches_of(fit: Fit, counts: NDArray[np.bool_]) -> list[Stretch]:
    """The stretches of an outline on a frame that seem to be off by more than FAULTY pixels, the worst first."""
    bad = (fit.fault > FAULTY) & fit.seen & counts
    runs = runs_around(bad)
    out = [
        Stretch(fit.places[r], fit.ghost[r], sorted(set(fit.segment[r].tolist())), float(fit.fault[r].max()))
        for r in runs
    ]
    return sorted(out, key=lambda s: -s.worst)


def runs_around(such: NDArray[np.bool_]) -> list[NDArray[np.int64]]:
    """Runs of places round a closed line that are so, each with one place more at either end; as indices."""
    count = len(such)
    if not such.any():
        return []
    if such.all():
        return [np.arange(count + 1) % count]
    start = int(np.flatnonzero(~such)[0])
    order = (start + np.arange(count)) % count
    cuts = np.flatnonzero(np.diff(such[order].astype(int)) != 0) + 1
    return [np.arange(p[0] - 1, p[0] + len(p) + 1) % count for p in np.split(order, cuts) if such[p[0]]]


def _spacing(fit: Fit) -> float:
    return max(float(np.linalg.norm(np.diff(fit.places, axis=0), axis=1).mean()), 1e-3)


def need_of(fault: float) -> float:
    """How badly a frame with this fault needs a hand, 0..1."""
    return float(fault / (fault + BADLY))


def calmed(faults: Mapping[int, float | None]) -> dict[int, float]:
    """Faults by frame, each with half of its neighbours' mean, where these are known.

    What is off between keys is off on several frames; a single frame that stands out is more often one that was misjudged.
    """
    known = {frame: fault for frame, fault in faults.items() if fault is not None}
    return {
        frame: (known.get(frame - 1, fault) + 2 * fault + known.get(frame + 1, fault)) / 4
        for frame, fault in known.items()
    }


def of_fit(thing: Reviewed, faults: dict[int, float | None]) -> list[Doubt]:
    """Frames on which an outline seems to be off more than on the frames around, unless it was said to look right there."""
    known = calmed(faults)
    return [
        Doubt(frame=frame, need=need_of(fault), about=thing.outline.id, what="off")
        for frame, fault in known.items()
        if fault > FAULTY
        and fault >= max(known.get(frame + d, 0.0) for d in range(-AROUND, AROUND + 1))
        and not looks_right(thing, frame)
    ]


def righted(thing: Reviewed, frame: int, picture_at: PictureAt, only: set[int] | None = None) -> Array:
    """An outline's shape (N, 8) on a frame with its stretches put where their edge seems to be; only: segments that may move.

    Twice, for what was far off is searched again from near.
    """
    index, points = frame - thing.plate.first, thing.points.copy()
    count = points.shape[1]
    ends = {k for s in only or () for k in (s, (s + 1) % count)}
    movable = np.ones(count, bool) if only is None else np.isin(np.arange(count), list(ends))
    for _ in range(2):
        fit = thing.judge(picture_at, points).on(frame)
        points[index] = onto_edge(points[index], fit, movable, list(thing.outline.kinds))
    return np.asarray(points[index])


def looks_right(thing: Reviewed, frame: int) -> bool:
    """Whether somebody said that this very shape looks right on a frame."""
    said = thing.outline.right.get(frame)
    return said is not None and said == shape_digest(thing.shape(frame))


def boil_of(thing: Reviewed) -> Boil:
    """How an outline boils against what it rides on, on all frames of the plate."""
    plate = thing.plate
    return boil(thing.rider.stored_at(np.arange(plate.first, plate.last + 1)))


def overlaps(thing: Reviewed, weighing: Weighing, every: int = 1) -> dict[int, float]:
    """The share of an outline that lies over what is put in behind it, on each (or every n-th) frame on which it is there."""
    judge = thing.judge(_nothing)
    return {f: float(weighing.of(thing, f, judge.along(f).places).mean()) for f in thing.frames[::every]}
