"""Still pictures and sequences: depths, numbering, gaps, sizes, limits, a full disk."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image
from skimage.metrics import peak_signal_noise_ratio

from tests.builders import HEIGHT, WIDTH, numbered_picture, write_sequence
from wiseglove.media import clip, stills
from wiseglove.media.encode import jpeg, png
from wiseglove.media.errors import MediaError
from wiseglove.media.info import Limits
from wiseglove.media.probe import probe


def nothing(done: int, total: int) -> None:
    """Progress that nobody watches."""


def deep_picture() -> np.ndarray:
    return (numbered_picture(3).astype(np.uint16) * 257) ^ 5


def test_eight_and_sixteen_bit_png_and_tiff_are_exact(tmp_path: Path) -> None:
    shallow, deep = numbered_picture(3), deep_picture()
    Image.fromarray(shallow).save(tmp_path / "a.png")
    cv2.imwrite(str(tmp_path / "b.png"), deep[..., ::-1])
    tifffile.imwrite(tmp_path / "c.tif", shallow, photometric="rgb")
    tifffile.imwrite(tmp_path / "d.tiff", deep, photometric="rgb")
    for name, expected, bits in (
        ("a.png", shallow, 8),
        ("b.png", deep, 16),
        ("c.tif", shallow, 8),
        ("d.tiff", deep, 16),
    ):
        head = stills.read_header(tmp_path / name)
        assert (head.width, head.height, head.bit_depth, head.floating) == (WIDTH, HEIGHT, bits, False)
        assert (stills.read_picture(tmp_path / name) == expected).all()


@pytest.mark.parametrize(("kind", "bits"), [(np.float16, 16), (np.float32, 32)])
def test_exr_linear_light_is_shown_through_the_srgb_curve(tmp_path: Path, kind: type, bits: int) -> None:
    ramp = np.linspace(0, 2, WIDTH * 4).reshape(4, WIDTH).astype(kind)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, {name: ramp for name in "RGB"}) as file:
        file.write(str(tmp_path / "ramp.exr"))
    head = stills.read_header(tmp_path / "ramp.exr")
    assert (head.width, head.height, head.bit_depth, head.floating) == (WIDTH, 4, bits, True)
    linear = ramp.astype(np.float64)
    # IEC 61966-2-1
    expected = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    assert np.abs(stills.read_picture(tmp_path / "ramp.exr")[..., 1] - expected).max() < 2e-3


def test_exr_premultiplied_alpha_becomes_straight(tmp_path: Path) -> None:
    alpha = np.full((4, 4), 0.5, np.float32)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, {**{n: np.full((4, 4), 0.25, np.float32) for n in "RGB"}, "A": alpha}) as file:
        file.write(str(tmp_path / "half.exr"))
    pixels = stills.read_picture(tmp_path / "half.exr")
    assert pixels[0, 0, 3] == pytest.approx(0.5)
    assert pixels[0, 0, 0] == pytest.approx(1.055 * 0.5 ** (1 / 2.4) - 0.055, abs=1e-3)


def test_exr_without_colours_is_shown_by_its_only_channel(tmp_path: Path) -> None:
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, {"depth.Z": np.ones((4, 4), np.float32)}) as file:
        file.write(str(tmp_path / "z.exr"))
    assert stills.read_header(tmp_path / "z.exr").layers == ("depth.Z",)
    assert stills.read_picture(tmp_path / "z.exr") == pytest.approx(np.ones((4, 4, 3)))


def test_grey_and_transparent_pictures_are_read(tmp_path: Path) -> None:
    Image.fromarray(numbered_picture(3)[..., 0]).save(tmp_path / "grey.png")
    Image.fromarray(np.dstack([numbered_picture(3), numbered_picture(4)[..., 0]])).save(tmp_path / "clear.png")
    assert (stills.read_picture(tmp_path / "grey.png")[..., 2] == numbered_picture(3)[..., 0]).all()
    assert (stills.read_picture(tmp_path / "clear.png")[..., 3] == numbered_picture(4)[..., 0]).all()
    assert stills.read_header(tmp_path / "clear.png").alpha


def test_other_readers_see_the_bytes_that_are_written() -> None:
    import io

    picture = numbered_picture(9)
    assert (np.asarray(Image.open(io.BytesIO(png(picture)))) == picture).all()
    assert (np.asarray(Image.open(io.BytesIO(png(picture[..., 0])))) == picture[..., 0]).all()
    shown = np.asarray(Image.open(io.BytesIO(jpeg(picture, 93))))
    assert peak_signal_noise_ratio(picture, shown) > 30


def test_a_sequence_keeps_its_numbers(tmp_path: Path) -> None:
    paths = write_sequence(tmp_path, [998, 999, 1000, 1001])
    understood = probe(paths[::-1])
    assert (understood.kind, understood.first, understood.count, understood.gaps) == ("sequence", 998, 4, [])
    assert understood.name == "tap"
    assert not understood.rate_known


def test_gaps_are_named_and_held(tmp_path: Path) -> None:
    source = tmp_path / "source"
    understood = probe(write_sequence(source, [10, 11, 14, 15, 17]))
    assert [(g.first, g.last) for g in understood.gaps] == [(12, 13), (16, 16)]
    assert understood.count == 8
    info = clip.decode(source, tmp_path / "clip", understood, nothing)
    (tmp_path / "clip" / "source").symlink_to(source)
    reader = clip.ClipReader(tmp_path / "clip")
    seen = [reader.read(n) for n in range(info.count)]
    for picture, number in zip(seen, [10, 11, 11, 11, 14, 15, 15, 17], strict=True):
        assert (picture == numbered_picture(number)).all()


@pytest.mark.parametrize(
    ("names", "says"),
    [
        (["tap.0001.png", "wave.0002.png"], "several sequences"),
        (["tap.0001.png", "tap.png"], "no frame number"),
        (["tap.01.png", "tap.1.png"], "came twice"),
        (["tap.0001.png", "tap.0002.jpg"], "several sequences"),
    ],
)
def test_files_that_are_no_sequence_are_refused(tmp_path: Path, names: list[str], says: str) -> None:
    for name in names:
        cv2.imwrite(str(tmp_path / name), numbered_picture(1))
    with pytest.raises(MediaError, match=says):
        probe([tmp_path / name for name in names])


def test_frames_of_differing_size_are_refused_by_name(tmp_path: Path) -> None:
    paths = write_sequence(tmp_path, [1, 2, 3])
    cv2.imwrite(str(paths[1]), numbered_picture(2, 64, 48))
    with pytest.raises(MediaError, match=r"tap\.0002\.png. is 64x48, but .tap\.0001\.png. is 128x96"):
        probe(paths)


def test_a_movie_beside_pictures_is_refused(tmp_path: Path) -> None:
    paths = write_sequence(tmp_path, [1, 2])
    (tmp_path / "a.mp4").write_bytes(b"x")
    with pytest.raises(MediaError, match="one movie or one sequence"):
        probe([*paths, tmp_path / "a.mp4"])


def test_the_set_limits_hold(tmp_path: Path) -> None:
    paths = write_sequence(tmp_path, [1, 2, 3])
    with pytest.raises(MediaError, match="at most 100x100"):
        probe(paths, Limits(width=100, height=100))
    with pytest.raises(MediaError, match="at most 2"):
        probe(paths, Limits(frames=2))


def test_display_copies_look_like_the_source_and_small_ones_are_small(tmp_path: Path) -> None:
    source = tmp_path / "source"
    source.mkdir()
    wide = cv2.resize(numbered_picture(1), (1920, 1080), interpolation=cv2.INTER_CUBIC)
    cv2.imwrite(str(source / "w.1001.png"), wide[..., ::-1])
    cv2.imwrite(str(source / "w.1002.png"), wide[..., ::-1])
    understood = probe(sorted(source.iterdir()))
    clip.decode(source, tmp_path / "clip", understood, nothing)
    full = cv2.imread(str(clip.full_path(tmp_path / "clip", 1)))[..., ::-1]
    small = cv2.imread(str(clip.proxy_path(tmp_path / "clip", 1)))
    assert full.shape == (1080, 1920, 3)
    assert small.shape == (540, 960, 3)
    assert peak_signal_noise_ratio(wide, full) > 38


def test_progress_counts_up_and_stopping_leaves_nothing(tmp_path: Path) -> None:
    source = tmp_path / "source"
    understood = probe(write_sequence(source, range(1, 9)))
    told: list[tuple[int, int]] = []

    class EnoughError(Exception):
        pass

    def stop_at_five(done: int, total: int) -> None:
        told.append((done, total))
        if done == 5:
            raise EnoughError

    with pytest.raises(EnoughError):
        clip.decode(source, tmp_path / "clip", understood, stop_at_five)
    assert told == [(n, 8) for n in range(1, 6)]
    assert not (tmp_path / "clip").exists()
    assert len(list(source.iterdir())) == 8


def test_a_disk_that_fills_up_while_decoding_is_told_and_cleaned(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = tmp_path / "source"
    understood = probe(write_sequence(source, range(1, 9)))
    room = [6]
    real = clip.write_file

    def write(path: Path, data: bytes) -> None:
        room[0] -= 1
        if room[0] < 0:
            raise OSError(errno.ENOSPC, "No space left on device")
        real(path, data)

    monkeypatch.setattr(clip, "write_file", write)
    with pytest.raises(MediaError, match=r"disk is full.*removed again"):
        clip.decode(source, tmp_path / "clip", understood, nothing)
    assert not (tmp_path / "clip").exists()


def test_a_plate_for_which_there_is_no_room_is_refused_before_it_starts(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = tmp_path / "source"
    understood = probe(write_sequence(source, range(1, 9)))
    usage = shutil.disk_usage(tmp_path)
    monkeypatch.setattr(shutil, "disk_usage", lambda _: usage._replace(free=1000))
    with pytest.raises(MediaError, match="are free on the server"):
        clip.decode(source, tmp_path / "clip", understood, nothing)
    assert not (tmp_path / "clip").exists()
