"""Outlines in formats of others: written, drawn by somebody else's reader, and read back here."""

from __future__ import annotations

import contextlib
import io
import json
from fractions import Fraction

import numpy as np
import opentimelineio as otio
import orjson
import pytest
import resvg_py
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from PIL import Image
from pycocotools import mask as run_lengths
from pycocotools.coco import COCO
from rlottie_python import LottieAnimation
from svgpathtools import parse_path

from tests.strategies import blob
from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.interchange import coco, lottie, svg, svg_in, timeline
from wiseglove.interchange.drawn import Curve, Layer, Sheet, UnreadableError

WIDE, HIGH, COUNT = 128, 96, 8
SHEET = Sheet(WIDE, HIGH, 1001, COUNT, Fraction(24000, 1001))
FRAMES = np.arange(1001, 1001 + COUNT)


def moving(seed: int = 1, mode: str = "adds", by: float = 2.0, frames: np.ndarray = FRAMES) -> Curve:
    shape = blob(seed)[:, :6]
    shapes = np.repeat(shape[None], len(frames), axis=0)
    shapes[:, :, 0] += by * (frames - 1001)[:, None]
    return Curve(mode, frames, shapes, np.ones(len(frames)))  # type: ignore[arg-type]


def still(points: np.ndarray, mode: str = "adds") -> Curve:
    return Curve(mode, FRAMES, np.repeat(points[None, :, :6], COUNT, axis=0), np.ones(COUNT))  # type: ignore[arg-type]


def raster(points: np.ndarray) -> np.ndarray:
    return coverage(np.concatenate([points, np.zeros((len(points), 2))], axis=1), Box(0, 0, WIDE, HIGH))


HAND = Layer("Hand", [moving(), still(ellipse(60, 50, 9, 9), "cuts")])
LIMITED = Layer("Prop", [still(ellipse(90, 40, 22, 18)), still(ellipse(100, 40, 18, 26), "limits")])


def expected(frame: int) -> np.ndarray:
    """The union of both covers by our own raster."""
    at = frame - 1001
    hand = raster(HAND.curves[0].points[at]) * (1 - raster(HAND.curves[1].points[0]))
    prop = raster(LIMITED.curves[0].points[0]) * raster(LIMITED.curves[1].points[0])
    return 1 - (1 - hand) * (1 - prop)


@pytest.mark.parametrize("frame", [1001, 1004, 1008])
def test_a_frame_as_svg_is_drawn_alike_by_resvg(frame: int) -> None:
    text = svg.write([HAND, LIMITED], SHEET, frame)
    seen = np.asarray(Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=text)))).convert("RGB"), np.float64)
    off = np.abs(seen[..., 0] / 255 - expected(frame))
    assert off.mean() <= 2 / 255
    assert (off > 0.25).mean() < 0.002  # edges that two covers share


@pytest.mark.parametrize("frame", [1001, 1004, 1008])
def test_lottie_is_drawn_alike_by_rlottie(frame: int) -> None:
    animation = LottieAnimation.from_data(lottie.write([HAND, LIMITED], SHEET).decode())
    assert animation.lottie_animation_get_totalframe() in (COUNT, COUNT + 1)  # it counts the end too
    assert animation.lottie_animation_get_framerate() == pytest.approx(24000 / 1001)
    assert animation.lottie_animation_get_size() == (WIDE, HIGH)
    drawn = animation.lottie_animation_render(frame - 1001)
    alpha = np.frombuffer(drawn, np.uint8).reshape(HIGH, WIDE, 4)[..., 3] / 255
    assert np.abs(alpha - expected(frame)).mean() <= 2 / 255


@settings(max_examples=20)
@given(st.integers(0, 10_000), st.sampled_from(["adds", "cuts", "limits"]))
def test_what_svg_and_lottie_hold_is_read_back(seed: int, mode: str) -> None:
    layers = [Layer("Cover & <co>", [moving(seed), moving(seed + 1, mode, by=0.0)])]
    for read in (
        svg_in.read(svg.write(layers, SHEET).encode(), SHEET, 1001),
        lottie.read(lottie.write(layers, SHEET), SHEET),
    ):
        assert [layer.name for layer in read] == ["Cover & <co>"]
        for written, back in zip(layers[0].curves, read[0].curves, strict=True):
            assert back.mode == written.mode
            for frame, points in zip(back.frames, back.points, strict=True):
                assert np.abs(points - written.points[frame - 1001]).max() < 2e-4


def test_an_outline_that_comes_and_goes_does_so_in_both() -> None:
    there = moving(3, frames=FRAMES[2:5])
    for read in (
        svg_in.read(svg.write([Layer("Thumb", [there])], SHEET).encode(), SHEET, 1001),
        lottie.read(lottie.write([Layer("Thumb", [there])], SHEET), SHEET),
    ):
        (back,) = read[0].curves
        seen = dict(zip(back.frames.tolist(), (back.strength > 0).tolist(), strict=True))
        assert [f for f in FRAMES.tolist() if seen.get(f)] == [1003, 1004, 1005]


def test_every_kind_of_shape_with_its_transforms_is_read_as_svgpathtools_measures_it() -> None:
    text = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 48"><g transform="translate(4 2) scale(1.5)">
    <circle id="a" cx="10" cy="9" r="5"/><rect id="b" x="2" y="3" width="8" height="6" rx="1"/>
    <path id="c" d="M2 2 h8 v6 q-4 4 -8 0 z M20 20 A 4 6 30 0 1 26 24 L 20 26 Z"/><polygon id="d" points="1,1 5,1 3,6"/></g>
    <path id="open" d="M1 1 L5 5 L1 5"/><text>no</text></svg>"""
    layers = {layer.name: layer.curves for layer in svg_in.read(text.encode(), SHEET, 1003)}
    assert set(layers) == {"a", "b", "c", "d", "open"}
    assert len(layers["c"]) == 2
    assert layers["a"][0].frames.tolist() == [1003]
    area = float(raster(layers["a"][0].points[0]).sum())
    assert area == pytest.approx(np.pi * (5 * 1.5 * 2) ** 2, rel=1e-3)  # the view box is half of the plate
    arc = parse_path("M20 20 A 4 6 30 0 1 26 24 L 20 26 Z")
    line = np.array([arc.point(t) for t in np.linspace(0, 1, 4000)])
    wanted = abs(float((line.real * np.roll(line.imag, -1) - line.imag * np.roll(line.real, -1)).sum())) / 2 * 9
    assert float(raster(layers["c"][1].points[0]).sum()) == pytest.approx(wanted, rel=5e-3)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (b"no xml", "not a whole SVG"),
        (b'<!DOCTYPE s [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg"><path d="&a;"/></svg>', "entities"),
        (b'<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>', "No closed shape"),
        (b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 L nan 3 9 Z"/></svg>', ""),
        (b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 L 1e9 3 9 9 Z"/></svg>', "farther away"),
        (b'<svg xmlns="http://www.w3.org/2000/svg">' + b"<g/>" * 500_000 + b"</svg>", "more than"),
        (b"<html></html>", "not an SVG"),
    ],
)
def test_an_svg_that_cannot_be_read_is_said_plainly(text: bytes, said: str) -> None:
    with pytest.raises(UnreadableError, match=said or "Nothing was brought in"):
        svg_in.read(text, SHEET, 1001)


@settings(max_examples=60)
@given(st.recursive(st.none() | st.booleans() | st.floats() | st.text(max_size=5), lambda x: st.lists(x, max_size=3) | st.dictionaries(
    st.sampled_from(["layers", "w", "h", "masksProperties", "pt", "k", "s", "v", "i", "o", "mode", "ks", "shapes", "it", "images",
                     "annotations", "segmentation", "id", "width", "height", "image_id", "counts", "size"]), x, max_size=4), max_leaves=12))  # fmt: skip
def test_any_json_is_read_or_refused_in_words(found: object) -> None:
    data = orjson.dumps(found)
    for read in (lottie.read, coco.read):
        with contextlib.suppress(UnreadableError):
            read(data, SHEET)


def test_coco_is_read_by_its_own_tools_and_holds_the_areas(tmp_path_factory: pytest.TempPathFactory) -> None:
    polygon = np.array([[20.0, 20.0], [60.5, 22.0], [50.0, 70.0], [22.0, 60.0]])
    pixels = (raster(HAND.curves[0].points[0]) >= 0.5).astype(np.uint8)
    marked = [coco.Marked("Hand", 1001, None, pixels), coco.Marked("Card", 1002, [polygon], None)]
    path = tmp_path_factory.mktemp("coco") / "a.json"
    path.write_bytes(coco.write(marked, SHEET, "Tap"))
    known = COCO(str(path))
    assert {c["name"] for c in known.loadCats(known.getCatIds())} == {"Hand", "Card"}
    (hand,) = known.loadAnns(known.getAnnIds(imgIds=[1001]))
    assert (known.annToMask(hand) == pixels).all()
    assert hand["area"] == pixels.sum()
    (card,) = known.loadAnns(known.getAnnIds(imgIds=[1002]))
    x, y = polygon.T
    true = abs(float((x * np.roll(y, -1) - y * np.roll(x, -1)).sum())) / 2
    assert card["area"] == pytest.approx(true, rel=0.03)
    back = coco.read(path.read_bytes(), SHEET)
    assert [(m.cover, m.frame) for m in back] == [("Hand", 1001), ("Card", 1002)]
    assert (coco.pixels_of(back[0], SHEET) == pixels * 255).all()
    own = coco.pixels_of(back[1], SHEET)
    theirs = run_lengths.decode(known.annToRLE(card))
    assert ((own > 0) != (theirs > 0)).sum() < 0.08 * theirs.sum()  # pixels on the border may go either way


def test_coco_of_another_size_is_refused() -> None:
    data = json.loads(coco.write([], SHEET, "Tap"))
    data["images"][0]["width"] = 640
    with pytest.raises(UnreadableError, match="640x96"):
        coco.read(orjson.dumps(data), SHEET)


def test_a_timeline_holds_range_rate_and_markers() -> None:
    markers = [
        timeline.Marker("Boils", 1003, "the ring finger"),
        timeline.Marker("v002", 1001, "second pass", "version"),
    ]
    text = timeline.write("Panel tap", SHEET, "plate/tap.mp4", markers)
    Draft202012Validator({"type": "object", "required": ["OTIO_SCHEMA", "tracks"]}).validate(json.loads(text))
    back = timeline.read(text)
    assert (back.name, back.first, back.count, back.rate) == ("Panel tap", 1001, COUNT, Fraction(24000, 1001))
    assert back.target == "plate/tap.mp4"
    assert back.markers == markers
    theirs = otio.adapters.read_from_string(text, "otio_json")
    (clip,) = theirs.find_clips()
    assert clip.source_range.duration == otio.opentime.RationalTime(COUNT, 24000 / 1001)
    for wrong in ("{}", "no", '{"OTIO_SCHEMA": "Timeline.1", "name": "x", "tracks": null}'):
        with pytest.raises(UnreadableError):
            timeline.read(wrong)
