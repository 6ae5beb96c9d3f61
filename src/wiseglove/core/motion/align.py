"""Direct alignment of a frame to a reference: forward-compositional Gauss-Newton with robust votes.

Baker and Matthews 2004 ("Lucas-Kanade 20 years on") name the scheme; the reference is rendered as the frame would
show it, with the frame's own motion blur and reduction, so the frame itself is never resampled. Light is taken
out locally: within a window the frame is compared with gain x reference + lift, both fitted there.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion import kernels
from wiseglove.core.motion.models import changed, directions
from wiseglove.core.motion.reference import CURVE, Reference, Window, pyramid

Matrix = NDArray[np.float64]
Picture = NDArray[np.float32]
WINDOW = 0.08
"""Width of the window in which light is matched, as a share of the patch."""
NARROWEST = 15.0
"""Pixels of the level that the window is wide at least: in a smaller one, strangers look alike too often."""
EVIDENT = (0.55, 0.85)
"""Local correlation from which a neighbourhood begins to vote, and from which it votes wholly."""
SLACK = 0.12
"""Misalignment in pixels that no vote is lost for, at the end."""
LENIENT = {2: 5.0, 3: 4.0, 4: 3.0, 6: 2.0, 8: 1.0}
"""How many times more misalignment is forgiven to models with so many freedoms: they cannot follow everything."""
CLOSE = 0.25
"""Pixels of the level within which a comparison is moved to first order instead of made anew."""


@dataclass
class Fit:
    """What an alignment found: the motion and the evidence for it.

    parts: `agreement` share of textured blocks that agree, `spread` how far these span the patch, `correlation`
    weighted, `deviation` of the worst corner in px, `seen` and `inside` shares of the patch that are seen and that lie in
    the frame, `residual` in grey levels, `reduction` times narrower than at the reference, `blocks` with texture,
    `texture` how far these span the patch.
    """

    matrix: Matrix
    parts: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Step:
    """A step of the alignment and its normal equations, about a centre and in the unit of a size (level pixels)."""

    motion: Matrix
    left_side: Matrix
    variance: float
    centre: Matrix
    size: float


@dataclass
class Compared:
    """A frame beside the reference rendered at a motion, in a window of a level; pictures (h, w)."""

    matrix: Matrix
    within: Matrix
    level: int
    window: Window
    made: Picture
    seen: Picture
    gain: Picture
    correlation: Picture
    rest: Picture
    across: Picture
    down: Picture
    votes: Picture


class Aligner:
    """Aligns one frame's picture to a reference."""

    def __init__(
        self,
        reference: Reference,
        levels: list[Picture],
        ignore: Picture | None,
        freedoms: int,
        linear: bool = True,
        grain: float = 1.0,
        masks: list[Picture] | None = None,
    ) -> None:
        """levels: the frame's pyramid. ignore: (h, w), 1 where nothing must be looked at. linear: how blur adds up.

        masks: what of the reference counts on this frame, where that differs.
        """
        self.masks = masks or reference.masks
        self.reference, self.levels, self.freedoms, self.linear = reference, levels, freedoms, linear
        self.ignored = pyramid(np.asarray(ignore, np.float32)) if ignore is not None else None
        self.lenient = LENIENT[freedoms]
        self.grain = grain
        self._last: Compared | None = None

    def window(self, matrix: Matrix, level: int) -> Window | None:
        """Where the patch lies in a level's picture; None where it does not show or is turned inside out."""
        hull = self.reference.hull
        depth = hull @ matrix[2, :2] + matrix[2, 2]
        if (depth <= 1e-6).any():
            return None
        places = apply(matrix, hull) / (1 << level)
        h, w = self.levels[level].shape
        left, top = np.floor(np.maximum(places.min(0) - 3, 0)).astype(int)
        right, bottom = np.ceil(np.minimum(places.max(0) + 3, (w, h))).astype(int)
        width, height = (right - left) // 4 * 4, (bottom - top) // 4 * 4
        if width < 8 or height < 8:
            return None
        return Window(int(left), int(top), int(width), int(height))

    def _made(self, matrix: Matrix, within: Matrix, level: int, window: Window) -> tuple[Picture, Picture]:
        reduce = np.diag([1 / (1 << level), 1 / (1 << level), 1.0])
        grow = np.diag([1 << level, 1 << level, 1.0])
        inverses = np.stack([reduce @ np.linalg.inv(w @ matrix) @ grow for w in within])
        count = len(within)
        jitters = np.zeros((count, 2))
        reduction = self.reduction(matrix)
        if reduction > 1.25 and count > 1:
            n = np.arange(count)
            wide = np.sqrt(1 - 1 / reduction**2)
            jitters = (np.stack([n * 0.7548776662 % 1, n * 0.5698402910 % 1], 1) - 0.5) * wide
            jitters -= jitters.mean(0)
        made = np.zeros((window.height, window.width), np.float32)
        seen = np.zeros_like(made)
        reference = self.reference
        # Blur is light that adds up, so it is linear; without blur the encoded picture will do.
        blurred = count > 2 and self.linear
        coefs, curve = reference.spline(level, blurred), CURVE if blurred else CURVE[:0]
        kernels.render(
            coefs, self.masks[level], *reference.offsets[level], inverses, jitters,
            float(window.left), float(window.top), curve, made, seen,
        )  # fmt: skip
        if self.ignored is not None:
            seen *= window.of(self.ignored[level]) < 0.02
        return made, seen

    def reduction(self, matrix: Matrix) -> float:
        """How many times smaller than in the reference the patch is seen, where and as it is smallest."""
        middle = self.reference.corners.mean(0)
        step = 0.5
        a = apply(matrix, middle + np.array([[-step, 0], [step, 0], [0, -step], [0, step]]))
        jacobian = np.stack([a[1] - a[0], a[3] - a[2]], axis=1)
        return float(1 / max(np.linalg.svd(jacobian, compute_uv=False)[1], 1e-3))

    def refine(
        self, matrix: Matrix, within: Matrix, level: int, slacks: list[float], enough: float, freedoms: int | None = None,
        keep: Picture | None = None,
    ) -> Matrix | None:  # fmt: skip
        """Gauss-Newton steps at a level, one for each slack or until they are smaller than `enough` px; None: lost.

        keep: what of the window counts (1) where some of it has been found to disagree.
        """
        n = min(freedoms or 8, self.freedoms)
        for slack in slacks:
            compared = self._at(matrix, within, level)
            step = self._solved(compared, slack, n, keep) if compared is not None else None
            if step is None:
                return None
            before = apply(matrix, self.reference.corners)
            matrix = step.motion @ matrix
            matrix = matrix / matrix[2, 2]
            shift = np.abs(apply(matrix, self.reference.corners) - before).max() / (1 << level)
            if not np.isfinite(shift) or shift > 60:
                return None
            if shift < enough:
                break
        return matrix

    def _at(self, matrix: Matrix, within: Matrix, level: int) -> Compared | None:
        """The comparison at a motion; where the last one is close, that one is moved there instead of made anew."""
        last = self._last
        if last is not None and last.level == level and last.within is within:
            ends = self.reference.corners
            if np.abs(apply(matrix, ends) - apply(last.matrix, ends)).max() < CLOSE * (1 << level):
                grow = np.diag([1 << level, 1 << level, 1.0])
                change = np.linalg.inv(grow) @ matrix @ np.linalg.inv(last.matrix) @ grow
                kernels.move(last.rest, last.across, last.down, float(last.window.left), float(last.window.top), change)
                last.matrix = matrix
                return last
        window = self.window(matrix, level)
        if window is None:
            return None
        frame = window.of(self.levels[level])
        made, seen = self._made(matrix, within, level, window)
        trust = seen
        if last is not None and last.level == level and last.votes.shape == seen.shape and last.window == window:
            trust = seen * (0.1 + 0.9 * last.votes)
        gain, lift, correlation = _light(frame, made, trust, level, self.reference.extent, self.grain / 4**level)
        rest, across, down = (np.zeros_like(frame) for _ in range(3))
        kernels.differences(frame, made, seen, gain, lift, rest, across, down)
        self._last = Compared(
            matrix, within, level, window, made, seen, gain, correlation, rest, across, down, np.zeros_like(frame)
        )  # fmt: skip
        return self._last

    def _solved(self, c: Compared, slack: float, n: int, keep: Picture | None = None) -> Step | None:
        """One weighted least-squares step of a model with n freedoms; None where too little votes."""
        grow = 1 << c.level
        smoothed = np.asarray(cv2.blur(c.rest, (5, 5)), np.float32)
        weight = c.seen if keep is None or keep.shape != c.seen.shape else c.seen * keep
        noise = _noise(smoothed, weight)
        evidence = np.clip((c.correlation - EVIDENT[0]) / (EVIDENT[1] - EVIDENT[0]), 0, 1)
        places = apply(c.matrix, self.reference.corners) / grow
        centre = places.mean(0)
        size = float(np.sqrt(((places - centre) ** 2).sum(1).mean())) or 1.0
        kernels.vote(smoothed, c.across, c.down, evidence, weight, 4.0 * noise, 4.0 * slack * self.lenient, c.votes)
        left_side, right_side = np.zeros((n, n)), np.zeros(n)
        energy, count = kernels.normal_equations(
            c.rest, c.votes, c.across, c.down, (0.6 * noise) ** 2, centre[0] - c.window.left, centre[1] - c.window.top,
            size, n, left_side, right_side,
        )  # fmt: skip
        if count < 12 * n:
            return None
        damped = left_side + np.diag(np.diag(left_side)) * 1e-4
        try:
            change = np.asarray(-np.linalg.solve(damped, right_side) / size, np.float64)
        except np.linalg.LinAlgError:
            return None
        if not np.isfinite(change).all():
            return None
        return Step(changed(change, centre * grow, size * grow), left_side, max(energy / count, 0.3), centre, size)

    def score(self, matrix: Matrix, level: int, within: Matrix | None = None) -> float:
        """How well a motion explains a level's picture: mean local correlation where there is texture, -1..1."""
        c = self._at(matrix, np.eye(3)[None] if within is None else within, level)
        return _weighted_correlation(c, c.seen) if c is not None else -1.0

    def shifted(self, matrix: Matrix, level: int, reach: int = 10) -> Matrix | None:
        """The motion moved to where the reduced picture looks most like it, within `reach` pixels of the level."""
        window = self.window(matrix, level)
        if window is None:
            return None
        made, seen = self._made(matrix, np.eye(3)[None], level, window)
        if (seen > 0.5).sum() < 100:
            return None
        picture = cv2.copyMakeBorder(self.levels[level], reach, reach, reach, reach, cv2.BORDER_REPLICATE)
        around = picture[
            window.top : window.top + window.height + 2 * reach, window.left : window.left + window.width + 2 * reach
        ]
        found = cv2.matchTemplate(around, made, cv2.TM_CCOEFF_NORMED, mask=(seen > 0.5).astype(np.float32))
        found[~np.isfinite(found)] = -1
        y, x = np.unravel_index(int(np.argmax(found)), found.shape)
        move = np.eye(3)
        move[:2, 2] = np.array([x - reach, y - reach]) * (1 << level)
        return np.asarray(move @ matrix)

    def measured(
        self, matrix: Matrix, within: Matrix, keep: Picture | None = None, level: int = 0
    ) -> tuple[Fit, Picture | None]:
        """The evidence for a motion, and what of the window agrees with it (1) or not (0); None if it cannot be seen."""
        c = self._at(matrix, within, level)
        if c is None:
            return Fit(matrix), None
        n = self.freedoms
        step = self._solved(c, SLACK, n, keep)
        share = self._share_seen(matrix, level, c.seen)
        if step is None:
            nothing = {
                "seen": share,
                "inside": self.inside(matrix),
                "agreement": 0.0,
                "spread": 0.0,
                "correlation": 0.0,
                "deviation": 99.0,
            }
            return Fit(matrix, nothing), None
        window = c.window
        block = int(np.clip(np.sqrt(window.width * window.height) / 14, 8, 32))
        sums = np.zeros((-(-window.height // block), -(-window.width // block), 8))
        kernels.block_sums(c.rest, c.seen, c.votes, c.across, c.down, block, sums)
        textured, agreeing = _judged(sums, step.variance, 0.35 * self.lenient)
        whole = cv2.contourArea(apply(matrix, self.reference.hull).astype(np.float32)) / 4**level / block**2 * 0.85
        parts = {
            "seen": share,
            "inside": self.inside(matrix),
            "agreement": float(agreeing.sum() / max(textured.sum(), 1)) if textured.sum() >= 4 else 0.0,
            "spread": min(_hull_area(np.argwhere(agreeing)) / max(whole, 1.0), 1.0),
            "texture": min(_hull_area(np.argwhere(textured)) / max(whole, 1.0), 1.0),
            "correlation": _weighted_correlation(c, c.votes),
            "deviation": self._deviation(c, step, sums, block, n),
            "residual": float(np.sqrt(step.variance)),
            "reduction": self.reduction(matrix),
            "blocks": float(textured.sum()),
        }
        doubtful = (textured & ~agreeing).astype(np.float32)
        good = 1 - np.repeat(np.repeat(doubtful, block, 0), block, 1)[: window.height, : window.width]
        return Fit(matrix, parts), np.ascontiguousarray(good)

    def _deviation(self, c: Compared, step: Step, sums: Matrix, block: int, n: int) -> float:
        """Standard deviation of the worst of the reference's ends in plate pixels.

        Blocks are taken as independent, the pixels within one are not (clustered errors, White 1980).
        """
        inverse = np.linalg.pinv(step.left_side)
        middles = (np.moveaxis(np.indices(sums.shape[:2])[::-1], 0, -1) + 0.5) * block
        places = np.asarray(middles.reshape(-1, 2) + (c.window.left, c.window.top), np.float64)
        pulls = directions(places, step.centre, step.size, n).transpose(0, 2, 1) @ sums[..., 3:5].reshape(-1, 2, 1)
        meat = np.einsum("bni,bmi->nm", pulls, pulls)
        covariance = (inverse @ meat @ inverse + inverse * step.variance) * 4**c.level
        ends = apply(c.matrix, self.reference.ends) / (1 << c.level)
        lever = directions(ends, step.centre, step.size, n)
        return float(np.sqrt(np.einsum("pin,nm,pim->p", lever, covariance, lever).max()))

    def energy(self, matrix: Matrix, within: Matrix, level: int) -> float:
        """Mean squared residual, large ones limited to four times their middle."""
        c = self._at(matrix, within, level)
        if c is None:
            return np.inf
        off = np.abs(c.rest[c.seen > 0.5])
        return float((np.minimum(off, 4 * np.median(off)) ** 2).mean()) if off.size else np.inf

    def inside(self, matrix: Matrix) -> float:
        """Share of the patch's outline that lies in the frame, 0..1."""
        height, width = self.levels[0].shape
        hull = apply(matrix, self.reference.hull).astype(np.float32)
        frame = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
        area, _ = cv2.intersectConvexConvex(hull, frame)
        return float(area / max(cv2.contourArea(hull), 1e-6))

    def _share_seen(self, matrix: Matrix, level: int, seen: Picture) -> float:
        mask = self.masks[0]
        area = cv2.contourArea(apply(matrix, self.reference.hull).astype(np.float32)) / 4**level
        filled = float(mask.sum()) / max(cv2.contourArea(self.reference.hull.astype(np.float32)), 1.0)
        return float(min(seen.sum() / max(area * min(filled, 1.0), 1.0), 1.0))


def _judged(sums: Matrix, variance: float, near: float) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Blocks with texture, and those of them that agree: their pixels vote, and they would rather lie no elsewhere."""
    xx, xy, yy, bx, by, voted, all_, count = np.moveaxis(sums, -1, 0)
    textured = all_ - 0.5 * variance * count > variance * 40
    prior = 2.0 * variance / (1.4 * near) ** 2
    a, d = xx + prior, yy + prior
    det = a * d - xy * xy
    offs = -np.stack([d * bx - xy * by, a * by - xy * bx], axis=-1) / np.maximum(det, 1e-9)[..., None]
    support = voted / np.maximum(all_, 1e-9)
    agreeing = textured & (support > 0.45) & (np.hypot(offs[..., 0], offs[..., 1]) < near)
    return textured, agreeing


def _hull_area(places: NDArray[np.int64]) -> float:
    """Area that blocks span, in blocks."""
    if len(places) < 3:
        return float(len(places))
    ring = np.concatenate([places + (i, j) for i in (0, 1) for j in (0, 1)]).astype(np.float32)
    return float(cv2.contourArea(cv2.convexHull(ring)))


def _weighted_correlation(c: Compared, weights: Picture) -> float:
    """Mean of the local correlation where there is texture and a vote."""
    w = weights * (c.across * c.across + c.down * c.down)
    return float((w * np.clip(c.correlation, -1, 1)).sum() / max(float(w.sum()), 1e-9))


def _noise(smoothed: Picture, seen: Picture) -> float:
    """Standard deviation of the smoothed residual where it is small: from its lower third, as if normal."""
    values = np.abs(smoothed[::2, ::2][seen[::2, ::2] > 0.5])
    if values.size < 20:
        return 2.0
    return float(np.clip(np.partition(values, values.size // 3)[values.size // 3] / 0.4307, 0.25, 12.0))


def _light(
    frame: Picture, made: Picture, trust: Picture, level: int, extent: float, grain: float
) -> tuple[Picture, Picture, Picture]:
    """Local gain, lift and correlation, (h, w) each, from sums over cells in a window."""
    cell = max(4 >> level, 1)
    h, w = frame.shape
    sums = np.empty((6, h // cell, w // cell), np.float32)
    kernels.cell_sums(frame, made, trust, cell, sums)
    wide = max(WINDOW * extent / (1 << level), NARROWEST) / cell
    wide = int(wide) // 2 * 2 + 1
    s = np.stack([cv2.blur(layer, (wide, wide), borderType=cv2.BORDER_CONSTANT) for layer in sums]).astype(np.float64)
    total = np.maximum(s[0], 1e-6)
    i, j = s[1] / total, s[2] / total
    ii, ij, jj = s[3] / total - i * i, s[4] / total - i * j, s[5] / total - j * j
    gain = np.clip((ij + 0.5) / (np.maximum(jj, 0) + 0.5), 0.4, 2.5)
    # Both pictures have grain, which is in their variances but not in what they share.
    correlation = ij / np.sqrt(np.maximum(ii - grain, 0.5) * np.maximum(jj - grain, 0.5))
    maps = np.stack([gain, i - gain * j, correlation], axis=-1).astype(np.float32)
    grown = cv2.resize(maps, (w, h), interpolation=cv2.INTER_LINEAR) if cell > 1 else maps
    return tuple(np.ascontiguousarray(grown[..., k]) for k in range(3))  # type: ignore[return-value]
