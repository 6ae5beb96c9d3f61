"""What a clip is called: a name made from its files' contents and how they follow each other."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from pathlib import Path

from wiseglove.media.info import Understood
from wiseglove.media.probe import TURNED


def content_id(understood: Understood, hashes: Mapping[str, str | None]) -> str:
    """24 hexadecimal digits. hashes: SHA-256 of each of its files, by name, and of its look-up table."""
    digest = hashlib.sha256()
    for name in understood.files:
        digest.update(str(hashes[name]).encode())
    # Pictures that are turned, as they were not always, are other pictures.
    turned = ("turned",) if TURNED in understood.notes else ()
    # And so are those that are read in another way than usual.
    read = (understood.layer, understood.light, hashes[understood.lut] if understood.light == "lut" else "")
    unusual = (read,) if read != ("", "usual", "") else ()
    digest.update(repr((understood.kind, understood.numbers, *turned, *unusual)).encode())
    return digest.hexdigest()[:24]


def hashed(folder: Path, files: Iterable[str]) -> dict[str, str | None]:
    """SHA-256 of files in a folder."""
    out: dict[str, str | None] = {}
    for name in files:
        with (folder / name).open("rb") as file:
            out[name] = hashlib.file_digest(file, "sha256").hexdigest()
    return out
