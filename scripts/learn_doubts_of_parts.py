"""Fit what the outlines of parts are doubted by where nothing is known behind them (`core/outline/doubts`), and write its weights.

    PYTHONPATH=. python scripts/learn_doubts_of_parts.py

Learned from heads, torsos, arms and legs of the gardener before the panel and three other people, and from the demo's tapping hand, its
index finger and thumb; carried on from other frames than those that `benchmarks/walking` measures on. She before leaves, who is far
off, and who is dark before dark leaves stay aside. Each clip counts alike, and in it what is right and what is not.
"""

from __future__ import annotations

from collections.abc import Iterator
from unittest.mock import patch

import numpy as np
from learn_doubts import NETWORKS, STARTS, WAY, share_of, stretches, weights_of
from networks import cut, learned, mean_of
from numpy.typing import NDArray

from benchmarks.following import edges_of_hand
from benchmarks.truth import FOOTAGE, fitted, plates
from benchmarks.walking import AWAY, BAD, HIDDEN_PARTS, PARTS, clip_of, edge_on, started
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.network import write
from wiseglove.core.outline import carry
from wiseglove.core.outline.doubts import WEIGHTS_OF_PARTS, signs_of_part
from wiseglove.core.outline.looks import Signs
from wiseglove.core.outline.towards import Delivered, carry_range
from wiseglove.demo import passers, walker
from wiseglove.demo.install import read_truth

Array = NDArray[np.float64]
Told = tuple[Array, Array]
CLIPS = (walker.BACKS[0], *list(passers.PASSERS)[:3])
HANDS = {"index": 10, "thumb": 10, "hand": 5}
"""Parts of the tapping hand, and for how many frames each is carried on."""
HAND_STARTS = (30, 40, 52, 62, 66)
GOOD = 0.065
"""Share of the good ones that may be doubted by themselves: what was doubted on a frame is so on the next ones, which makes it a tenth."""


def main() -> None:
    """Gather, fit, write."""
    signs, away, clips = [], [], []
    for number, told in enumerate((*(_of_people(name) for name in CLIPS), _of_the_hand())):
        seen, off = (np.concatenate(v) for v in zip(*told, strict=True))
        signs.append(seen)
        away.append(off)
        clips.append(np.full(len(off), number))
        print(f"{(*CLIPS, 'hand')[number]}: {len(off)} stretches, {(off > BAD).sum()} off", flush=True)
    every, off, clip = np.concatenate(signs), np.concatenate(away), np.concatenate(clips)
    weights = weights_of(clip, off)
    network = mean_of([learned(every, share_of(off), weights, n, WAY) for n in range(NETWORKS)])
    right = off <= BAD
    network.out[-1] -= cut(network.tell(every)[right], weights[right], GOOD)
    write(network, WEIGHTS_OF_PARTS)


def _of_people(name: str) -> Iterator[Told]:
    """Signs (P, S) and mean distances (P,) of the stretches of somebody's parts, on each frame that they were carried on to."""
    pictures = [w.plate for w in clip_of(name)]
    for part in PARTS:
        for start in STARTS if (name, part) not in HIDDEN_PARTS else ():
            points, kinds = started(name, start, part)
            for end in (start + max(AWAY), start - max(AWAY)):
                if 0 <= end < len(pictures):
                    for one, signs in _carried(pictures, (start, points), kinds, end):
                        assert one.points is not None
                        yield stretches(signs, *edge_on(name, one.frame, part).off(one.points)[1:])


def _of_the_hand() -> Iterator[Told]:
    """The same of the tapping hand's."""
    pictures = list(plates())
    for part, many in HANDS.items():
        for start in HAND_STARTS:
            truth, then = read_truth(FOOTAGE, start), edges_of_hand(start, part)
            points, kinds = fitted(truth.hand if part == "hand" else truth.parts[part], 0.5)
            for one, signs in _carried(pictures, (start, points), kinds, start + many):
                assert one.points is not None
                yield stretches(signs, *edges_of_hand(one.frame, part).off(one.points, points, then))


def _carried(
    pictures: list[NDArray[np.uint8]], key: tuple[int, Points], kinds: list[str], end: int
) -> Iterator[tuple[Delivered, Array]]:
    """What is delivered from a key to a frame, and the signs (N, S) of what is doubted by them."""
    seen: dict[bytes, Array] = {}

    def noted(points: Points, inside: Array, looks: Signs) -> Array:
        seen[points.tobytes()] = signs_of_part(points, inside, looks)
        return seen[points.tobytes()]

    at, points = key
    ends = min(at, end), max(at, end)
    with patch.object(carry, "signs_of_part", noted):
        for one in carry_range(pictures.__getitem__, {at: points}, kinds, *ends, plate=(0, len(pictures) - 1)):
            if one.frame != at and one.points is not None and one.points.tobytes() in seen:
                yield one, seen[one.points.tobytes()]


if __name__ == "__main__":
    main()
