"""Rendering a piece of a delivery: some frames into files of their own, and movies into segments."""

from __future__ import annotations

import hashlib
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.parallel import workers
from wiseglove.delivery.files import Facts, exr_file, levels, picture_file
from wiseglove.delivery.pictures import Frame
from wiseglove.delivery.plan import Output, Plan
from wiseglove.media.encode import FFV1_ALPHA, FFV1_COLOUR, FFV1_GREY, H264, PRORES, VP9, Codec, MovieWriter, png
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.store.pictures import ExactPictures

Opened = Callable[[], ExactPictures]
"""Gives a way to the clips' own pictures, which several threads may use."""
Said = Callable[[int], None]
"""Called with the number of frames done; raises to stop."""


def segment_name(output: Output) -> str:
    """The name of a movie's segment within a chunk."""
    return hashlib.sha256(output.names[0].encode()).hexdigest()[:16] + "." + codec_of(output).container


def codec_of(output: Output) -> Codec:
    """How a movie of a plan is kept."""
    if output.form == "mp4":
        return H264
    if output.form == "webm":
        return VP9
    if output.form == "prores":
        return PRORES
    if output.item.what == "cut":
        return FFV1_ALPHA
    return FFV1_COLOUR if output.item.what == "composite" else FFV1_GREY


def render_chunk(shot: EvaluatedShot, plan: Plan, frames: range, opened: Opened, target: Path, said: Said) -> None:
    """Write the files of some frames below a folder, as they will be called, and segments of movies beside them."""
    writers = {output.names[0]: _writer(shot, plan, output, target) for output in plan.movies}
    try:
        for done, pictures in enumerate(_frames(shot, plan, frames, opened, target), start=1):
            for name, writer in writers.items():
                writer.write(pictures[name])
            said(done)
        for writer in writers.values():
            writer.close()
    except BaseException:
        for writer in writers.values():
            writer.abandon()
        raise


def _writer(shot: EvaluatedShot, plan: Plan, output: Output, target: Path) -> MovieWriter:
    left, top, right, bottom = plan.box
    path = target / segment_name(output)
    return MovieWriter(
        path, right - left, bottom - top, shot.plate.rate, codec_of(output), pixel_aspect=shot.plate.pixel_aspect
    )


def _frames(
    shot: EvaluatedShot, plan: Plan, frames: range, opened: Opened, target: Path
) -> Iterator[dict[str, NDArray[Any]]]:
    """What movies want of each frame, in order, by their names; several frames are rendered at once."""
    pictures = opened()  # the same for all threads, so that a movie is decoded once

    def render(frame: int) -> dict[str, NDArray[Any]]:
        return render_frame(shot, plan, frame, pictures, target)

    pool = ThreadPoolExecutor(workers())
    waiting: deque[Future[dict[str, NDArray[Any]]]] = deque()
    try:
        for frame in frames:
            waiting.append(pool.submit(render, frame))
            if len(waiting) > workers():
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
    finally:
        pool.shutdown(cancel_futures=True)
        pictures.close()


def render_frame(
    shot: EvaluatedShot, plan: Plan, number: int, pictures: ExactPictures, target: Path
) -> dict[str, NDArray[Any]]:
    """Write one frame's files; what movies want of it is returned."""
    frame, plate = Frame(shot, plan, number, pictures), shot.plate
    facts = Facts(plan.numbers[number - plan.frames.start], plate.rate, plate.pixel_aspect, plan.preset.compression)
    for output in plan.sequences:
        path = target / output.names[number - plan.frames.start]
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(_file(frame, output, facts))
    return {
        o.names[0]: frame.display if _is_plain(o) else _movie_picture(frame.picture(o.source), codec_of(o))
        for o in plan.movies
    }


def _is_plain(output: Output) -> bool:
    """Whether all that is wanted is the composite in 8 bits."""
    return output.item.what == "composite" and output.form in ("png8", "mp4", "ffv1")


def _file(frame: Frame, output: Output, facts: Facts) -> bytes:
    if _is_plain(output):
        return png(frame.display)
    if output.item.together == "no" or output.channels[0][0] == "":
        return picture_file(output.form, frame.picture(output.source), facts, output.item.premultiplied)
    half, found = output.form == "exr-half", frame.parts(output)
    if output.item.together == "parts":
        return exr_file([(name, {"Y": picture}) for name, picture in found], facts, half)
    return exr_file([("", dict(found))], facts, half)


def _movie_picture(picture: NDArray[np.float32], codec: Codec) -> NDArray[Any]:
    bits = 16 if codec.takes.endswith("16le") or codec.takes == "rgba64le" else 8
    made = levels(picture, bits)
    wanted = {"rgb24": 3, "rgba": 4, "rgba64le": 4}.get(codec.takes, 1)
    if wanted == 1:
        return made
    if made.ndim == 2:
        made = np.repeat(made[..., None], 3, axis=2)
    if made.shape[2] < wanted:
        made = np.concatenate([made, np.full((*made.shape[:2], 1), 2**bits - 1, made.dtype)], axis=2)
    return made[..., :wanted]
