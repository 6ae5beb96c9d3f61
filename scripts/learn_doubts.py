"""Fit what whole figures' outlines are doubted by where they were carried on (`core/outline/doubts`), and write its weights.

    PYTHONPATH=. python scripts/learn_doubts.py

Learned from the gardener before the panel (as rendered, and small and compressed) and three other people, carried on from other
frames than those that `benchmarks/walking` measures on, with what is behind known and unknown; she before leaves, who is far off, and who
is dark before dark leaves stay aside. Each clip counts alike, and in it what is right and what is not. Takes half an hour.
"""

from __future__ import annotations

from collections.abc import Iterator
from unittest.mock import patch

import numpy as np
from networks import Way, cut, learned, mean_of
from numpy.typing import NDArray

from benchmarks.walking import APART, AWAY, BAD, SMALL, clip_of, corrected, covered_on, edge_on, started
from wiseglove.core.network import Network, write
from wiseglove.core.outline import silhouette
from wiseglove.core.outline.doubts import KNOWN, SIZE, WEIGHTS, doubt_by
from wiseglove.core.outline.silhouette import Covered
from wiseglove.core.outline.towards import carry_range
from wiseglove.demo import passers, walker

Array = NDArray[np.float64]
CLIPS = (walker.BACKS[0], walker.BACKS[0] + SMALL, *list(passers.PASSERS)[:3])
STARTS = (16, 24, 29, 38, 50)
NETWORKS, WAY = 4, Way(hidden=6, calm=3e-4, rounds=400, odds=True)
"""How many networks the mean is of, and how each is fitted."""
SURE = 8.0
"""How fast a stretch's share of being off grows with the logarithm of its distance: one that is nearly BAD is as much as both."""
FEW = 40
"""Stretches below which those of one kind on one clip count less than those of the others."""
TELLING = (KNOWN, SIZE)
"""Signs that tell apart of what as many are marked."""
MOSTLY = 10.0
"""How much more it counts that it is so of all than of small ones."""
GOOD = 0.105
"""Share of the good ones that may be doubted; of those on other frames and of other people it is about a tenth."""


def main() -> None:
    """Gather, fit, write."""
    signs, away, clips, of_small = [], [], [], []
    for known in (False, True):
        for name in CLIPS:
            if known and name in passers.PASSERS and passers.PASSERS[name].shake:
                continue
            seen, off = (np.concatenate(v) for v in zip(*_carried(name, known), strict=True))
            signs.append(seen)
            away.append(off)
            clips.append(np.full(len(off), len(clips)))
            of_small.append(name.endswith(SMALL))
            print(
                f"{name}, {'known' if known else 'unknown'}: {len(off)} stretches, {(off > BAD).sum()} off", flush=True
            )
    small = np.array(of_small)
    every, off, clip = np.concatenate(signs), np.concatenate(away), np.concatenate(clips)
    weights = weights_of(clip, off)
    network = mean_of([learned(every, share_of(off), weights, n, WAY) for n in range(NETWORKS)])
    write(_calmed(network, every, np.where(off > BAD, 0.0, weights), small[clip]), WEIGHTS)


def weights_of(clip: NDArray[np.int64], off: Array) -> Array:
    """What stretches (P,) of clips count that are so many pixels off: each clip alike, and in it what is right and what is not."""
    weights = np.zeros(len(off))
    for kind in {(c, b) for c, b in zip(clip, off > BAD, strict=True)}:
        of_it = (clip == kind[0]) & ((off > BAD) == kind[1])
        weights[of_it] = 1 / max(of_it.sum(), FEW)
    return weights


def share_of(off: Array) -> Array:
    """How much stretches (P,) that are so many pixels off count as being off, 0..1."""
    return np.asarray(1 / (1 + np.exp(-SURE * (np.log(off + 0.3) - np.log(BAD + 0.3)))))


def _calmed(network: Network, signs: Array, weights: Array, small: NDArray[np.bool_]) -> Network:
    """The same, telling more than 0 of that share of the good stretches, (P, S) with their weights (P,), as far as two signs can do so.

    That is of all where what is behind is known, of all where it is not, and of the small ones (P,) among them for themselves: by odds
    alone these are marked half as often, right and wrong.
    """
    told, cuts, where = network.tell(signs), [], []
    for known in (False, True):
        alike = (signs[:, KNOWN] > 0.5) == known
        for these, of_these in ((alike & ~small, alike), (alike & small, alike & small)):
            cuts.append(cut(told[of_these], weights[of_these], GOOD))
            where.append(np.average(signs[these][:, TELLING], axis=0, weights=weights[these]))
    counts = np.array([MOSTLY, 1.0] * 2)
    lines = np.hstack([where, np.ones((len(cuts), 1))]) * counts[:, None]
    *slopes, more = np.linalg.lstsq(lines, np.array(cuts) * counts, rcond=None)[0]
    out, straight = network.out.copy(), len(network.out) - 1 - len(network.mean)
    for sign, slope in zip(TELLING, slopes, strict=True):
        out[straight + sign] -= slope * network.deviation[sign]
        more += slope * network.mean[sign]
    out[-1] -= more
    return network._replace(out=out)


def _carried(name: str, known: bool) -> Iterator[tuple[Array, Array]]:
    """Signs (P, S) and mean distances (P,) of a whole figure's stretches on each frame that it was carried on to."""
    clip = clip_of(name)
    covered = covered_on(name) if known else None
    for start in STARTS:
        points, _ = started(name, start, "whole")
        ends = [end for end in (start + max(AWAY), start - max(AWAY)) if 0 <= end < len(clip)]
        for end in ends:
            yield from _between(name, {start: points}, (min(start, end), max(start, end)), covered)
        if not known and start + APART < len(clip):
            keys = {start: points, start + APART: corrected(name, "whole", start)}
            yield from _between(name, keys, (start, start + APART), None)


def _between(
    name: str, keys: dict[int, Array], ends: tuple[int, int], covered: Covered | None
) -> Iterator[tuple[Array, Array]]:
    """The same for one range, on its frames without a key whose doubts come from the network."""
    seen: dict[bytes, Array] = {}

    def noted(signs: Array) -> Array:
        doubt = doubt_by(signs)
        seen[doubt.tobytes()] = signs
        return doubt

    pictures = [w.plate for w in clip_of(name)]
    kinds = started(name, min(keys), "whole")[1]
    with patch.object(silhouette, "doubt_by", noted):
        found = list(
            carry_range(pictures.__getitem__, keys, kinds, *ends, covered=covered, plate=(0, len(pictures) - 1))
        )
    for one in found:
        if one.frame in keys or one.points is None or one.doubt is None or one.doubt.tobytes() not in seen:
            continue
        yield stretches(seen[one.doubt.tobytes()], *edge_on(name, one.frame, "whole").off(one.points)[1:])


def stretches(signs: Array, distances: Array, segments: NDArray[np.int64]) -> tuple[Array, Array]:
    """Signs (P, S) of those of N segments on which more than two places are told, and mean distances (P,) of these, (M,) on segments (M,)."""
    counted = np.bincount(segments, minlength=len(signs))
    mean = np.bincount(segments, distances, len(signs)) / np.maximum(counted, 1)
    return signs[counted > 2], mean[counted > 2]


if __name__ == "__main__":
    main()
