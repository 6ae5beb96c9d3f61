"""Movies against the ffmpeg program: its frame hashes, its frames, its idea of variable rate."""

from __future__ import annotations

import hashlib
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest

from tests.builders import HEIGHT, WIDTH, ffmpeg, numbered_picture, write_movie, write_sequence
from wiseglove.media import clip, movie
from wiseglove.media.encode import MovieWriter
from wiseglove.media.errors import MediaError
from wiseglove.media.probe import probe
from wiseglove.media.rates import nearest_standard

COUNT = 30
CODECS = {
    "b-frames.mp4": ("-c:v", "libx264", "-bf", "3", "-g", "12", "-pix_fmt", "yuv420p"),
    "b-frames.mkv": ("-c:v", "libx264", "-bf", "2", "-g", "250", "-pix_fmt", "yuv420p"),
    "open-gop.mp4": ("-c:v", "libx264", "-bf", "3", "-x264-params", "open-gop=1:keyint=8", "-pix_fmt", "yuv420p"),
    "intra.mov": ("-c:v", "prores_ks", "-pix_fmt", "yuv422p10le"),
    "vp9.webm": ("-c:v", "libvpx-vp9", "-pix_fmt", "yuv420p", "-crf", "20", "-b:v", "0"),
    "four-four-four.mov": ("-c:v", "libx264", "-bf", "2", "-pix_fmt", "yuv444p"),
}


@pytest.fixture(scope="module", params=CODECS)
def coded(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_movie(tmp_path_factory.mktemp("coded") / request.param, COUNT, *CODECS[request.param])


def hashes_by_program(path: Path) -> list[str]:
    lines = ffmpeg("-i", path, "-map", "0:v:0", "-fps_mode", "passthrough", "-f", "framemd5", "-").decode().splitlines()
    return [line.split(",")[-1].strip() for line in lines if not line.startswith("#")]


def test_frame_n_is_the_nth_picture_by_the_programs_hashes(coded: Path) -> None:
    ours = []
    for frame in movie.frames(coded):
        planes = b"".join(
            np.asarray(plane).reshape(plane.height, plane.line_size)[:, : plane.width * bytes_of(frame)].tobytes()
            for plane in map(PlaneView, frame.planes)
        )
        ours.append(hashlib.md5(planes).hexdigest())
    assert len(ours) == COUNT
    assert ours == hashes_by_program(coded)


class PlaneView:
    """A decoded plane as bytes with its padding."""

    def __init__(self, plane: av.video.plane.VideoPlane) -> None:
        self.width, self.height, self.line_size = plane.width, plane.height, plane.line_size
        self._bytes = np.frombuffer(plane, np.uint8)

    def __array__(self, dtype: object = None, copy: bool | None = None) -> np.ndarray:
        return self._bytes


def bytes_of(frame: av.VideoFrame) -> int:
    return 2 if max(c.bits for c in frame.format.components) > 8 else 1


def test_random_access_gives_the_same_pixels_as_reading_through(coded: Path) -> None:
    through = [movie.to_rgb(f) for f in movie.frames(coded)]
    index = [int(f.pts or 0) for f in movie.frames(coded)]
    reader = movie.MovieReader(coded, index)
    rng = np.random.default_rng(5)
    for number in [*rng.integers(0, COUNT, 40), COUNT - 1, 0, 1, 2, 28, 29]:
        assert (reader.read(int(number)) == through[number]).all(), number
    reader.close()


def test_probing_says_what_is_in_the_file(coded: Path) -> None:
    understood = probe([coded])
    assert (understood.width, understood.height, understood.count) == (WIDTH, HEIGHT, COUNT)
    assert (understood.rate_num, understood.rate_den) == (25, 1)
    assert not understood.rate_varies
    assert understood.bit_depth == (10 if coded.suffix == ".mov" and "intra" in coded.name else 8)


def test_colours_come_back_as_they_went_in(coded: Path) -> None:
    picture = movie.to_rgb(next(movie.frames(coded)))
    if picture.dtype == np.uint16:
        picture = (picture / 257).round()
    flat = np.s_[HEIGHT // 8 + 4 : 50, 30:100]
    # Below 720 lines the program writes BT.601 unless told otherwise; the gradient holds chroma detail of 4:2:0.
    assert np.abs(picture[flat].astype(float) - numbered_picture(0)[flat]).mean() < 3.5


def test_a_rate_of_thousand_and_first_is_a_fraction(tmp_path: Path) -> None:
    write_sequence(tmp_path / "f", range(12))
    out = tmp_path / "film.mp4"
    ffmpeg("-framerate", "24000/1001", "-i", tmp_path / "f" / "tap.%04d.png", "-pix_fmt", "yuv420p", out)
    understood = probe([out])
    assert (understood.rate_num, understood.rate_den) == (24000, 1001)
    assert not understood.rate_varies


def test_a_varying_rate_is_said_and_every_picture_kept(tmp_path: Path) -> None:
    write_sequence(tmp_path / "f", range(20))
    out = tmp_path / "varying.mkv"
    ffmpeg(
        "-framerate", "25", "-i", tmp_path / "f" / "tap.%04d.png", "-vf", "setpts='if(gt(N,9),N*2-10,N)/25/TB'",
        "-fps_mode", "vfr", "-c:v", "libx264", "-bf", "2", "-pix_fmt", "yuv420p", out,
    )  # fmt: skip
    understood = probe([out])
    assert understood.rate_varies
    assert understood.count == 20
    assert "n-th picture" in understood.notes[0]
    assert len(list(movie.frames(out))) == 20


def test_turned_pictures_are_stood_upright(tmp_path: Path) -> None:
    plain = write_movie(tmp_path / "plain.mp4", 3)
    turned = tmp_path / "turned.mp4"
    ffmpeg("-i", plain, "-c", "copy", "-metadata:s:v", "rotate=90", turned)
    understood = probe([turned])
    assert (understood.width, understood.height) == (HEIGHT, WIDTH)
    upright = movie.to_rgb(next(movie.frames(turned)))
    program = tmp_path / "upright.png"
    ffmpeg("-i", turned, "-frames:v", "1", program)
    shown = cv2.imread(str(program))[..., ::-1]
    assert upright.shape == shown.shape
    assert np.abs(upright.astype(int) - shown).mean() < 2


def test_non_square_pixels_are_noted(tmp_path: Path) -> None:
    write_sequence(tmp_path / "f", range(3))
    out = tmp_path / "wide.mp4"
    ffmpeg("-i", tmp_path / "f" / "tap.%04d.png", "-vf", "setsar=4/3", "-pix_fmt", "yuv420p", out)
    assert probe([out]).pixel_aspect == pytest.approx(4 / 3)


@pytest.mark.parametrize(("width", "height"), [(64, 48), (65, 47)])
def test_a_written_movie_is_read_alike_by_the_program(tmp_path: Path, width: int, height: int) -> None:
    pictures = [cv2.GaussianBlur(numbered_picture(n, width, height), (0, 0), 2) for n in range(8)]
    with MovieWriter(tmp_path / "out.mp4", width, height, Fraction(30000, 1001)) as writer:
        for picture in pictures:
            writer.write(picture)
    raw = ffmpeg("-i", tmp_path / "out.mp4", "-f", "rawvideo", "-pix_fmt", "rgb24", "-")
    seen = np.frombuffer(raw, np.uint8).reshape(8, height + height % 2, width + width % 2, 3)[:, :height, :width]
    assert np.abs(seen.astype(int) - np.stack(pictures)).mean() < 3
    understood = probe([tmp_path / "out.mp4"])
    assert (understood.rate_num, understood.rate_den) == (30000, 1001)


def test_a_written_movie_says_which_colours_it_holds(tmp_path: Path) -> None:
    with MovieWriter(tmp_path / "out.mp4", 64, 48, Fraction(25)) as writer:
        for n in range(3):
            writer.write(numbered_picture(n, 64, 48))
    with av.open(str(tmp_path / "out.mp4")) as container:
        context = container.streams.video[0].codec_context
        # ITU-T H.273: 1 is BT.709 for primaries, transfer and matrix; range 1 is limited.
        assert (context.color_primaries, context.color_trc, context.colorspace, context.color_range) == (1, 1, 1, 1)


def test_a_movie_cut_short_is_refused_with_its_name(tmp_path: Path) -> None:
    good = write_movie(tmp_path / "good.mp4", 30)
    cut = tmp_path / "cut.mp4"
    cut.write_bytes(good.read_bytes()[: good.stat().st_size // 2])
    with pytest.raises(MediaError, match=r"cut\.mp4.*Nothing was taken in"):
        probe([cut])


def test_damaged_pictures_are_refused_and_leave_nothing_behind(tmp_path: Path) -> None:
    source = tmp_path / "source"
    source.mkdir()
    good = write_movie(source / "broken.mkv", 30)
    data = bytearray(good.read_bytes())
    middle = len(data) // 2
    data[middle : middle + 2500] = bytes(2500)
    good.write_bytes(data)
    understood = probe([good])
    with pytest.raises(MediaError, match=r"broken\.mkv"):
        clip.decode(source, tmp_path / "target", understood, lambda done, total: None)
    assert not (tmp_path / "target").exists()


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("empty.mp4", b"", "is empty"),
        ("notes.mp4", b"This is a shopping list: seeds, twine, gloves.\n" * 40, "cannot be read as a movie"),
        ("noise.webm", bytes(range(256)) * 300, "cannot be read as a movie"),
        ("empty.png", b"", "is empty"),
        ("notes.png", b"not a picture", "damaged"),
        ("notes.exr", b"not a picture", "damaged"),
        ("notes.tif", b"not a picture", "damaged"),
        ("notes.txt", b"hello", "cannot be read as a movie"),
    ],
)
def test_what_is_no_plate_gets_a_sentence(tmp_path: Path, name: str, content: bytes, says: str) -> None:
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(MediaError, match=says) as told:
        probe([path])
    assert "Nothing was taken in" in str(told.value)


def test_sound_alone_is_no_movie(tmp_path: Path) -> None:
    out = tmp_path / "voice.mp4"
    ffmpeg("-f", "lavfi", "-i", "sine=duration=0.2", "-c:a", "aac", out)
    with pytest.raises(MediaError, match="holds no moving pictures"):
        probe([out])


KINDS = {
    "avi": ("-c:v", "mpeg4", "-bf", "2", "-g", "12", "-q:v", "2"),
    "m4v": ("-c:v", "libx264", "-bf", "3", "-g", "12", "-pix_fmt", "yuv420p"),
    "mxf": ("-c:v", "mpeg2video", "-bf", "2", "-g", "12", "-q:v", "2"),
    "mpg": ("-c:v", "mpeg2video", "-bf", "2", "-g", "12", "-q:v", "2"),
    "mts": ("-c:v", "libx264", "-bf", "3", "-g", "12", "-pix_fmt", "yuv420p", "-f", "mpegts"),
    "wmv": ("-c:v", "wmv2", "-g", "12", "-q:v", "2"),
    "ogv": ("-c:v", "libtheora", "-g", "12", "-q:v", "9"),
    "nut": ("-c:v", "ffv1"),
}


@pytest.mark.parametrize("suffix", KINDS)
def test_whatever_is_a_movie_is_taken_and_each_of_its_pictures_found(tmp_path: Path, suffix: str) -> None:
    path = write_movie(tmp_path / f"tap.{suffix}", 60, *KINDS[suffix])
    understood = probe([path])
    assert (understood.kind, understood.count, understood.rate_num) == ("movie", 60, 25)
    shown = [movie.to_rgb(frame) for frame in movie.frames(path)]
    assert len(shown) == 60
    reader = movie.MovieReader(path, [movie.time_of(frame) for frame in movie.frames(path)])
    for number in (59, 0, 31, 30, 12, 13, 58, 1, 40, 24, 25):
        assert (reader.read(number) == shown[number]).all(), number
    reader.close()


def test_an_odd_rate_is_offered_the_standard_one_that_is_close() -> None:
    near = nearest_standard(Fraction(456000, 15217), 455)
    assert near is not None
    assert (near.rate_num, near.rate_den) == (30000, 1001)
    seconds = 454 / (456000 / 15217)
    assert near.last_off == pytest.approx(abs(seconds * 30000 / 1001 - 454), abs=1e-3)
    assert nearest_standard(Fraction(30000, 1001), 455) is None
    assert nearest_standard(Fraction(12), 100) is None


def test_threads_that_go_through_a_movie_together_decode_it_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = write_movie(tmp_path / "tap.mp4", 24)
    through = [movie.to_rgb(f) for f in movie.frames(path)]
    reader = movie.MovieReader(path, [movie.time_of(f) for f in movie.frames(path)])
    decoded = 0
    real = movie.MovieReader._ahead

    def counted(self: movie.MovieReader, number: int) -> object:
        nonlocal decoded
        decoded += 1
        return real(self, number)

    monkeypatch.setattr(movie.MovieReader, "_ahead", counted)
    with ThreadPoolExecutor(3) as pool:
        seen = list(pool.map(reader.read, range(24)))
    reader.close()
    for picture, expected in zip(seen, through, strict=True):
        assert (picture == expected).all()
    assert decoded <= 26  # each once, but for a thread that fell far behind
