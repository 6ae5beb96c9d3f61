"""Rendering a delivery: mattes, composite and pane corners in one zip with a manifest."""

from __future__ import annotations

import hashlib
import json
import re
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from pydantic import BaseModel

from wiseglove.core.compositing.pane import FINAL
from wiseglove.interchange import motion
from wiseglove.jobs.run import Outcome, Run
from wiseglove.media.durable import put_in_place, sync_file
from wiseglove.media.encode import MovieWriter, png
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.formats import upgraded_shot
from wiseglove.shot.model import Contents, Cover, Pane, Shot
from wiseglove.shot.render import FrameScene
from wiseglove.shot.subject import Subject
from wiseglove.shot.trust import trusted
from wiseglove.store.pictures import ExactPictures


class Order(BaseModel):
    """What a delivery holds."""

    matte: bool = True
    each_cover: bool = False
    subjects: bool = False
    """Each subject cut out: its own colours, unpremultiplied, with its matte as alpha."""
    composite: bool = True
    corners: bool = True


class Package:
    """A zip that is being written, with a checksum of each of its files."""

    def __init__(self, path: Path, top: str) -> None:
        self._zip = zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)
        self._top = top
        self.files: list[dict[str, Any]] = []

    def add(self, name: str, data: bytes) -> None:
        """Add a file and note its size and SHA-256."""
        self._zip.writestr(f"{self._top}/{name}", data)
        self.files.append({"name": name, "size": len(data), "sha256": hashlib.sha256(data).hexdigest()})

    def close(self, manifest: dict[str, Any]) -> None:
        """Write the manifest and finish."""
        text = json.dumps({**manifest, "files": self.files}, indent=2, ensure_ascii=False)
        self._zip.writestr(f"{self._top}/manifest.json", text)
        self._zip.close()


def file_name(name: str) -> str:
    """A name that every file system takes."""
    return re.sub(r"[^\w.-]+", "_", name, flags=re.UNICODE).strip("._") or "unnamed"


def listing(shot: Contents, order: Order) -> list[str]:
    """Names of what a delivery will hold, sequences as one line."""
    base, plate = file_name(shot.settings.name), shot.plate
    span = f"[{plate.first}-{plate.last}].png"
    names = []
    if order.matte:
        names.append(f"matte/{base}_matte.{span}")
    if order.each_cover:
        names += [f"{folder}/{base}_{folder.split('/')[-1]}.{span}" for folder in _cover_folders(shot).values()]
    if order.subjects:
        names += [f"{folder}/{base}_{folder.split('/')[-1]}.{span}" for folder in _subject_folders(shot).values()]
    if order.composite:
        names.append(f"composite/{base}_composite.mp4")
    if order.corners:
        names += [f"corners/{name}.csv" for name in _pane_files(shot).values()]
    return [*names, "manifest.json"]


def _cover_folders(shot: Contents) -> dict[str, str]:
    things: list[Cover | Subject] = [*shot.covers, *shot.subjects]
    shown = (thing for thing in things if thing.shown)
    return {thing.id: f"matte/{i:02d}_{file_name(thing.name)}" for i, thing in enumerate(shown, start=1)}


def _subject_folders(shot: Contents) -> dict[str, str]:
    return {
        subject.id: f"subject/{i:02d}_{file_name(subject.name)}"
        for i, subject in enumerate((s for s in shot.subjects if s.shown), start=1)
    }


def _pane_files(shot: Contents) -> dict[str, str]:
    return {pane.id: f"{i:02d}_{file_name(pane.name)}" for i, pane in enumerate(shot.panes, start=1)}


def work(run: Run) -> Outcome:
    """Render every frame of the shot as it was when the delivery was ordered."""
    shot = EvaluatedShot.of(Shot.model_validate(upgraded_shot(run.payload["shot"]), strict=False))
    order = Order.model_validate(run.payload["order"])
    base, plate = file_name(shot.settings.name), shot.plate
    final = run.settings.deliveries / f"{run.job}.zip"
    part = final.with_suffix(f".{run.attempt}.part")
    pictures = ExactPictures(run.settings.media)
    try:
        package = Package(part, f"{base}_r{shot.revision}")
        with TemporaryDirectory(dir=run.settings.deliveries) as scratch:
            movie_path = Path(scratch) / "composite.mp4"
            _render(run, shot, order, pictures, package, movie_path)
            if order.composite:
                package.add(f"composite/{base}_composite.mp4", movie_path.read_bytes())
        if order.corners:
            _add_corners(shot, package)
        package.close(
            {
                "shot": shot.settings.name,
                "revision": shot.revision,
                "made": datetime.now(UTC).isoformat(timespec="seconds"),
                "width": plate.width,
                "height": plate.height,
                "rate": f"{plate.rate_num}/{plate.rate_den}",
                "frames": [plate.first, plate.last],
                "mixing": shot.settings.mixing,
            }
        )
        sync_file(part)
        put_in_place(part, final)
    finally:
        pictures.close()
        part.unlink(missing_ok=True)
    files = len(package.files) + 1
    return Outcome(
        f"{files} files, {final.stat().st_size / 1e6:.1f} MB.", {"files": files, "bytes": final.stat().st_size}
    )


def _render(
    run: Run, shot: EvaluatedShot, order: Order, pictures: ExactPictures, package: Package, movie_path: Path
) -> None:
    base, plate = file_name(shot.settings.name), shot.plate
    movie = None
    if order.composite:
        movie = MovieWriter(movie_path, plate.width, plate.height, plate.rate, pixel_aspect=plate.pixel_aspect)
    folders = _cover_folders(shot) if order.each_cover else {}
    subjects = _subject_folders(shot) if order.subjects else {}
    for frame in range(plate.first, plate.last + 1):
        scene = FrameScene(shot, frame, pictures, 1.0, FINAL)
        if order.matte:
            package.add(f"matte/{base}_matte.{frame:04d}.png", png(scene.look("matte", scene.whole)))
        for cover_id, folder in folders.items():
            pixels = np.round(scene.matte_of(cover_id) * 255).astype(np.uint8)
            package.add(f"{folder}/{base}_{folder.split('/')[-1]}.{frame:04d}.png", png(pixels))
        for subject_id, folder in subjects.items():
            pixels = np.round(scene.cut_of(subject_id) * 65535).astype(np.uint16)
            package.add(f"{folder}/{base}_{folder.split('/')[-1]}.{frame:04d}.png", png(pixels))
        if movie is not None:
            movie.write(scene.look("composite", scene.whole))
        run.progress(frame - plate.first + 1, plate.count)
    if movie is not None:
        movie.close()


def _add_corners(shot: EvaluatedShot, package: Package) -> None:
    names = _pane_files(shot)
    for pane in shot.panes:
        package.add(f"corners/{names[pane.id]}.csv", motion.write(corner_rows(shot, pane)).encode())


def corner_rows(shot: EvaluatedShot, pane: Pane) -> list[motion.Row]:
    """Where a pane's corners are shown on each frame, and how far what it rides on is to be trusted there."""
    frames = range(shot.plate.first, shot.plate.last + 1)
    corners = shot.points_at(pane, np.arange(frames.start, frames.stop))[:, :, :2]
    return [
        motion.Row(frame, there.status, there.confidence, quad)
        for frame, there, quad in zip(frames, trusted(shot, pane, frames), corners, strict=True)
    ]
