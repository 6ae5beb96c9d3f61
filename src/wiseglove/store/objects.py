"""Clips and deliveries in a store that several machines share: a folder, or whatever fsspec knows (s3:// and others).

Without a store of its own, everything lies below the settings' folder `files`, which machines may share as well. With one, each
machine has its own folder and brings what it needs from there: names are those below `files`, as media/<clip>/source/000000.png.
"""

from __future__ import annotations

import errno
import shutil
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from uuid import uuid4

import fsspec

from wiseglove.store.errors import StoreError

DISPLAYED = ("full", "proxy")
"""Folders of a clip's display copies."""


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
        self._url = url
        self._folders = "file" in self._files.protocol or "local" in self._files.protocol
        """Whether folders have to be made; object stores have none, and a bucket is not ours to make."""

    @contextmanager
    def _in_words(self, what: str) -> Iterator[None]:
        """What a store's own library says, in words; what is wrong with this machine's disk stays as it is."""
        try:
            yield
        except StoreError:
            raise
        except Exception as error:
            if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise
            raise StoreError(
                f"The store {self._url} cannot be {what}: {error}. What is in the database and on this machine is safe. See "
                "that it runs and can be reached from here, then try again."
            ) from error

    def _at(self, name: str) -> str:
        return f"{self._root}/{name}"

    def push(self, path: Path, name: str) -> None:
        """Put a file, or all files of a folder, under a name."""
        files = [path] if path.is_file() else sorted(p for p in path.rglob("*") if p.is_file())
        with self._in_words("written to"):
            for file in files:
                own = self._at(name if path.is_file() else f"{name}/{file.relative_to(path).as_posix()}")
                if self._folders:
                    self._files.makedirs(own.rpartition("/")[0], exist_ok=True)
                self._files.put_file(str(file), own)

    def pull(self, name: str, path: Path) -> bool:
        """Bring a file, or a folder with all below it, to a path that is not there yet; False where there is nothing."""
        with self._in_words("read"):
            self._files.invalidate_cache()
            if not self._files.exists(self._at(name)):
                return False
        part = path.with_name(f"{path.name}.{uuid4().hex[:8]}.part")
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            with self._in_words("read"):
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
        with self._in_words("written to"):
            self._files.invalidate_cache()
            if self._files.exists(self._at(name)):
                self._files.rm(self._at(name), recursive=True)

    def bring_clips(self, media: Path, clips: Iterable[str], shown: bool = False) -> None:
        """Bring clips that are not here yet. Those that the store has not either are missed by whoever reads them.

        shown: with their display copies, which only those need who look at them.
        """
        if not self.remote:
            return
        for clip in clips:
            parts = (*(DISPLAYED if shown else ()), "source", "clip.json")  # the last says that the others are there
            for part in parts:
                if not (media / clip / part).exists() and not self.pull(f"media/{clip}/{part}", media / clip / part):
                    break
