"""A shot file opened for work without a page: mattes and composites as arrays, deliveries, and bringing things in.

shot = wiseglove.Shot.open("tap.shot.json")
alpha = shot.matte(1050, covers=["Glove"])         # float32 (H, W), 0..1
picture = shot.composite(1050)                     # float32 (H, W, 3), display-encoded
shot.deliver("Compositing", "out/")
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.delivery import shot_file
from wiseglove.delivery.finish import Remarks
from wiseglove.delivery.plan import Plan, planned
from wiseglove.delivery.preset import BUILT_IN, Preset, PresetError
from wiseglove.delivery.run import Said, deliver
from wiseglove.delivery.shot_file import ClipFound, FilePictures, Media
from wiseglove.media.info import Limits
from wiseglove.media.light import Light, Reading
from wiseglove.settings import get_settings
from wiseglove.shot.beside import Beside
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Cover, Pane
from wiseglove.shot.model import Shot as Document
from wiseglove.shot.render import FrameScene
from wiseglove.store.pictures import ExactPictures

Matte = NDArray[np.float32]


class Shot:
    """A shot file. Whoever opened it closes it, or uses it as a context."""

    def __init__(
        self,
        path: Path,
        document: Document,
        media: dict[str, Media],
        store: Path | None = None,
        beside: Beside | None = None,
    ) -> None:
        self.path = path
        self.document = document
        self.media = media
        self.beside = beside or Beside()
        self.evaluated = EvaluatedShot.of(document)
        self._store = store or get_settings().media
        self._known: dict[str, ClipFound] = {}
        self._pictures: ExactPictures | None = None

    @classmethod
    def open(cls, path: str | Path, store: str | Path | None = None) -> Shot:
        """Open a shot file. store: a folder of clips, where they are not beside it. Raises ShotFileError."""
        where = Path(path)
        found = shot_file.read(where)
        return cls(where, found.shot, found.media, Path(store) if store else None, found.beside)

    @classmethod
    def new(
        cls, plate: str, path: str | Path, name: str | None = None, layer: str = "", light: Light = "usual",
        lut: str | Path | None = None,
    ) -> Shot:  # fmt: skip
        """A new shot of a plate (a movie, a folder or a pattern), not yet saved. Raises MediaError.

        layer: of an EXR. light: how its numbers are understood. lut: a .cube file, which says so by itself.
        """
        where = Path(path)
        reading = Reading(layer, "lut" if lut else light, Path(lut).resolve() if lut else None)
        document, media = shot_file.fresh(plate, where.resolve().parent, name, Limits(), reading)
        return cls(where, document, media)

    def save(self, path: str | Path | None = None) -> None:
        """Write the shot file, whole or not at all."""
        where = Path(path or self.path)
        part = where.with_suffix(where.suffix + ".part")
        part.write_bytes(shot_file.written(self.document, self.media, self.beside))
        part.replace(where)
        self.path = where

    @property
    def frames(self) -> range:
        """The plate's own frame numbers."""
        return range(self.document.plate.first, self.document.plate.last + 1)

    def pictures(self) -> ExactPictures:
        """A way to the clips' pictures, for one thread; `close` it."""
        return FilePictures(self._store, self.path, self.media, self._known)

    def matte(
        self, frame: int, covers: Sequence[str] | None = None, pane: str | None = None, holdout: bool = False
    ) -> Matte:
        """Coverage (H, W), float32 in 0..1: of all that is shown, of some covers, or of a pane.

        holdout: what stays in front of the pane instead. Raises PresetError for names that are not in the shot.
        """
        scene = self._scene(frame)
        if pane is not None:
            found = [p for p in self.evaluated.panes if p.name == pane]
            if not found:
                raise PresetError(f"The shot has no pane “{pane}”; it has {_names(self.evaluated.panes)}.")
            return scene.holdout_of(found[0]) if holdout else scene.matte_of(found[0].id)
        if holdout:
            raise PresetError("A holdout is of a pane. Name the pane.")
        if covers is None:
            return scene.whole_matte(scene.whole)
        every: list[Cover] = []
        for name in covers:
            chosen = [c for c in self.evaluated.covers if c.name == name]
            if not chosen:
                raise PresetError(f"The shot has no cover “{name}”; it has {_names(self.evaluated.covers)}.")
            every += chosen
        return scene.covers.whole_union(every)

    def composite(self, frame: int) -> NDArray[np.float32]:
        """Plate, panes and subjects together, display-encoded float32 (H, W, 3)."""
        return self._scene(frame).composite_encoded()

    def _scene(self, frame: int) -> FrameScene:
        if frame not in self.frames:
            raise PresetError(
                f"The plate has no frame {frame}; it has {self.frames.start} to {self.frames.stop - 1}. Choose one of these."
            )
        self._pictures = self._pictures or self.pictures()
        return FrameScene(self.evaluated, frame, self._pictures)

    def plan(self, preset: str | Preset, first: int | None = None, last: int | None = None) -> Plan:
        """The files that a preset (or one of that name) would make. Raises PresetError."""
        chosen = named_preset(preset) if isinstance(preset, str) else preset
        if first is not None or last is not None:
            chosen = chosen.model_copy(update={"first": first, "last": last})
        return planned(self.evaluated, chosen, f"r{self.document.revision}")

    def deliver(
        self, preset: str | Preset, out: str | Path, first: int | None = None, last: int | None = None,
        said: Said = lambda done, all_, what: None,
    ) -> dict[str, Any]:  # fmt: skip
        """Render a delivery into an empty folder; its manifest."""
        plan = self.plan(preset, first, last)
        remarks = Remarks(version=f"r{self.document.revision}", media=self.media)
        return deliver(self.evaluated, plan, remarks, self.pictures, Path(out), said)

    def bring_in(self, file: str | Path, frame: int | None = None, cover: str | None = None) -> list[str]:
        """Bring outlines, corners or mattes from a file into the shot; a line for each thing that came. Raises UnreadableError."""
        from wiseglove.delivery.bring_in import bring_in

        changed, told = bring_in(self.evaluated, Path(file), frame or self.frames.start, cover)
        self.document = changed.document
        self.evaluated = changed
        return told

    def close(self) -> None:
        """Let go of the clips' files."""
        if self._pictures is not None:
            self._pictures.close()
            self._pictures = None

    def __enter__(self) -> Shot:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def named_preset(name: str) -> Preset:
    """A preset that is there from the beginning, or one of a JSON file. Raises PresetError."""
    if name in BUILT_IN:
        return BUILT_IN[name]
    path = Path(name)
    if path.suffix == ".json":
        try:
            return Preset.model_validate_json(path.read_bytes())
        except OSError as error:
            raise PresetError(f"There is no preset file {name}. Nothing was rendered. Check its name.") from error
        except ValueError as error:
            raise PresetError(
                f"{name} is not a preset: {_first_line(error)}. Nothing was rendered. Mend it."
            ) from error
    raise PresetError(
        f"There is no preset “{name}”. Nothing was rendered. Name one of {', '.join(f'“{n}”' for n in BUILT_IN)}, or a JSON file."
    )


def _first_line(error: ValueError) -> str:
    errors: Callable[[], list[Any]] | None = getattr(error, "errors", None)
    if errors is None:
        return str(error).splitlines()[0]
    first = errors()[0]
    return f"{'.'.join(map(str, first['loc'])) or 'it'}: {first['msg']}"


def _names(things: Sequence[Cover] | Sequence[Pane]) -> str:
    return ", ".join(f"“{t.name}”" for t in things) or "none"
