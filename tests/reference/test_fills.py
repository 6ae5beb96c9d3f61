"""Coverage beside the fills of two public libraries, on one path in one frame."""

from __future__ import annotations

import cairocffi
import numpy as np
import pytest
import shapely
import skia
from hypothesis import given, settings

from tests.strategies import blob, seeds
from wiseglove.core.geometry.bezier import control_polygon, flatten
from wiseglove.core.matte.coverage import Box, coverage

SIZE = 160


def by_cairo(points: np.ndarray) -> np.ndarray:
    surface = cairocffi.ImageSurface(cairocffi.FORMAT_A8, SIZE, SIZE)
    context = cairocffi.Context(surface)
    context.set_antialias(cairocffi.ANTIALIAS_BEST)
    context.set_tolerance(0.005)
    curves = control_polygon(points)
    context.move_to(*curves[0][0])
    for curve in curves:
        context.curve_to(*curve[1], *curve[2], *curve[3])
    context.close_path()
    context.fill()
    rows = np.frombuffer(surface.get_data(), np.uint8).reshape(SIZE, surface.get_stride())[:, :SIZE]
    return rows.astype(np.float64) / 255


def by_skia(points: np.ndarray) -> np.ndarray:
    curves = control_polygon(points)
    builder = skia.PathBuilder()
    builder.moveTo(*map(float, curves[0][0]))
    for curve in curves:
        builder.cubicTo(*(float(v) for point in curve[1:] for v in point))
    builder.close()
    pixels = np.zeros((SIZE, SIZE, 4), np.uint8)
    surface = skia.Surface(pixels)
    surface.getCanvas().drawPath(builder.detach(), skia.Paint(AntiAlias=True, Color=skia.ColorWHITE))
    return pixels[..., 3].astype(np.float64) / 255


def by_geometry(points: np.ndarray) -> np.ndarray:
    """Each pixel's area as GEOS clips it out of a finely flattened polygon."""
    polygon = shapely.Polygon(flatten(points, 0.001))
    shapely.prepare(polygon)
    areas = np.zeros((SIZE, SIZE))
    rows, columns = np.mgrid[:SIZE, :SIZE]
    pixels = shapely.box(columns, rows, columns + 1, rows + 1)
    areas[shapely.contains(polygon, pixels)] = 1
    for row, column in np.argwhere(shapely.intersects(polygon, pixels) & (areas == 0)):
        areas[row, column] = shapely.clip_by_rect(polygon, column, row, column + 1, row + 1).area
    return areas


@settings(max_examples=6)
@given(seeds)
def test_we_differ_from_both_fills_only_by_what_they_are_off(seed: int) -> None:
    points = blob(seed, 24, (80.0, 80.0), 55.0)
    ours, truth = coverage(points, Box(0, 0, SIZE, SIZE)), by_geometry(points)
    for fill, mean in ((by_cairo, 0.5), (by_skia, 1.0)):
        theirs = fill(points)
        away, off = 255 * np.abs(ours - theirs), 255 * np.abs(theirs - truth)
        assert away.mean() < mean
        assert (away <= off + 2).all()


@settings(max_examples=6)
@given(seeds)
def test_we_are_nearer_to_the_area_than_either(seed: int) -> None:
    points = blob(seed, 24, (80.0, 80.0), 55.0)
    truth = by_geometry(points)
    edge = (truth > 0) & (truth < 1)

    def error(matte: np.ndarray) -> float:
        return float(255 * np.abs(matte - truth)[edge].mean())

    ours = error(coverage(points, Box(0, 0, SIZE, SIZE)))
    assert ours < 1.0  # within 1/255 of the area on average, counting only the pixels that can be wrong
    assert ours < error(by_cairo(points))
    assert ours < error(by_skia(points))


def test_the_references_themselves_fill_a_square_exactly() -> None:
    square = np.pad(np.array([[10.0, 10], [50, 10], [50, 50], [10, 50]]), ((0, 0), (0, 4)))
    for fill in (by_cairo, by_skia):
        assert fill(square).sum() == pytest.approx(1600)
