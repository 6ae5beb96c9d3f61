"""Coverage of a 24-point outline beside Skia and cairo, each filling the same path into the same kind of array."""

from __future__ import annotations

import cairocffi
import numpy as np
import shapely
import skia

from benchmarks.table import Row, typical
from wiseglove.core.geometry.bezier import control_polygon, flatten
from wiseglove.core.matte.coverage import Box, box_of, coverage, fill

WIDTH, HEIGHT = 1920, 1080


def outline() -> np.ndarray:
    """24 smooth points, about 400 x 500 px, in the middle of the frame."""
    rng = np.random.default_rng(7)
    angle = np.arange(24) / 24 * 2 * np.pi
    radius = 1 + 0.08 * rng.uniform(-1, 1, 24)
    points = np.stack([960.3 + 200 * radius * np.cos(angle), 540.7 + 250 * radius * np.sin(angle)], axis=1)
    chord = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
    return np.concatenate([points, -chord / 6, chord / 6], axis=1)


def exact_edges(points: np.ndarray, box: Box) -> tuple[np.ndarray, np.ndarray]:
    """Rows and columns of the pixels on the edge, and their areas as GEOS clips them."""
    polygon = shapely.Polygon(flatten(points, 0.001))
    shapely.prepare(polygon)
    rows, columns = np.mgrid[box.top : box.bottom, box.left : box.right]
    pixels = shapely.box(columns, rows, columns + 1, rows + 1)
    edge = np.argwhere(shapely.intersects(polygon, pixels) & ~shapely.contains(polygon, pixels))
    areas = [
        shapely.clip_by_rect(polygon, c + box.left, r + box.top, c + box.left + 1, r + box.top + 1).area
        for r, c in edge
    ]
    return edge, np.array(areas)


def run() -> list[Row]:
    """Times and errors of all three."""
    points = outline()
    box = box_of(points).within(Box(0, 0, WIDTH, HEIGHT))
    whole = np.zeros((HEIGHT, WIDTH), np.uint8)
    curves = control_polygon(points)

    def ours() -> None:
        fill(whole, points)

    eight = np.zeros((HEIGHT, WIDTH), np.uint8)
    surface = skia.Surface.MakeRasterDirect(
        skia.ImageInfo.Make(WIDTH, HEIGHT, skia.kAlpha_8_ColorType, skia.kPremul_AlphaType), eight, WIDTH
    )
    paint = skia.Paint(AntiAlias=True, Color=skia.ColorWHITE)

    def by_skia() -> None:
        builder = skia.PathBuilder()
        builder.moveTo(*map(float, curves[0][0]))
        for c in curves.tolist():
            builder.cubicTo(*c[1], *c[2], *c[3])
        builder.close()
        surface.getCanvas().drawPath(builder.detach(), paint)

    stride = cairocffi.ImageSurface.format_stride_for_width(cairocffi.FORMAT_A8, WIDTH)
    memory = np.zeros((HEIGHT, stride), np.uint8)
    canvas = cairocffi.ImageSurface(cairocffi.FORMAT_A8, WIDTH, HEIGHT, memory, stride)

    def by_cairo() -> None:
        context = cairocffi.Context(canvas)
        context.set_antialias(cairocffi.ANTIALIAS_BEST)
        context.move_to(*curves[0][0])
        for c in curves.tolist():
            context.curve_to(*c[1], *c[2], *c[3])
        context.fill()

    ours(), by_skia(), by_cairo()
    canvas.flush()
    first = {"skia": eight[box.slices].copy(), "cairo": memory[box.slices].copy()}
    spans = {name: typical(work) for name, work in (("ours", ours), ("skia", by_skia), ("cairo", by_cairo))}
    matte = coverage(points, box)
    edge, areas = exact_edges(points, box)
    at = (edge[:, 0], edge[:, 1])
    errors = {
        "ours": 255 * np.abs(matte[at] - areas),
        **{name: np.abs(pixels[at] - 255 * areas) for name, pixels in first.items()},
    }
    each = ", ".join(f"{n} {spans[n]:.2f} ms" for n in ("skia", "cairo"))
    off = ", ".join(f"{n} {errors[n].mean():.2f} (most {errors[n].max():.0f})" for n in ("skia", "cairo"))
    size = f"{box.width}x{box.height} px"
    quicker = min(spans["skia"], spans["cairo"])
    return [
        Row(f"coverage of a 24-point outline, {size} in 1080p", spans["ours"], "ms", quicker, each),
        Row("coverage, mean error on edge pixels", float(errors["ours"].mean()), "/255", "coverage.mean", off),
        Row("coverage, largest error", float(errors["ours"].max()), "/255", "coverage.largest"),
    ]
