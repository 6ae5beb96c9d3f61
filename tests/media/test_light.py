"""Layers of EXR files, and footage that is not for the display: against OpenEXR, OpenImageIO's and published curves."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from tests.builders import numbered_picture, write_sequence
from wiseglove.media import clip, stills
from wiseglove.media.errors import MediaError
from wiseglove.media.identity import content_id, hashed
from wiseglove.media.light import Reading
from wiseglove.media.probe import probe

SCAN = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}


def plane(value: float) -> NDArray[np.float32]:
    return np.full((6, 8), value, np.float32)


def srgb(linear: NDArray[np.float64]) -> NDArray[np.float64]:
    """IEC 61966-2-1."""
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)


def write_cube(path: Path, size: int, table: NDArray[np.float64]) -> Path:
    """A 3D table (size, size, size, 3), red fastest, as .cube files have it (common practice, no source)."""
    lines = [" ".join(f"{v:.6f}" for v in row) for row in table.reshape(-1, 3)]
    path.write_text(f"LUT_3D_SIZE {size}\n" + "\n".join(lines) + "\n")
    return path


def swapping(size: int = 5) -> NDArray[np.float64]:
    """Gives green for red and the other way round."""
    steps = np.linspace(0, 1, size)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    return np.stack([green, red, blue], axis=-1)


@pytest.fixture(scope="module")
def swap(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_cube(tmp_path_factory.mktemp("tables") / "swap.cube", 5, swapping())


def test_layers_and_parts_are_named_and_one_is_chosen(tmp_path: Path) -> None:
    beauty = {n: plane(v) for n, v in zip("RGB", (0.1, 0.2, 0.3), strict=True)}
    lamp = {f"lamp.{n}": plane(v) for n, v in zip("RGBA", (0.25, 0.25, 0.25, 0.5), strict=True)}
    first = OpenEXR.Part(dict(SCAN), {**beauty, **lamp, "hand": plane(0.7)}, "main")
    second = OpenEXR.Part(dict(SCAN), {n: plane(0.9) for n in "RGB"}, "back")
    OpenEXR.File([first, second]).write(str(tmp_path / "a.exr"))
    head = stills.read_header(tmp_path / "a.exr")
    assert set(head.layers) == {"", "lamp", "hand", "back"}
    assert head.layers[0] == ""

    def seen(layer: str) -> NDArray[np.float32]:
        return stills.read_picture(tmp_path / "a.exr", reading=Reading(layer, "display"))[2, 3]

    assert seen("") == pytest.approx([0.1, 0.2, 0.3])
    assert seen("lamp") == pytest.approx([0.5, 0.5, 0.5, 0.5])  # straight
    assert seen("hand") == pytest.approx([0.7] * 3)
    assert seen("back") == pytest.approx([0.9] * 3)
    with pytest.raises(MediaError, match="no pictures of a layer “leg”"):
        seen("leg")


def test_what_lies_outside_the_data_window_is_nothing(tmp_path: Path) -> None:
    header = {
        **SCAN, "displayWindow": (np.array([0, 0], np.int32), np.array([19, 9], np.int32)),
        "dataWindow": (np.array([5, -2], np.int32), np.array([12, 3], np.int32)),
    }  # fmt: skip
    OpenEXR.File(header, {n: plane(0.5) for n in "RGBA"}).write(str(tmp_path / "w.exr"))
    head = stills.read_header(tmp_path / "w.exr")
    assert (head.width, head.height) == (20, 10)
    alpha = stills.read_picture(tmp_path / "w.exr")[..., 3]
    expected = np.zeros((10, 20))
    expected[0:4, 5:13] = 0.5
    assert alpha == pytest.approx(expected)


@given(value=st.integers(0, 255))
def test_curves_are_the_published_ones(value: int) -> None:
    pixels = np.full((1, 1, 3), value, np.uint8)
    linear = Reading("", "linear").to_display(pixels)
    assert linear.dtype == np.uint16
    assert linear[0, 0, 0] / 65535 == pytest.approx(float(srgb(np.array(value / 255))), abs=1e-4)
    camera = Reading("", "bt709").to_display(pixels)[0, 0, 0] / 65535
    # Turned round again, it is ITU-R BT.709-6's own: 4.5 L below 0.018, 1.099 L^0.45 - 0.099 above.
    back = float(np.where(camera <= 0.04045, camera / 12.92, ((camera + 0.055) / 1.055) ** 2.4))
    assert (4.5 * back if back < 0.018 else 1.099 * back**0.45 - 0.099) == pytest.approx(value / 255, abs=2e-3)


@given(colour=st.tuples(*[st.integers(0, 255)] * 3))
def test_a_table_gives_what_it_says_and_leaves_alpha(colour: tuple[int, int, int], swap: Path) -> None:
    pixels = np.array([[[*colour, 77]]], np.uint8)
    made = Reading("", "lut", swap).to_display(pixels)[0, 0]
    assert made / 257 == pytest.approx([colour[1], colour[0], colour[2], 77], abs=0.01)


def test_a_clip_with_a_table_is_another_clip_and_is_read_through_it(tmp_path: Path) -> None:
    source = tmp_path / "source"
    paths = write_sequence(source, [1001, 1002])
    table = write_cube(source / "log.cube", 5, swapping())
    plain, graded = probe(paths), probe([*paths, table])
    assert (graded.count, graded.light, graded.lut, graded.lut_name) == (2, "lut", "log.cube", "log.cube")
    names = (
        content_id(plain, hashed(source, plain.files)),
        content_id(graded, hashed(source, [*graded.files, graded.lut])),
    )
    assert names[0] != names[1]
    clip.decode(source, tmp_path / "clip", graded, lambda done, all_: None)
    (tmp_path / "clip" / "source").symlink_to(source)
    seen = clip.ClipReader(tmp_path / "clip").read(1)
    assert np.abs(seen / 257 - numbered_picture(1002)[..., [1, 0, 2]]).max() < 0.02
    shown = cv2.imread(str(clip.full_path(tmp_path / "clip", 1)))[..., ::-1]
    assert np.abs(shown.astype(int) - numbered_picture(1002)[..., [1, 0, 2]]).mean() < 3


@pytest.mark.parametrize("text", ["", "LUT_3D_SIZE 2\n0 0 0\n", "seeds and gloves\n", "LUT_3D_SIZE 999999\n"])
def test_what_is_no_table_is_refused(tmp_path: Path, text: str) -> None:
    paths = write_sequence(tmp_path / "s", [1, 2])
    (tmp_path / "s" / "bad.cube").write_text(text)
    with pytest.raises(MediaError, match=r"“bad\.cube” cannot be read as a look-up table"):
        probe([*paths, tmp_path / "s" / "bad.cube"])
    with pytest.raises(MediaError, match="Only a look-up table came"):
        probe([tmp_path / "s" / "bad.cube"])
