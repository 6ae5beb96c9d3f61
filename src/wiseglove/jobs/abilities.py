"""What this worker can do, and whether that is enough for a delivery."""

from __future__ import annotations

import os

import av.codec

from wiseglove.core.parallel import workers
from wiseglove.delivery.chunk import codec_of
from wiseglove.delivery.plan import Plan
from wiseglove.media.encode import CODECS
from wiseglove.store.workers import Abilities

AT_REST = 400_000_000
"""Bytes that a worker takes before it renders."""
PER_PIXEL = 250
"""Bytes for each pixel of a frame that is rendered: a rough bound, with many covers and a composite."""


def abilities(queues: list[str]) -> Abilities:
    """Of this process on this machine."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    encoders = sorted({codec.name for codec in CODECS if _there(codec.name)})
    return Abilities(queues=queues, cores=workers(), memory=memory, encoders=encoders)


def _there(encoder: str) -> bool:
    try:
        av.codec.Codec(encoder, "w")
    except (av.FFmpegError, ValueError):
        return False
    return True


def lacking(plan: Plan, can: Abilities) -> str:
    """What a worker has not that a delivery needs, in words; nothing where it has all."""
    missing = sorted({codec_of(output).name for output in plan.movies} - set(can.encoders))
    if missing:
        return f"it has no encoder {', '.join(missing)}"
    needed = AT_REST + PER_PIXEL * plan.size[0] * plan.size[1]  # one frame at a time, at least
    if needed > can.memory:
        return f"it has {can.memory / 1e9:.1f} GB of memory, and a frame of this size takes {needed / 1e9:.1f} GB"
    return ""
