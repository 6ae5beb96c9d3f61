"""Outlines read from SVG: those of our own writing with their names and modes, of other files every closed shape.

SVG 1.1 (W3C), 8.3 path data. Nothing of a file is run, and it may hold no entities.
"""

from __future__ import annotations

import re
from xml.etree import ElementTree

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from svgpathtools import Arc, CubicBezier, Line, Path, QuadraticBezier, parse_path
from svgpathtools.parser import parse_transform
from svgpathtools.svg_to_paths import ellipse2pathd, rect2pathd

from wiseglove.interchange.drawn import MOST_OUTLINES, Curve, Layer, Mode, Points, Sheet, UnreadableError, curve

MOST_NODES = 200_000
"""Elements of a file that are looked at."""
LARGEST = 64_000_000
"""Bytes of a file that is read."""
MODES: tuple[Mode, ...] = ("adds", "cuts", "limits")


def read(text: bytes, sheet: Sheet, frame: int) -> list[Layer]:
    """The outlines of a file: moving ones on the plate's frames, others on one frame. Raises UnreadableError.

    Shapes are read in user units as plate pixels, with their transforms, and scaled where the file's view box has another
    size than the plate. Nothing of the file is run, and it may hold no entities.
    """
    root = _parsed(text)
    scale = _scale(root, sheet)
    found: list[tuple[str, int, Curve]] = []
    _gather(root, scale, "", sheet, frame, found)
    if not found:
        raise UnreadableError(
            "No closed shape was found in this SVG. Nothing was brought in. Turn text and strokes into paths first."
        )
    layers: dict[str, list[Curve]] = {}
    for name, _, each in sorted(found, key=lambda f: f[1]):  # as they were drawn; limits stand before what they clip
        layers.setdefault(name, []).append(each)
    return [Layer(name, curves) for name, curves in reversed(layers.items())]


def _parsed(text: bytes) -> ElementTree.Element:
    if len(text) > LARGEST:
        raise UnreadableError(f"This SVG is larger than {LARGEST // 1_000_000} MB. Nothing was brought in.")
    if text.count(b"<") > 2 * MOST_NODES:
        raise UnreadableError(
            f"This SVG has more than {MOST_NODES} elements. Nothing was brought in. Keep only the shapes that are outlines."
        )
    try:
        root: ElementTree.Element = fromstring(text, forbid_dtd=False)
    except DefusedXmlException as error:
        raise UnreadableError(
            "This SVG declares entities, which are not read. Nothing was brought in. Write it as a plain SVG."
        ) from error
    except (ElementTree.ParseError, ValueError, UnicodeDecodeError, LookupError) as error:
        raise UnreadableError(f"This is not a whole SVG: {error}. Nothing was brought in. Write it again.") from error
    if _tag(root) != "svg":
        raise UnreadableError("This XML is not an SVG. Nothing was brought in. Choose an SVG file.")
    return root


def _tag(node: ElementTree.Element) -> str:
    return str(node.tag).rpartition("}")[2]


def _scale(root: ElementTree.Element, sheet: Sheet) -> np.ndarray:
    """From the file's units to plate pixels, (3, 3)."""
    box = [float(v) for v in re.findall(r"[-+.\deE]+", root.get("viewBox", ""))] if root.get("viewBox") else []
    if len(box) != 4 or box[2] <= 0 or box[3] <= 0:
        return np.eye(3)
    sx, sy = sheet.width / box[2], sheet.height / box[3]
    return np.array([[sx, 0, -box[0] * sx], [0, sy, -box[1] * sy], [0, 0, 1.0]])


SKIPPED = {"script", "style", "metadata", "text", "image", "foreignObject", "symbol", "pattern", "marker"}


def _gather(
    node: ElementTree.Element,
    outer: np.ndarray,
    named: str,
    sheet: Sheet,
    frame: int,
    found: list[tuple[str, int, Curve]],
) -> None:
    tag = _tag(node)
    if tag in SKIPPED or len(found) >= MOST_OUTLINES:
        return
    try:
        matrix = outer @ parse_transform(node.get("transform") or "")
        data = _shape_data(node, tag)
        if data:
            name = node.get("data-cover") or node.get("id") or named or "Shape"
            mode: Mode = next((m for m in MODES if m == node.get("data-mode")), "adds")
            at = int(node.get("data-at", "0"))
            found += [(name, at, each) for each in _curves(node, data, matrix, mode, sheet, frame)]
    except UnreadableError:
        raise
    except (ValueError, IndexError, KeyError, TypeError, AttributeError, ZeroDivisionError) as error:
        raise UnreadableError(
            f"A shape of this SVG cannot be understood ({tag}: {error}). Nothing was brought in. Write it with plain path data."
        ) from error
    inside = node.get("data-name") or (node.get("id") if tag in ("g", "svg") else None) or named
    for child in node:
        _gather(child, matrix, inside, sheet, frame, found)


def _shape_data(node: ElementTree.Element, tag: str) -> str:
    if tag == "path":
        return node.get("d", "")
    if tag in ("polygon", "polyline"):
        numbers = re.findall(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?", node.get("points", ""))
        pairs = [f"{x} {y}" for x, y in zip(numbers[::2], numbers[1::2], strict=False)]
        return f"M{' L'.join(pairs)}Z" if len(pairs) > 2 else ""
    if tag in ("circle", "ellipse"):
        return str(ellipse2pathd(dict(node.attrib)))
    if tag == "rect" and "%" not in node.get("width", "0"):
        return str(rect2pathd(dict(node.attrib)))
    return ""


def _curves(
    node: ElementTree.Element, data: str, matrix: np.ndarray, mode: Mode, sheet: Sheet, frame: int
) -> list[Curve]:
    moving = next((c for c in node if _tag(c) == "animate" and c.get("attributeName") == "d"), None)
    fading = next((c for c in node if _tag(c) == "animate" and c.get("attributeName") == "fill-opacity"), None)
    own = float(node.get("fill-opacity", "1"))
    if moving is None and fading is None:
        return [curve(mode, [frame], [_points(part, matrix)], [own]) for part in _closed(data)]
    shapes = moving.get("values", "").split(";") if moving is not None else [data]
    values = fading.get("values", "").split(";") if fading is not None else []
    there = [float(v) for v in values if v.strip()] or [own]
    count = max(len(shapes), len(there))
    frames = [sheet.first + i for i in range(min(count, sheet.count))]
    parts = [_closed(s) for s in shapes if s.strip()]
    if len({len(p) for p in parts}) != 1:
        raise UnreadableError(
            "A moving path of this SVG has another number of closed parts on some frames. Nothing was brought in. "
            "Write each part as a path of its own."
        )
    out = []
    for which in range(len(parts[0])):
        every = [_points(p[which], matrix) for p in parts]
        out.append(
            curve(
                mode, frames, [every[min(i, len(every) - 1)] for i in range(len(frames))],
                [there[min(i, len(there) - 1)] for i in range(len(frames))],
            )
        )  # fmt: skip
    return out


def _closed(data: str) -> list[Path]:
    return [part for part in parse_path(data).continuous_subpaths() if len(part) and part.length() > 0]


def _points(path: Path, matrix: np.ndarray) -> Points:
    """A closed path as points (N, 6), all of its pieces as cubics."""
    cubics: list[tuple[complex, complex, complex, complex]] = []
    for piece in path:
        cubics += _cubics(piece)
    if abs(cubics[-1][3] - cubics[0][0]) > 1e-6:
        cubics += _cubics(Line(cubics[-1][3], cubics[0][0]))
    control = np.array(cubics)
    spots = np.stack([control.real, control.imag, np.ones(control.shape)], axis=-1) @ matrix.T
    start, out, into = spots[:, 0, :2], spots[:, 1, :2], np.roll(spots[:, 2, :2], 1, axis=0)
    return np.concatenate([start, into - start, out - start], axis=1)


def _cubics(piece: Line | QuadraticBezier | CubicBezier | Arc) -> list[tuple[complex, complex, complex, complex]]:
    if isinstance(piece, CubicBezier):
        return [(piece.start, piece.control1, piece.control2, piece.end)]
    if isinstance(piece, QuadraticBezier):
        first = piece.start + (piece.control - piece.start) * 2 / 3
        return [(piece.start, first, piece.end + (piece.control - piece.end) * 2 / 3, piece.end)]
    if isinstance(piece, Line):
        return [] if piece.start == piece.end else [(piece.start, piece.start, piece.end, piece.end)]
    return [
        (c.start, c.control1, c.control2, c.end) for c in piece.as_cubic_curves(max(1, int(abs(piece.delta) / 45) + 1))
    ]
