"""Solves a flat patch's motion over a range of frames, from a reference frame outwards."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from copy import copy, deepcopy
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.align import LENIENT, Aligner
from wiseglove.core.motion.exposure import Exposure
from wiseglove.core.motion.found import Finder
from wiseglove.core.motion.models import FREEDOMS, Model
from wiseglove.core.motion.moments import apart, between, course, samples_for, travel
from wiseglove.core.motion.reference import LEVELS, SMALLEST, Reference, pyramid
from wiseglove.core.motion.verdict import Around, Place, around_of, from_before, judged

Matrix = NDArray[np.float64]
Picture = NDArray[np.float32]
Going = Callable[[int, int], Matrix]
"""How the picture goes from one frame to another, (3, 3), as something else knows."""
KEPT = 8
"""Frames whose pictures are kept ready, for the frame after comes back to the one before."""
COARSE_SLACKS = [1.0, 0.6, 0.4, 0.3, 0.25, 0.25]
FEW = 4
"""Freedoms up to which a large patch is settled at half size: so few numbers have pixels to spare."""
PLAIN = 0.15
"""Deviation of the worst corner in px below which they are."""
CURVED = 0.1
"""Pixels by which a course may differ from what two neighbours tell of it before the frame is looked at once more."""
STRAIGHT = 1.0
"""Pixels of bend up to which the second look at a frame would change next to nothing (a 50th of it)."""
ALIKE = 0.5
"""Correlation that a frame must have with a motion that only shifts on."""
RUN_OUT = 0.3
"""Confidence of such a frame."""
REMEMBERED, FAR = 24, 24
"""Frames after which the place where a patch was last is forgotten, and pixels of the coarsest level it is looked for within."""
NEAR = 0.85
"""Correlation from which a guess needs no search at the coarse levels."""


class PlaneSolver:
    """Solves one frame after another against the same reference.

    picture_at: frame number to (h, w) float32 picture, 0..255. ignore_at: frame number to (h, w), 1 where nothing
    must be looked at, or None. mask: what counts on the reference frame, (h, w) 0..1.
    """

    def __init__(
        self,
        picture_at: Callable[[int], Picture],
        at: int,
        mask: Picture,
        model: Model = "perspective",
        ignore_at: Callable[[int], Picture | None] = lambda frame: None,
        levels_at: Callable[[int], list[Picture]] | None = None,
        reach: int | None = None,
        ends: Matrix | None = None,
        runs_out: bool = False,
        counted_at: Callable[[int], Picture] | None = None,
        going: Going | None = None,
    ) -> None:
        """going: how the picture is expected to go between two frames, from where the motion is looked for first.

        counted_at: frame number to what counts on it, (h, w) at the reference, where that changes; within `mask`.

        runs_out: where the model cannot be told any more, only shift is solved and the rest of the motion goes on.

        levels_at: the pictures' pyramids, where somebody keeps them for several solvers.

        reach: pixels from where it is expected in which a small patch is looked for; None: where its features are
        seen, in the whole frame. ends: as for `Reference`. Raises ValueError where nothing of the mask counts.
        """
        self.picture_at, self.at, self.reach, self.runs_out = picture_at, at, reach, runs_out
        self.levels_at = levels_at or lru_cache(maxsize=KEPT)(lambda frame: pyramid(picture_at(frame)))
        self.ignore_at = lru_cache(maxsize=KEPT)(ignore_at)
        self.exposure = Exposure()
        self.grain = 1.0
        counted = np.asarray(mask, np.float32)
        hidden = ignore_at(at)
        if hidden is not None:
            counted = counted * (hidden < 0.02)
        self.reference = Reference(picture_at(at), counted, ends)
        self.masks_at = lru_cache(maxsize=KEPT)(
            lambda frame: None if counted_at is None else self.reference.masks_of(counted_at(frame))
        )
        self.going = going
        self.freedoms = FREEDOMS[model]
        self.model = model
        self.finder = Finder(self.reference, model) if reach is None else None
        smaller = min(self.reference.box[2] - self.reference.box[0], self.reference.box[3] - self.reference.box[1])
        self.coarsest = max((level for level in range(LEVELS) if smaller >> level >= SMALLEST), default=0)
        self.known: dict[int, Place] = {at: Place(at, np.eye(3), "solved", 1.0)}

    def branch(self) -> PlaneSolver:
        """A solver of its own that begins with what this one knows: what either learns, the other does not see.

        Two directions are solved by two branches, so that neither depends on how far the other has come.
        """
        twin = copy(self)
        twin.exposure, twin.known = deepcopy(self.exposure), dict(self.known)
        return twin

    # -- one frame -----------------------------------------------------------------------------------------

    def aligner(self, frame: int) -> Aligner:
        """The frame's picture, ready to be compared."""
        levels = self.levels_at(frame)
        exposure, ignored, masks = self.exposure, self.ignore_at(frame), self.masks_at(frame)
        return Aligner(self.reference, levels, ignored, self.freedoms, exposure.linear, self.grain, masks)

    def _path(self, matrix: Matrix, around: Around) -> Matrix:
        """The course of the corners through a frame's place and those of its neighbours."""
        ends = self.reference.corners
        return course({0: apply(matrix, ends), **{offset: apply(there, ends) for offset, there in around.items()}})

    def _within(self, matrix: Matrix, around: Around, shutter: float | None = None, level: int = 0) -> Matrix:
        """The exposure's sub-poses at a motion, with what is known of its neighbours, as many as a level needs."""
        shutter = self.exposure.shutter if shutter is None else shutter
        if not around:
            return np.eye(3)[None]
        path = self._path(matrix, around)
        jacobian = abs(np.linalg.det(matrix[:2, :2])) ** 0.5
        reduced = 1.0 if jacobian > 0.8 else 1 / max(jacobian, 0.05)
        return between(path, samples_for(travel(path, shutter) / (1 << level), reduced), shutter)

    def _coarse(self, aligner: Aligner, starts: list[Matrix]) -> Matrix | None:
        """The best of several starts after alignment at the reduced levels."""
        best: tuple[float, Matrix] | None = None
        if self.coarsest and starts and aligner.score(starts[0], 1) > NEAR:
            return starts[0]
        for start in starts:
            matrix: Matrix | None = start
            for level in range(self.coarsest, 0, -1):
                freedoms = {3: 4, 2: 6, 1: 8}[level] if self.freedoms > 2 else 2
                if matrix is not None:
                    matrix = aligner.refine(matrix, np.eye(3)[None], level, COARSE_SLACKS, 0.05, freedoms)
            if matrix is None:
                continue
            score = aligner.score(matrix, 1 if self.coarsest else 0)
            if best is None or score > best[0]:
                best = score, matrix
            if score > 0.9:
                break
        return best[1] if best else None

    def solve_frame(self, frame: int, before: Place | None, earlier: Place | None) -> Place:
        """A frame from its neighbour on the side of the reference, and that one's neighbour."""
        aligner = self.aligner(frame)
        starts: list[Matrix] = []
        last = before.matrix if before is not None else None
        if self.going is not None:
            base, known = (self.at, np.eye(3)) if before is None or last is None else (before.frame, last)
            starts.append(self.going(base, frame) @ known)
        if last is not None:
            if earlier is not None and earlier.matrix is not None:
                starts.append(last @ np.linalg.inv(earlier.matrix) @ last)
            starts.append(last)
            far = {} if self.reach is None else {"reach": max(-(-self.reach // (1 << self.coarsest)), 2)}
            matched = aligner.shifted(last, self.coarsest, **far)
            if matched is not None:
                starts.append(matched)
        place = self._from(aligner, frame, starts, last)
        if place.status != "solved":
            again = self._found(aligner)
            if again is not None:
                other = self._from(aligner, frame, [again], last)
                if other.confidence > place.confidence:
                    place = other
        if place.status == "lost" and self.runs_out and last is not None:
            on = last if earlier is None or earlier.matrix is None else starts[0]
            return self._run_out(aligner, frame, on, last) or place
        return place

    def _run_out(self, aligner: Aligner, frame: int, on: Matrix, last: Matrix) -> Place | None:
        """A frame on which the motion goes on as before, but for a shift that is solved; None where that shows nothing."""
        freedoms, lenient = aligner.freedoms, aligner.lenient
        aligner.freedoms, aligner.lenient = 2, LENIENT[2]
        level = self._control_level(aligner, on)
        within = self._within(on, {-1: last}, level=level)
        matrix = aligner.refine(on, within, level, [1.0, 0.6, 0.4, 0.3], 0.02)
        score = aligner.score(matrix, level, within) if matrix is not None else -1.0
        aligner.freedoms, aligner.lenient = freedoms, lenient
        if matrix is None or score < ALIKE:
            return None
        return Place(frame, matrix, "unsure", RUN_OUT, {}, "runs-out")

    def _found(self, aligner: Aligner) -> Matrix | None:
        """Where the reference is seen, wherever that is."""
        if self.finder is None:
            return None
        return self.finder.find(aligner.levels[0], aligner.ignored[0] if aligner.ignored else None)

    def _from(self, aligner: Aligner, frame: int, starts: list[Matrix], last: Matrix | None) -> Place:
        close = self._close(aligner, starts, last)
        if close is not None:
            matrix, level, within = starts[0], 1, close
        else:
            found = self._coarse(aligner, starts)
            if found is None:
                return Place(frame, None, "lost", 0.0, {}, "covered")
            matrix, level = found, self._control_level(aligner, found)
            within = self._within(matrix, from_before(last), level=level)
        aligned = aligner.refine(matrix, within, level, [0.5, 0.3, 0.15], 0.01)
        if aligned is None:
            return Place(frame, None, "lost", 0.0, {}, "covered")
        place = self._settled(aligner, frame, aligned, within, level)
        if level == 0 or place.status == "solved" or place.parts.get("correlation", 0.0) < ALIKE:
            return place  # below: seen, but not sure at half size, which is no verdict
        better = self._again(aligner, replace(place, matrix=aligned), from_before(last), 0)
        return better if better.confidence > place.confidence else place

    def _close(self, aligner: Aligner, starts: list[Matrix], last: Matrix | None) -> Matrix | None:
        """The exposure's sub-poses at the first start, where that explains the half-size picture already."""
        if not starts or self._control_level(aligner, starts[0]) != 1:
            return None
        within = self._within(starts[0], from_before(last), level=1)
        return within if aligner.score(starts[0], 1, within) > NEAR else None

    def _control_level(self, aligner: Aligner, matrix: Matrix) -> int:
        """The level at which a frame is judged at first: reduced by 2 where the patch is large enough for that."""
        window = aligner.window(matrix, 1) if self.coarsest else None
        return 1 if window is not None and min(window.width, window.height) >= 80 else 0

    def _settled(self, aligner: Aligner, frame: int, matrix: Matrix, within: Matrix, level: int) -> Place:
        """Without the blocks that disagree, once more; then the verdict."""
        ends = apply(matrix, self.reference.corners)
        fit, good = aligner.measured(matrix, within, level=level)
        if level == 0 and fit.parts.get("residual"):
            self.grain = fit.parts["residual"] ** 2 / 2
        if good is not None and good.min() < 1:
            again = aligner.refine(matrix, within, level, [0.12], 0.01, keep=good)
            if again is not None:
                fit, _ = aligner.measured(again, within, level=level)
        smear = float(np.abs(apply(within[-1], ends) - apply(within[0], ends)).max()) if len(within) > 1 else 0.0
        return judged(frame, fit, smear)

    def refined(self, frame: int, place: Place, before: Matrix | None, after: Matrix | None) -> Place:
        """A place again, now that both neighbours are known: at full size, or reduced where that is sure enough."""
        if place.matrix is None or place.reason == "runs-out":
            return place
        aligner = self.aligner(frame)
        if before is not None and after is not None and self.exposure.learning and place.status == "solved":
            self._learn(aligner, place.matrix, before, after)
        level = self._control_level(aligner, place.matrix)
        few = level > 0 and self.freedoms <= FEW and place.parts.get("deviation", 99.0) < PLAIN
        if few and self._bend(place.matrix, before, after) < STRAIGHT:
            return place
        around = {offset: there for offset, there in ((-1, before), (1, after)) if there is not None}
        better = self._again(aligner, place, around, level if few else 0)
        return better if better.confidence >= 0.5 or better.confidence >= place.confidence else place

    def polished(self, frame: int, known: Mapping[int, Place], learnt: Exposure) -> Place | None:
        """A solved place once more where its course bends more than its two neighbours told; None where it does not.

        learnt: how this frame was taken to be exposed when it was solved.
        """
        place = known[frame]
        if place.status != "solved" or place.matrix is None or frame == self.at:
            return None
        around = around_of(known, frame)
        if not {-1, 1} <= set(around):
            return None
        path, two = self._path(place.matrix, around), self._path(place.matrix, {k: around[k] for k in (-1, 1)})
        same = learnt.same_as(self.exposure) or travel(path, 1.0) < CURVED
        if same and apart(path, two, self.exposure.shutter) < CURVED:
            return None
        better = self._again(self.aligner(frame), place, around, 0)
        return better if better.status == "solved" else None

    def meant(self, before: Matrix, after: Matrix) -> Matrix:
        """From where the reference is in the middle of its exposure to where it shows on the mean, (3, 3)."""
        return np.asarray(between(self._path(np.eye(3), {-1: before, 1: after}), 1, self.exposure.shutter)[0])

    def _bend(self, matrix: Matrix, before: Matrix | None, after: Matrix | None) -> float:
        """Pixels by which a frame lies off the middle of its neighbours, which the blur did not know of yet."""
        if before is None or after is None:
            return 0.0
        ends = self.reference.corners
        return float(np.abs((apply(before, ends) + apply(after, ends)) / 2 - apply(matrix, ends)).max())

    def _again(self, aligner: Aligner, place: Place, around: Around, level: int) -> Place:
        assert place.matrix is not None
        within = self._within(place.matrix, around)
        matrix = aligner.refine(place.matrix, within, level, [0.2, 0.12], 0.01)
        return place if matrix is None else self._settled(aligner, place.frame, matrix, within, level)

    def exposed(self, known: Mapping[int, Place]) -> Exposure | None:
        """How the plate is exposed, by the solved frames that move fast and evenly; None where none moves enough."""
        found: list[tuple[float, int, dict[int, Matrix]]] = []
        for frame, place in known.items():
            around = around_of(known, frame)
            steep = place.parts.get("reduction", 9.0) > 1.25
            if place.matrix is None or frame == self.at or steep or not {-1, 1} <= set(around):
                continue
            path = self._path(place.matrix, around)
            speed = travel(path, 1.0)
            if speed >= Exposure.FAST and place.status == "solved":
                two = self._path(place.matrix, {k: around[k] for k in (-1, 1)})
                found.append((apart(path, two, 1.0) / speed, frame, around))
        learnt = Exposure()
        for _, frame, around in sorted(found, key=lambda each: each[:2])[: Exposure.ENOUGH]:
            aligner, now = self.aligner(frame), np.asarray(known[frame].matrix)
            level, energies = self._control_level(aligner, now), []
            for shutter, linear in (Exposure.CHOICES[i] for i in learnt.open):
                aligner.linear = linear
                within = self._within(now, around, shutter, level)
                # Where it lies depends on how it is taken to be exposed, so each is given its own best place.
                matrix = aligner.refine(now, within, level, [0.2, 0.12], 0.02)
                energies.append(np.inf if matrix is None else aligner.energy(matrix, within, level))
            learnt.learn(energies)
        return learnt if found else None

    def _learn(self, aligner: Aligner, matrix: Matrix, before: Matrix, after: Matrix) -> None:
        ends = self.reference.corners
        speed = np.abs(apply(after, ends) - apply(before, ends)).max() / 2
        if speed < Exposure.FAST or aligner.reduction(matrix) > 1.25:
            return
        energies = []
        level = self._control_level(aligner, matrix)
        for shutter, linear in (Exposure.CHOICES[i] for i in self.exposure.open):
            aligner.linear = linear
            energies.append(aligner.energy(matrix, self._within(matrix, {-1: before, 1: after}, shutter, level), level))
        self.exposure.learn(energies)
        aligner.linear = self.exposure.linear

    # -- many frames ---------------------------------------------------------------------------------------

    def run(self, frames: range) -> Iterator[Place]:
        """Places along a range, on from what is known beside it; each is given again once its neighbours are known.

        Where nothing is known beside the range, the reference is looked for until it is found.
        """
        step = frames.step
        before: Place | None = self.known.get(frames.start - step)
        earlier: Place | None = self.known.get(frames.start - 2 * step)
        searching = before is None or before.matrix is None
        lately: Place | None = None
        for frame in frames:
            place = self._searched(frame, lately) if searching else self.solve_frame(frame, before, earlier)
            if place.status == "lost":
                yield from self._better(frames, before, earlier, None)
                lately = before or lately
                searching, earlier, before = True, None, None
            else:
                if searching:
                    yield from self._into_gap(frame, place, frames)
                searching = False
                yield from self._better(frames, before, earlier, place)
                earlier, before = (self.known[before.frame] if before else None), place
            self.known[frame] = place
            yield place
        yield from self._better(frames, before, earlier, None)

    def _better(
        self, frames: range, place: Place | None, earlier: Place | None, later: Place | None
    ) -> Iterator[Place]:
        """A place of the range again, with what is known of its neighbours."""
        if place is None or place.frame not in frames or place.matrix is None:
            return
        before = earlier.matrix if earlier is not None else None
        better = self.refined(place.frame, place, before, later.matrix if later is not None else None)
        self.known[place.frame] = better
        yield better

    def _searched(self, frame: int, lately: Place | None) -> Place:
        """A frame after one that was lost: where the patch's features are seen, or not too far from where it was last."""
        aligner = self.aligner(frame)
        found = self._found(aligner)
        place = Place(frame, None, "lost", 0.0, {}, "covered")
        if found is not None:
            place = self._from(aligner, frame, [found], None)
        if place.status != "solved" and lately is not None and abs(frame - lately.frame) <= REMEMBERED:
            assert lately.matrix is not None
            moved = aligner.shifted(lately.matrix, self.coarsest, FAR)
            if moved is not None:
                place = self._from(aligner, frame, [moved, lately.matrix], None)
        if place.status != "solved":
            return Place(frame, None, "lost", place.confidence, place.parts, place.reason)
        return place

    def _into_gap(self, frame: int, place: Place, frames: range) -> Iterator[Place]:
        """Back into the frames of the range that were lost, as far as it is sure."""
        after, later, step = place, None, frames.step
        back = frame - step
        while back in frames and back in self.known and self.known[back].status == "lost":
            tried = self.solve_frame(back, after, later)
            if tried.status != "solved":
                return
            self.known[back] = tried
            yield tried
            if later is not None and after.matrix is not None:
                self.known[after.frame] = after = self.refined(after.frame, after, tried.matrix, later.matrix)
                yield after
            after, later, back = tried, after, back - step
