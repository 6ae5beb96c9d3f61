"""Tracing, snapping and carrying on, against edges that are known exactly."""

from __future__ import annotations

import time
from functools import cache

import cv2
import numpy as np
import shapely
from skimage.segmentation import active_contour

from benchmarks.table import Row
from benchmarks.truth import FOOTAGE, Edges, edge_of, fitted, off, plates, stretches
from tests.core.outline.test_following import HAND, KINDS, picture_of
from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.outline.carry import OutlineFollower
from wiseglove.core.outline.edges import gradients, linear_light
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.outline.snap import snap, stretch_between
from wiseglove.core.outline.trace import Room, Tree, edge_costs, settled
from wiseglove.demo.install import read_truth


def run() -> list[Row]:
    """All of them."""
    frames = plates()
    return [*_tracing(frames), *_snapping(frames), *_carrying(frames)]


def _tracing(frames: list[np.ndarray]) -> list[Row]:
    rng = np.random.default_rng(8)
    errors, straight = [], []
    for case in range(80):
        radius, centre = rng.uniform(45, 110), (160 + rng.uniform(-20, 20), 120 + rng.uniform(-5, 5))
        picture = picture_of(ellipse(*centre, radius, radius), case, float(rng.uniform(0.6, 2.0)))
        angles = rng.uniform(0, 2 * np.pi) + np.array([0.0, 100.0 / radius])
        first, last = np.stack([centre[0] + radius * np.cos(angles), centre[1] + radius * np.sin(angles)], axis=1)
        if not all(5 < p[0] < 315 and 5 < p[1] < 235 for p in (first, last)):
            continue
        line = settled(Tree(edge_costs(picture), tuple(first)).path(tuple(last)), gradients(linear_light(picture, 1.6)))
        errors.append(np.abs(np.hypot(*(line - centre).T) - radius).mean())
        between = first + np.linspace(0, 1, 50)[:, None] * (last - first)
        straight.append(np.abs(np.hypot(*(between - centre).T) - radius).mean())
    large = cv2.resize(frames[40], (1920, 1080))
    costs, strength, room = edge_costs(large), gradients(linear_light(large, 1.6)), Room()
    tree = Tree(costs, (960.0, 540.0), room)
    spent = []
    for k in range(120):  # the pointer goes out in a spiral, 12 px a move
        place = (960 + 3.2 * k * np.cos(k / 9), 540 + 3.2 * k * np.sin(k / 9))
        start = time.perf_counter()
        settled(tree.path(place), strength)
        spent.append((time.perf_counter() - start) * 1000)
    peer = (
        f"straight lines between the same clicks: {np.mean(straight):.1f} px; here {np.mean(errors):.2f} px on the mean"
    )
    return [
        Row(f"trace: arcs of 100 px that stay under 1 px, of {len(errors)}", 100 * float(np.mean(np.array(errors) < 1)), "%", "trace.close", peer),
        Row("trace: answer to a move at 1080p, worst of 120", max(spent), "ms", "trace.answer", f"median {np.median(spent):.2f} ms; one display frame 16.7 ms"),
    ]  # fmt: skip


def _snapping(frames: list[np.ndarray]) -> list[Row]:
    truth = shapely.LineString(flatten(HAND, 0.01))
    errors, snakes = [], []
    for case in range(24):
        wrong = HAND.copy()
        wrong[:, :2] += 5 * np.array([np.cos(case * 2.4), np.sin(case * 2.4)])
        travel = (8 * np.cos(case), 8 * np.sin(case)) if case % 2 else (0.0, 0.0)
        picture = picture_of(HAND, case, 1.0, travel=travel)
        errors.append(off(truth, flatten(snap(picture, wrong, [], KINDS, 12.0).points, 0.1)))
        if case < 6:
            grey = cv2.GaussianBlur(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), (0, 0), 3) / 255
            start = flatten(wrong, 0.3)[:-1, ::-1] - 0.5
            moved = active_contour(grey, start, alpha=0.01, beta=0.5, gamma=0.01, w_edge=4, max_num_iter=400)
            snakes.append(off(truth, moved[:, ::-1] + 0.5))
    rows = [
        Row("snap from 5 px off, one known edge, grain, 8 px motion blur", float(np.mean(errors)), "px", "snap", f"scikit-image's active contour {np.mean(snakes):.2f} px")
    ]  # fmt: skip
    rng, errors, refused, spent = np.random.default_rng(2), [], 0, []
    for stretch in stretches(frames):
        angle = rng.uniform(0, 2 * np.pi)
        wrong = stretch.points.copy()
        wrong[:, :2] += 5 * np.array([np.cos(angle), np.sin(angle)])
        start = time.perf_counter()
        found = snap(frames[stretch.frame], wrong, stretch.chosen, stretch.kinds, 12.0)
        spent.append((time.perf_counter() - start) * 1000)
        if found.reason:
            refused += 1
            continue
        segments = stretch_between(len(wrong), stretch.chosen)
        errors.append(off(stretch.truth, normals_of(found.points, segments).places))
    peer = (
        f"median {np.median(errors):.2f} px; {len(errors)} stretches, {refused} refused; {np.median(spent):.0f} ms each"
    )
    rows.append(
        Row("snap from 5 px off, the demo's hand (motion blur, shadow)", float(np.mean(errors)), "px", "snap", peer)
    )
    return rows


def _carrying(frames: list[np.ndarray]) -> list[Row]:
    def pose(k: int) -> np.ndarray:
        return HAND + k * np.array([1.8, -0.9, 0, 0, 0, 0, 0, 0])

    follower, errors = OutlineFollower(picture_of(pose(0)), pose(0), KINDS), []
    for k in range(1, 21):
        carried = follower.on(picture_of(pose(k), shift=(1.8 * k, -0.9 * k)))
        errors.append(off(shapely.LineString(flatten(pose(k), 0.01)), flatten(carried.points, 0.1)))
    rows = [Row("carry on over 20 frames, one known edge with grain", float(np.mean(errors)), "px", "carry")]
    spent: list[list[float]] = [[], []]
    # By the first of these frames limits were chosen, from the others nothing was.
    name = "carry on, the demo's tapping hand (motion blur, shadow)"
    rows.append(_on_the_hand(frames, (30, 36, 40, 52, 57, 62, 66, 70, 74), name, spent))
    rows.append(_on_the_hand(frames, tuple(range(33, 78, 4)), "carry on, the same from other frames", spent))
    for of, times in zip(("a finger or the thumb", "the whole hand"), spent, strict=True):
        rows.append(Row(f"carry on, time a frame at 720p, {of}, median", float(np.median(times)), "ms", "carry.time"))
    return rows


def _on_the_hand(frames: list[np.ndarray], starts: tuple[int, ...], name: str, spent: list[list[float]]) -> Row:
    """Two fingers and the whole hand carried on over 20 frames, or until it says that it goes no further."""
    errors, stopped, begun = [], [], []
    for part in ("index", "hand", "thumb"):
        for first in starts:
            truth = read_truth(FOOTAGE, first)
            points, kinds = fitted(truth.hand if part == "hand" else truth.parts[part], 0.5)
            then = edges_of_hand(first, part)
            begun.append(float(then.errors(points, points, then).mean()))
            follower = OutlineFollower(frames[first], points, kinds)
            for frame in range(first + 1, first + 21):
                start = time.perf_counter()
                carried = follower.on(frames[frame])
                spent[part == "hand"].append((time.perf_counter() - start) * 1000)
                if carried.reason:
                    stopped.append(frame - first - 1)
                    break
                errors.append(float(edges_of_hand(frame, part).errors(carried.points, points, then).mean()))
    peer = f"median {np.median(errors):.2f} px, at the start {np.mean(begun):.2f}; {len(errors)} frames of {60 * len(starts)}, stopped after {stopped}"
    return Row(name, float(np.mean(errors)), "px", "carry", peer)


@cache
def edges_of_hand(frame: int, part: str) -> Edges:
    """The true edges of the tapping hand ('hand'), or of a part of it, on a frame."""
    truth = read_truth(FOOTAGE, frame)
    return Edges(edge_of(truth.hand), edge_of(truth.hand if part == "hand" else truth.parts[part]))
