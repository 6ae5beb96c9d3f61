"""The clean picture of a pane and mattes of what covers it, on rendered clips whose truth is exact."""

from __future__ import annotations

import time

import cv2
import numpy as np

from benchmarks.hands import HANDS, filmed
from benchmarks.planes import KEPT, Clip, rendered
from benchmarks.table import Row
from benchmarks.truth import AtHand, line_distance
from wiseglove.core.behind.clean import clean_picture
from wiseglove.core.behind.difference import difference_matte, held_out
from wiseglove.core.motion.regions import filled
from wiseglove.demo.solved_shots import RIM
from wiseglove.jobs.behind_files import Request, View, behind_of

CLIPS = (("hand_over", "glove"), ("tray", "colleague"))
INSIDE = np.ones((7, 7), np.uint8)


def run() -> list[Row]:
    """All of them."""
    rows: list[Row] = []
    empty = rendered("textured", 1.0)
    for name, who in CLIPS:
        rows += _pane(rendered(name, 1.0), empty, who)
    for name in HANDS:
        rows += _of_hand(name)
    return [*rows, *_plate_speed()]


def _of_hand(name: str) -> list[Row]:
    """Mattes of somebody else's hand over the same panel, every third frame."""
    clip = filmed(name)
    view = View(Request("", dict(enumerate(clip.corners))), AtHand(clip.plates))
    behind = behind_of(view, lambda text: None)
    wrong, edges = [], []
    for frame in view.frames[::3]:
        pane = _inside(clip.corners[frame], clip.plates.shape[1:3])
        matte = held_out(np.asarray(view.read(frame), np.float32), view.laid(behind, frame), 0)
        amount, edge = _off(matte, clip.front[frame] / 255, pane)
        wrong.append(amount)
        edges += [edge] if edge is not None else []
    return [
        Row(f"behind: matte of another hand, {name}: mean error over the pane", float(np.mean(wrong)), "", "behind.matte", f"worst frame {max(wrong):.4f} of {len(wrong)}"),
        Row("  wrongly covered area for each pixel of true edge", float(np.mean(edges)), "px", "behind.edge", f"worst frame {max(edges):.2f} px"),
    ]  # fmt: skip


def _inside(corners: np.ndarray, shape: tuple[int, ...]) -> np.ndarray:
    """The pane without its rim, (h, w)."""
    return cv2.erode((filled(corners, (shape[0], shape[1])) > 0.5).astype(np.uint8), INSIDE) > 0


def _off(matte: np.ndarray, true: np.ndarray, pane: np.ndarray) -> tuple[float, float | None]:
    """Mean error over the pane, and wrong area for each pixel of the true edge, if there is enough of that."""
    amount, along = np.abs(matte - true)[pane], _length((true > 0.5) & pane, pane)
    return float(amount.mean()), float(amount.sum()) / along if along > 60 else None


def _pane(clip: Clip, empty: Clip, who: str) -> list[Row]:
    corners = {f: clip.shot.corners(f, RIM) for f in range(len(clip.pictures))}
    view = View(Request(_pattern(clip), corners))
    behind = behind_of(view, lambda text: None)
    bare = View(Request(_pattern(empty), {f: corners[f] for f in range(len(empty.pictures))}))
    bare.size = view.size
    truth = np.mean([bare.seen(f)[0].astype(np.float32) for f in range(0, len(empty.pictures), 4)], axis=0)
    off = np.abs(behind.picture - truth)[behind.known].mean()
    first = np.median(np.stack([view.seen(f)[0] for f in view.frames[::2]]), axis=0)
    wrong, edges, lines, spent = [], [], [], 0.0
    for frame in view.frames:
        picture, laid = view.read(frame), view.laid(behind, frame)
        start = time.perf_counter()
        matte = held_out(picture, laid, 0)  # as a holdout from difference is made
        spent += time.perf_counter() - start
        pane = _inside(corners[frame], clip.shape)
        amount, edge = _off(matte, clip.front[frame] / 255, pane)
        line = line_distance(255 * matte, clip.front[frame], cv2.erode(pane.astype(np.uint8), INSIDE) > 0)
        lines += [line] if line is not None else []
        wrong.append(amount)
        edges += [edge] if edge is not None else []
    subtractor = _by_mixtures(view, clip, corners)
    return [
        Row(f"behind: clean pane under the {who}, mean difference from the empty one", float(off), "of 255", "behind.pane", f"median of all frames {np.abs(first - truth).mean():.2f}"),
        Row(f"behind: matte of the {who}, mean error over the pane, {len(wrong)} frames", float(np.mean(wrong)), "", "behind.matte", f"OpenCV's MOG2 on the unrolled pane {subtractor:.4f}"),
        Row("  wrongly covered area for each pixel of true edge, mean of frames", float(np.mean(edges)), "px", "behind.edge", f"worst frame {max(edges):.2f} px"),
        Row("  line to the true one, mean of frames", float(np.mean(lines)), "px", "behind.line", f"{sum(a > 1 for a in lines)} of {len(lines)} frames over 1 px, worst {max(lines):.2f} px"),
        Row("  a frame's matte", spent / len(view.frames) * 1000, "ms", "behind.speed", f"pane of {view.size[0]}x{view.size[1]}"),
    ]  # fmt: skip


def _pattern(clip: Clip) -> str:
    return str(KEPT / f"{clip.shot.name}_720" / "plate.%04d.png")


def _length(inside: np.ndarray, pane: np.ndarray) -> float:
    """Pixels of the border of an area that lie within the pane, not along its rim."""
    contours, _ = cv2.findContours(inside.astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    deep = cv2.erode(pane.astype(np.uint8), INSIDE) > 0
    return float(sum(deep[c[:, 0, 1], c[:, 0, 0]].sum() for c in contours))


def _by_mixtures(view: View, clip: Clip, corners: dict[int, np.ndarray]) -> float:
    """Peer: OpenCV's background subtraction by mixtures (Zivkovic 2004) on the unrolled pane, seen twice; mean error there."""
    subtractor = cv2.createBackgroundSubtractorMOG2(len(view.frames), 16, detectShadows=False)
    looks = [view.seen(f)[0] for f in view.frames]
    for look in looks:
        subtractor.apply(look)
    out = []
    for frame, look in zip(view.frames, looks, strict=True):
        found = subtractor.apply(look, learningRate=0) / 255
        half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
        matrix = np.linalg.inv(half) @ view.to_plate(frame) @ half
        true = cv2.warpPerspective(clip.front[frame], matrix, view.size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        out.append(float(np.abs(found - true / 255).mean()))
    return float(np.mean(out))


def _plate_speed() -> list[Row]:
    """A whole plate of 1080p with someone on a tenth of it."""
    rng = np.random.default_rng(4)
    wall = cv2.resize(
        rng.uniform(40, 200, (68, 120, 3)).astype(np.float32), (1920, 1080), interpolation=cv2.INTER_CUBIC
    )
    frames = []
    for k in range(12):
        picture = wall + rng.standard_normal(wall.shape, np.float32)
        picture[300:900, 100 + 130 * k : 430 + 130 * k] = (90, 60, 40)
        frames.append(np.clip(picture, 0, 255))
    eight = np.round(np.stack(frames)).astype(np.uint8)
    start = time.perf_counter()
    behind = clean_picture(eight)
    made = time.perf_counter() - start
    start = time.perf_counter()
    for frame in frames[:4]:
        difference_matte(frame.astype(np.float32), behind)
    each_ = (time.perf_counter() - start) / 4
    return [
        Row("behind: clean plate of 1080p from 12 frames", made, "s", "behind.plate", "reading not counted"),
        Row("behind: a matte on the whole plate, 1080p", each_ * 1000, "ms", "behind.whole", "one thread; frames are computed side by side"),
    ]  # fmt: skip


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
