"""Bringing files to the disk before the database says that they are there, so that a loss of power leaves no empty ones."""

from __future__ import annotations

import ctypes
import os
from pathlib import Path

_libc = ctypes.CDLL(None, use_errno=True)


def sync_below(folder: Path) -> None:
    """All that was written to the file system of a folder (syncfs(2)): for many files quicker than one by one."""
    opened = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        if _libc.syncfs(opened):
            number = ctypes.get_errno()
            raise OSError(number, os.strerror(number), str(folder))
    finally:
        os.close(opened)


def sync_file(path: Path) -> None:
    """One file, and its name in its folder (fsync(2))."""
    for what in (path, path.parent):
        opened = os.open(what, os.O_RDONLY)
        try:
            os.fsync(opened)
        finally:
            os.close(opened)


def put_in_place(made: Path, place: Path) -> None:
    """Rename what is complete and on the disk, so that the name is there for good or not at all."""
    os.replace(made, place)
    sync_below(place.parent)
