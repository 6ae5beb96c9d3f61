"""Outlines as SVG: of one frame, or moving (SMIL). Written white on black, as a matte is seen.

SVG 1.1 (W3C), 8.3 path data, 14.3 clipping, 14.4 masking, 19 animation. A cover's outlines add, cut and limit in their order:
what cuts is painted black, what limits clips all before it, and each cover is painted by itself through a mask. Names and
modes stand in data-cover and data-mode, by which they are read again (`svg_in`).
"""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

import numpy as np

from wiseglove.interchange.drawn import Curve, Layer, Points, Sheet


def path_data(points: Points) -> str:
    """Points (N, 6) as path data: M, a C for each segment, Z."""
    absolute = points.copy()
    absolute[:, 2:4] += points[:, :2]
    absolute[:, 4:6] += points[:, :2]
    after = np.roll(absolute, -1, axis=0)
    parts = [f"M{_n(points[0, 0])} {_n(points[0, 1])}"]
    parts += [
        f"C{_n(a[4])} {_n(a[5])} {_n(b[2])} {_n(b[3])} {_n(b[0])} {_n(b[1])}"
        for a, b in zip(absolute, after, strict=True)
    ]
    return "".join(parts) + "Z"


def _n(value: float) -> str:
    written = f"{value:.4f}".rstrip("0").rstrip(".")
    return "0" if written == "-0" else written


def write(layers: list[Layer], sheet: Sheet, frame: int | None = None) -> str:
    """The outlines of one frame, or (None) of all, moving over the plate's own time."""
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{sheet.width}" height="{sheet.height}" '
        f'viewBox="0 0 {sheet.width} {sheet.height}">',
    ]
    if frame is None:
        lines.append(
            f'<metadata data-first="{sheet.first}" data-count="{sheet.count}" data-rate="{sheet.rate}"></metadata>'
        )
    lines.append('<rect width="100%" height="100%" fill="#000000"/>')
    for number, layer in enumerate(reversed(layers)):  # the nearest is painted last
        drawn = _layer(layer, sheet, frame, number)
        if drawn:
            whole = '<rect width="100%" height="100%" fill="#ffffff"'
            lines += [
                f'<mask id="m{number}" maskUnits="userSpaceOnUse" x="0" y="0" width="{sheet.width}" '
                f'height="{sheet.height}">{drawn}</mask>',
                f'<g data-name={quoteattr(layer.name)}><title>{escape(layer.name)}</title>{whole} mask="url(#m{number})"/></g>',
            ]
    return "\n".join([*lines, "</svg>", ""])


def _layer(layer: Layer, sheet: Sheet, frame: int | None, number: int) -> str:
    content = ""
    for at, each in enumerate(layer.curves):
        drawn = _drawn(each, sheet, frame, layer.name, at)
        if drawn is None:
            continue
        if each.mode == "limits":
            name = f"c{number}-{at}"
            content = f'<clipPath id="{name}">{drawn}</clipPath><g clip-path="url(#{name})">{content}</g>'
        else:
            content += drawn
    return content


def _drawn(each: Curve, sheet: Sheet, frame: int | None, name: str, at: int) -> str | None:
    tone = "#000000" if each.mode == "cuts" else "#ffffff"
    about = f'fill="{tone}" data-cover={quoteattr(name)} data-mode="{each.mode}" data-at="{at}"'
    if frame is not None:
        found = np.flatnonzero(each.frames == frame)
        if not len(found) or each.strength[found[0]] <= 0:
            return None
        strength = each.strength[found[0]]
        faded = "" if strength >= 1 else f' fill-opacity="{_n(strength)}"'
        return f'<path {about}{faded} d="{path_data(each.points[found[0]])}"/>'
    seconds = sheet.count / sheet.rate
    timing = f'dur="{float(seconds):.6f}s" calcMode="discrete" repeatCount="indefinite"'
    there = np.zeros(sheet.count)
    there[each.frames - sheet.first] = each.strength
    out = f'<path {about} fill-opacity="{_n(there[0])}" d="{path_data(each.points[0])}">'
    if not each.still:
        shapes: list[str] = []
        at = 0
        for number in range(sheet.first, sheet.first + sheet.count):
            at = min(max(int(np.searchsorted(each.frames, number, "right")) - 1, 0), len(each.frames) - 1)
            shapes.append(path_data(each.points[at]))
        out += f'<animate attributeName="d" values="{";".join(shapes)}" {timing}/>'
    if np.ptp(there) > 0:
        out += f'<animate attributeName="fill-opacity" values="{";".join(map(_n, there))}" {timing}/>'
    return out + "</path>"
