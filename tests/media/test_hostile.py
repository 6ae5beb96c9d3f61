"""Files as strangers send them: each gets a sentence, none takes the process along."""

from __future__ import annotations

import io
import struct
import time
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from tests.builders import numbered_picture, write_sequence
from wiseglove.media import clip
from wiseglove.media.errors import MediaError
from wiseglove.media.guarded import guarded
from wiseglove.media.info import Limits
from wiseglove.media.probe import TURNED, decoding_memory, probe
from wiseglove.media.stills import read_picture

LARGE = Limits(width=40_000, height=40_000)


def png_of(width: int, height: int, depth: int = 8, colour: int = 2, rows: bytes = b"") -> bytes:
    """A PNG that claims a size, with no or few pixels (W3C PNG: signature, IHDR, IDAT, IEND)."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, depth, colour, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def tiff_of(kind: str) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, np.ones((8, 8, 3), kind), photometric="rgb")
    return out.getvalue()


@pytest.mark.parametrize(
    ("name", "content", "limits", "says"),
    [
        ("a.png", png_of(20_000, 10_000), Limits(), "takes at most 8192x8192"),
        ("a.png", png_of(16_000, 16_000, 16, 6), LARGE, "GB of memory"),
        ("a.png", b"\x89PNG\r\n\x1a\n" + b"\0" * 40, Limits(), "is damaged"),
        ("a.png", b"", Limits(), "is empty"),
        ("a.jpg", b"\xff\xd8\xff\xe0" + b"\0" * 64, Limits(), "is damaged"),
        ("a.tif", tiff_of("f8"), Limits(), "float64"),
        ("a.tif", tiff_of("u4"), Limits(), "uint32"),
        ("a.tif", tiff_of("i1"), Limits(), "int8"),
        ("a.tif", b"II*\0\xff\xff\xff\xff", Limits(), "is damaged"),
        ("a.exr", b"\x76\x2f\x31\x01" + b"\x02\0\0\0" + b"x" * 90, Limits(), "is damaged"),
        ("a.mp4", b"\0\0\0\x18ftypmp42" + b"\0" * 64, Limits(), "cannot be read as a movie"),
        ("a.sh", b"#!/bin/sh\nexit 1\n", Limits(), "cannot be read as a movie"),
    ],
)
def test_each_gets_its_sentence(tmp_path: Path, name: str, content: bytes, limits: Limits, says: str) -> None:
    kept = tmp_path / f"000000{Path(name).suffix}"
    kept.write_bytes(content)
    with pytest.raises(MediaError, match=says) as refused:
        probe([kept], limits, [f"mine {name}"])
    if "a.png" in name and "at most" in says:
        return
    assert "000000" not in str(refused.value)  # files are called what their sender calls them


def test_numbers_too_far_apart_are_no_sequence(tmp_path: Path) -> None:
    first, last = tmp_path / "a.1.png", tmp_path / "a.900000000.png"
    for path in (first, last):
        path.write_bytes(png_of(8, 8))
    with pytest.raises(MediaError, match="too far for one sequence"):
        probe([first, last])
    longest = tmp_path / f"b.{'9' * 200}.png"
    longest.write_bytes(png_of(8, 8))
    assert probe([longest]).kind == "still"


def claims_much(folder: Path) -> int:
    """Stands for a decoder that a file makes take more and more memory."""
    taken = [np.ones(50_000_000, np.uint8) for _ in range(200)]
    return len(taken)


def hangs(folder: Path) -> int:
    time.sleep(60)
    return 0


def dies(folder: Path) -> int:
    import ctypes

    ctypes.string_at(0)
    return 0


def reports(folder: Path, report: Callable[[int, int], None]) -> str:
    for n in range(3):
        report(n, 3)
    return "done"


@pytest.mark.parametrize(
    ("task", "says"), [(claims_much, "more memory"), (hangs, "did not go on for"), (dies, "ended it altogether")]
)
def test_a_decoder_that_goes_wild_is_ended_and_only_it(tmp_path: Path, task: Callable[[Path], int], says: str) -> None:
    started = time.monotonic()
    with pytest.raises(MediaError, match=says):
        guarded(task, tmp_path, memory=300_000_000, silence=20.0 if task is not hangs else 2.0)
    assert time.monotonic() - started < 60


def test_progress_comes_through_and_what_it_raises_ends_the_process(tmp_path: Path) -> None:
    seen: list[int] = []
    assert guarded(reports, tmp_path, memory=1_000_000_000, progress=lambda done, _: seen.append(done)) == "done"
    assert seen == [0, 1, 2]

    def stop(done: int, total: int) -> None:
        raise KeyError("not wanted any more")

    with pytest.raises(KeyError):
        guarded(reports, tmp_path, memory=1_000_000_000, progress=stop)


def test_a_damaged_file_in_the_child_is_named_here(tmp_path: Path) -> None:
    paths = write_sequence(tmp_path / "source", [1, 2])
    understood = probe(paths)
    paths[1].write_bytes(paths[1].read_bytes()[:300])
    with pytest.raises(MediaError, match=r"tap\.0002\.png"):
        guarded(
            clip.decode, tmp_path / "source", tmp_path / "out", understood,
            memory=decoding_memory(understood), progress=lambda *_: None,
        )  # fmt: skip
    assert not (tmp_path / "out").exists()


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("suffix", ["jpg", "tif", "png"])
def test_pictures_stand_as_their_files_ask(tmp_path: Path, orientation: int, suffix: str) -> None:
    """Against Pillow's own turning (ImageOps.exif_transpose)."""
    from PIL import ImageOps

    pixels = np.zeros((16, 32, 3), np.uint8)
    pixels[:8, :16] = (230, 20, 20)
    pixels[8:, 16:] = (20, 20, 230)
    exif = Image.Exif()
    exif[0x0112] = orientation
    path = tmp_path / f"a.{suffix}"
    Image.fromarray(pixels).save(path, exif=exif, quality=100, subsampling=0)
    with Image.open(path) as image:
        wanted = np.asarray(ImageOps.exif_transpose(image).convert("RGB"))
    understood = probe([path])
    assert (understood.width, understood.height) == (wanted.shape[1], wanted.shape[0])
    assert np.abs(read_picture(path).astype(int) - wanted).max() <= 2
    assert (TURNED in understood.notes) == (orientation != 1)


@pytest.mark.parametrize("orientation", [3, 6, 8])
@pytest.mark.parametrize("kind", ["u1", "u2", "f4"])
def test_deep_tiffs_stand_as_they_ask_too(tmp_path: Path, orientation: int, kind: str) -> None:
    pixels = np.zeros((16, 32, 3), kind)
    pixels[:8, :16] = 1 if kind == "f4" else np.iinfo(kind).max
    path = tmp_path / "a.tif"
    tag = [(0x0112, "H", 1, orientation, True)]
    tifffile.imwrite(path, pixels, photometric="rgb", extratags=tag)
    turns = {3: 2, 6: 3, 8: 1}[orientation]
    assert (read_picture(path) == np.rot90(pixels, turns)).all()


def test_clips_from_before_files_were_turned_stay_as_they_are(tmp_path: Path) -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    (tmp_path / "source").mkdir()
    Image.fromarray(numbered_picture(3)).save(tmp_path / "source" / "a.jpg", exif=exif)
    before = probe([tmp_path / "source" / "a.jpg"]).model_dump() | {"index": [], "upright": False}
    (tmp_path / "clip.json").write_text(clip.MediaInfo.model_validate(before).model_dump_json())
    assert clip.ClipReader(tmp_path).read(0).shape == numbered_picture(3).shape
