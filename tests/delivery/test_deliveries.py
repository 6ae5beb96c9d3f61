"""Whole deliveries of a shot file, read by somebody else's readers."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import OpenEXR
import OpenImageIO
import pytest
import tifffile
from PIL import Image

import wiseglove
from tests.builders import HEIGHT, PANE, SQUARE, WIDTH, draft, write_movie
from wiseglove.core.compositing.colour import decode
from wiseglove.delivery import finish, readback, run
from wiseglove.delivery.opened import Shot
from wiseglove.delivery.preset import Item, Preset, PresetError
from wiseglove.media.errors import MediaError
from wiseglove.shot.edits import AddCover, AddPane
from wiseglove.shot.evaluated import EvaluatedShot

COUNT = 26
LIKE = ("-c:v", "libx264", "-bf", "3", "-g", "12", "-pix_fmt", "yuv420p", "-crf", "12")
FRAMES = range(1001, 1001 + COUNT)


def drawn(shot: Shot, *edits: Any) -> Shot:
    for edit in edits:
        after = shot.document.with_elements(edit.apply(shot.evaluated).after, shot.document.revision + 1)
        shot.document, shot.evaluated = after, EvaluatedShot.of(after)
    return shot


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    """Two covers before a pane, in a shot file beside its plate of an odd rate."""
    plate = write_movie(tmp_path / "tap.mp4", COUNT, "-vf", "settb=1001/24000,setpts=N", "-r", "24000/1001", *LIKE)
    made = Shot.new(str(plate), tmp_path / "tap.shot.json", "Panel tap")
    drawn(
        made,
        AddPane(type="add-pane", id=PANE, frame=1001, corners=SQUARE, name="Screen"),
        AddCover(type="add-cover", frame=1001, outline=draft(), name="Hand"),
        AddCover(type="add-cover", frame=1001, outline=draft(4), name="Thumb"),
    )
    made.save()
    return made


def preset(*items: tuple[str, str], **more: Any) -> Preset:
    own = {k: more.pop(k) for k in list(more) if k in Item.model_fields}
    return Preset.model_validate({"items": [{"what": w, "form": f, **own} for w, f in items], **more}, strict=False)


def paths(folder: Path, part: str) -> list[Path]:
    return sorted(p for p in folder.rglob("*") if part in p.name and p.is_file())


def test_pictures_of_every_form_hold_the_cores_matte(shot: Shot, tmp_path: Path) -> None:
    forms = ("png8", "png16", "tiff16", "exr-half", "exr-float")
    true = shot.matte(1001)
    for form in forms:
        folder = tmp_path / form
        shot.deliver(preset(("union", form), first=1001, last=1002), folder)
        (path, _) = paths(folder, "matte.")
        assert path.name.startswith("Panel_tap_r3_matte.1001.")
        seen = OpenImageIO.ImageBuf(str(path)).get_pixels(OpenImageIO.FLOAT)[..., 0]
        full = np.zeros((HEIGHT, WIDTH), np.float32)
        spec = OpenImageIO.ImageInput.open(str(path)).spec()
        full[spec.y : spec.y + spec.height, spec.x : spec.x + spec.width] = seen
        step = {"png8": 1 / 255, "exr-half": 1 / 1024, "exr-float": 1e-9}.get(form, 1 / 65535)
        assert np.abs(full - true).max() <= step / 2 + 1e-6
    eight = paths(tmp_path / "png8", "matte.")[0]
    assert Image.open(eight).mode == "L"
    assert tifffile.imread(paths(tmp_path / "tiff16", "matte.")[0]).dtype == np.uint16


def test_an_exr_holds_named_channels_windows_and_the_plates_facts(shot: Shot, tmp_path: Path) -> None:
    for how in ("channels", "parts"):
        folder = tmp_path / how
        shot.deliver(preset(("cover", "exr-half"), together=how, first=1003, last=1004), folder)
        path = paths(folder, ".1003.exr")[0]
        with OpenEXR.File(str(path), separate_channels=True) as file:
            named = {p.name(): p for p in file.parts}
            header = file.parts[0].header
            if how == "channels":
                assert set(file.channels()) == {"Hand", "Thumb"}
            else:
                assert set(named) == {"Hand", "Thumb"}
            assert header["pixelAspectRatio"] == 1.0
            assert header["imageCounter"] == 1003
            rate = header["framesPerSecond"]
            assert (rate.numerator, rate.denominator) == (24000, 1001)
            low, high = header["dataWindow"]
            assert (high - low < (WIDTH - 1, HEIGHT - 1)).any()
            assert tuple(header["displayWindow"][1]) == (WIDTH - 1, HEIGHT - 1)
        spec = OpenImageIO.ImageInput.open(str(path)).spec()
        assert (spec.full_width, spec.full_height) == (WIDTH, HEIGHT)


def test_a_cut_out_is_straight_or_multiplied_and_linear_in_exr(shot: Shot, tmp_path: Path) -> None:
    one = {"names": ["Hand"], "first": 1001, "last": 1001}
    for name, more in (("straight", {}), ("multiplied", {"premultiplied": True})):
        shot.deliver(preset(("cut", "png16"), **one, **more), tmp_path / name)
    straight, multiplied = (
        cv2.imread(str(paths(tmp_path / n, "cut_")[0]), cv2.IMREAD_UNCHANGED).astype(np.float64)[..., [2, 1, 0, 3]]
        / 65535
        for n in ("straight", "multiplied")
    )
    assert np.abs(straight[..., :3] * straight[..., 3:] - multiplied[..., :3]).max() < 2 / 65535
    shot.deliver(preset(("cut", "exr-float"), **one), tmp_path / "exr")
    with OpenEXR.File(str(paths(tmp_path / "exr", "cut_")[0])) as file:
        light = file.channels()["RGBA"].pixels
        low, high = file.header()["dataWindow"]
    wanted = np.concatenate([decode(straight[..., :3]) * straight[..., 3:], straight[..., 3:]], axis=2)
    part = wanted[low[1] : high[1] + 1, low[0] : high[0] + 1]
    assert np.abs(light - part).max() < 1e-3


def probed(path: Path) -> dict[str, Any]:
    told = subprocess.run(
        ["ffprobe", "-v", "error", "-count_frames", "-show_streams", "-of", "json", str(path)],
        capture_output=True, check=True, text=True,
    )  # fmt: skip
    return dict(json.loads(told.stdout)["streams"][0])


@pytest.mark.parametrize(
    ("what", "form", "codec", "pixels"),
    [
        ("composite", "mp4", "h264", "yuv420p"),
        ("composite", "prores", "prores", "yuva444p10le"),
        ("composite", "ffv1", "ffv1", "bgr0"),
        ("union", "ffv1", "ffv1", "gray16le"),
        ("cut", "webm", "vp9", "yuva420p"),
        ("cut", "prores", "prores", "yuva444p10le"),
        ("cut", "ffv1", "ffv1", "bgra"),
    ],
)
def test_movies_have_the_plates_frames_rate_and_tags_and_their_alpha(
    shot: Shot, tmp_path: Path, what: str, form: str, codec: str, pixels: str
) -> None:
    out = tmp_path / "out"
    named = {"names": ["Hand"]} if what == "cut" else {}
    shot.deliver(preset((what, form), **named), out)
    (path,) = paths(out, what if what != "union" else "matte")
    told = probed(path)
    assert (told["codec_name"], told["width"], told["height"]) == (codec, WIDTH, HEIGHT)
    assert (told["r_frame_rate"], int(told["nb_read_frames"])) == ("24000/1001", COUNT)
    if form in ("mp4", "prores"):
        assert (told["color_space"], told["color_primaries"], told["color_range"]) == ("bt709", "bt709", "tv")
    alpha = _decoded_alpha(path, form) if what != "composite" else None
    if alpha is not None:
        true = shot.matte(1026, covers=["Hand"]) if what == "cut" else shot.matte(1026)
        assert np.abs(alpha[25] - true).mean() < (0.01 if form == "webm" else 0.002)


def _decoded_alpha(path: Path, form: str) -> list[np.ndarray]:
    with av.open(str(path)) as file:
        stream = file.streams.video[0]
        if form == "webm":  # the usual VP9 decoder drops alpha
            decoder: Any = av.CodecContext.create("libvpx-vp9", "r")
            frames = [f for p in file.demux(stream) if p.size for f in decoder.decode(p)] + list(decoder.decode(None))
        else:
            frames = list(file.decode(stream))
        if frames[0].format.name == "gray16le":
            return [f.to_ndarray() / 65535 for f in frames]
        return [f.to_ndarray(format="rgba")[..., 3] / 255 for f in frames]


def test_the_same_version_gives_the_same_bits_with_any_number_of_workers(
    shot: Shot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    everything = preset(
        ("union", "png16"), ("cover", "exr-half"), ("composite", "mp4"), ("motion", "json"), ("outlines", "lottie"),
        ("outlines", "coco"), ("shot", "json"), ("contact", "pdf"), ("timeline", "otio"),
    )  # fmt: skip
    made = []
    for workers in (1, 3):
        monkeypatch.setattr("wiseglove.delivery.chunk.workers", lambda n=workers: n)
        out = tmp_path / f"by{workers}"
        manifest = shot.deliver(everything, out)
        finish.zipped(out, "top", tmp_path / f"{workers}.zip")
        made.append((manifest, (tmp_path / f"{workers}.zip").read_bytes()))
    assert made[0] == made[1]


def test_what_is_whole_is_not_rendered_again_after_a_crash(
    shot: Shot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    rendered: list[int] = []
    real = run.render_chunk

    def counted(*args: Any) -> None:
        rendered.append(args[2].start)
        if len(rendered) == 2:
            raise KeyboardInterrupt
        real(*args)

    monkeypatch.setattr(run, "render_chunk", counted)
    chosen, out = preset(("union", "png8"), ("composite", "mp4")), tmp_path / "out"
    with pytest.raises(KeyboardInterrupt):
        shot.deliver(chosen, out)
    assert not (out / readback.MANIFEST).exists()
    manifest = shot.deliver(chosen, out)
    assert rendered == [1001, 1025, 1025]
    shot.deliver(chosen, tmp_path / "in one go")
    assert manifest == readback.read_manifest(tmp_path / "in one go")
    assert not (out / readback.UNFINISHED).exists()


def _flip(path: Path) -> None:
    data = bytearray(path.read_bytes())
    data[len(data) // 2] ^= 1
    path.write_bytes(data)


@pytest.mark.parametrize(
    ("hurt", "said"),
    [
        (lambda p: p.unlink(), "is missing"),
        (lambda p: p.write_bytes(b""), "has 0 bytes"),
        (_flip, "other bytes"),
        (lambda p: (p.parent / "more.png").write_bytes(b"x"), "not in the manifest"),
    ],
)
def test_a_delivery_that_was_changed_is_found(
    shot: Shot, tmp_path: Path, hurt: Callable[[Path], Any], said: str
) -> None:
    out = tmp_path / "out"
    manifest = shot.deliver(preset(("union", "png8"), first=1001, last=1004), out)
    assert readback.check(out, manifest) == []
    hurt(paths(out, "matte.1003")[0])
    (problem,) = readback.check(out, manifest)
    assert said in problem


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"width": 999}, "size is"), ({"form": "png16"}, "depth is uint8"), ({"frame": 7}, ""),
    ],
)  # fmt: skip
def test_a_picture_of_another_size_or_depth_is_found_by_another_reader(
    shot: Shot, tmp_path: Path, change: dict[str, Any], said: str
) -> None:
    out = tmp_path / "out"
    manifest = shot.deliver(preset(("union", "png8"), first=1001, last=1001), out)
    manifest["files"][0].update(change)
    found = readback.check(out, manifest)
    assert (said in " ".join(found)) if said else found == []


def test_a_movie_with_too_few_frames_or_another_rate_is_not_a_delivery(
    shot: Shot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = finish.joined
    monkeypatch.setattr(finish, "joined", lambda parts, *rest: real(parts[:1], *rest))
    with pytest.raises(finish.NotWholeError, match="number of frames is 24, not 26"):
        shot.deliver(preset(("composite", "mp4")), tmp_path / "out")
    assert not (tmp_path / "out" / readback.MANIFEST).exists()


def test_a_crop_a_smaller_size_and_numbers_from_one(shot: Shot, tmp_path: Path) -> None:
    whole = shot.matte(1003)
    shot.deliver(
        preset(("union", "png8"), crop=[10, 8, 90, 72], numbering="one", first=1003, last=1004), tmp_path / "crop"
    )
    seen = np.asarray(Image.open(paths(tmp_path / "crop", "matte.0001.png")[0]))
    assert np.abs(seen / 255 - whole[8:72, 10:90]).max() <= 0.5 / 255 + 1e-6
    shot.deliver(preset(("union", "png8"), ("composite", "mp4"), scale=0.5, first=1003, last=1003), tmp_path / "half")
    small = np.asarray(Image.open(paths(tmp_path / "half", "matte.1003.png")[0])) / 255
    assert small.shape == (HEIGHT // 2, WIDTH // 2)
    assert np.abs(small - cv2.resize(whole, (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)).mean() < 0.004


def test_a_shot_file_is_read_back_and_finds_its_clip_or_says_why_not(shot: Shot, tmp_path: Path) -> None:
    again = wiseglove.Shot.open(shot.path)
    assert again.document == shot.document
    assert np.array_equal(again.matte(1005), shot.matte(1005))
    elsewhere = tmp_path / "moved"
    elsewhere.mkdir()
    lost = shutil.copy(shot.path, elsewhere / "tap.shot.json")
    with pytest.raises(MediaError, match="cannot be found beside it"):
        Shot.open(lost).composite(1001)
    write_movie(elsewhere / "tap.mp4", COUNT, "-crf", "30")  # a clip of that name, but another one
    with pytest.raises(MediaError, match="changed since"):
        Shot.open(lost).composite(1001)
    shutil.copy(tmp_path / "tap.mp4", elsewhere / "tap.mp4")
    assert np.array_equal(Shot.open(lost).composite(1001), shot.composite(1001))


def test_names_that_are_not_there_are_said(shot: Shot) -> None:
    for wrong in (
        lambda: shot.matte(1001, covers=["Nobody"]), lambda: shot.matte(1001, pane="Door"),
        lambda: shot.matte(5), lambda: shot.plan("No such"), lambda: shot.matte(1001, holdout=True),
    ):  # fmt: skip
        with pytest.raises(PresetError):
            wrong()


def test_the_holdout_of_a_pane_is_what_lies_nearer(shot: Shot) -> None:
    held = shot.matte(1001, pane="Screen", holdout=True)
    assert np.allclose(held, 1 - (1 - shot.matte(1001, ["Hand"])) * (1 - shot.matte(1001, ["Thumb"])), atol=1e-6)
    depth = [PANE, *(i for i in shot.document.elements["settings"].depth if i != PANE)]  # type: ignore[union-attr]
    front = shot.document.elements["settings"].model_copy(update={"depth": depth})
    shot.document = shot.document.with_elements({"settings": front})
    shot.evaluated = EvaluatedShot.of(shot.document)
    assert shot.matte(1001, pane="Screen", holdout=True).max() == 0
