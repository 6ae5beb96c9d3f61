"""Clips and deliveries in a store that several machines share: a folder, or whatever fsspec knows (s3:// and others).

Without a store of its own, everything lies below the settings' folder `files`, which machines may share as well. With one, each
machine has its own folder and brings what it needs from there: names are those below `files`, as media/<clip>/source/000000.png.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterable
from pathlib import Path
from typing import Any
from uuid import uuid4

import fsspec

from wiseglove.store.errors import StoreError


class Objects:
    """What is in the store, by names below a root; nothing is ever changed there, only put and removed."""

    def __init__(self, url: str, options: dict[str, Any] | None = None) -> None:
        """url: such as s3://bucket/wiseglove or file:///mnt/share; empty for none. Raises StoreError for one unknown here."""
        self.remote = bool(url)
        if not url:
            return
        try:
            self._files, root = fsspec.core.url_to_fs(url, **(options or {}))
        except (ImportError, ValueError, OSError) as error:
            raise StoreError(
                f"The store {url} cannot be used here: {error}. Install what its kind needs (s3fs for s3://), or set "
                "WISEGLOVE_STORE anew. Nothing was changed."
            ) from error
        self._root = str(root).rstrip("/")

    def _at(self, name: str) -> str:
        return f"{self._root}/{name}"

    def push(self, path: Path, name: str) -> None:
        """Put a file, or all files of a folder, under a name."""
        files = [path] if path.is_file() else sorted(p for p in path.rglob("*") if p.is_file())
        for file in files:
            own = self._at(name if path.is_file() else f"{name}/{file.relative_to(path).as_posix()}")
            self._files.makedirs(own.rpartition("/")[0], exist_ok=True)
            self._files.put_file(str(file), own)

    def pull(self, name: str, path: Path) -> bool:
        """Bring a file, or a folder with all below it, to a path that is not there yet; False where there is nothing."""
        self._files.invalidate_cache()
        if not self._files.exists(self._at(name)):
            return False
        part = path.with_name(f"{path.name}.{uuid4().hex[:8]}.part")
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            if self._files.isdir(self._at(name)):
                for found in self._files.find(self._at(name)):
                    target = part / found[len(self._at(name)) :].lstrip("/")
                    target.parent.mkdir(parents=True, exist_ok=True)
                    self._files.get_file(found, str(target))
            else:
                self._files.get_file(self._at(name), str(part))
            if path.exists():
                return True  # somebody else was quicker
            part.rename(path)
        except OSError:
            if path.exists():
                return True
            raise
        finally:
            if part.is_dir():
                shutil.rmtree(part, ignore_errors=True)
            else:
                part.unlink(missing_ok=True)
        return True

    def remove(self, name: str) -> None:
        """Remove a file or a folder, if it is there."""
        self._files.invalidate_cache()
        if self._files.exists(self._at(name)):
            self._files.rm(self._at(name), recursive=True)

    def bring_clips(self, media: Path, clips: Iterable[str]) -> None:
        """Bring clips whose folders are not here yet. Those that the store has not either are missed by whoever reads them."""
        if not self.remote:
            return
        for clip in clips:
            if not (media / clip / "clip.json").is_file():
                self.pull(f"media/{clip}", media / clip)
