"""Outlines as a Lottie animation (the open JSON format, Lottie Animation Community, specification 1.0).

A cover is a white solid with a mask for each outline, which add, subtract and intersect in their order; a mask's path has a
key on each frame, held until the next. Soft edges are not carried over: no reader at hand agrees on them.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import orjson

from wiseglove.interchange.drawn import MOST_OUTLINES, Curve, Layer, Mode, Points, Sheet, UnreadableError, curve

LETTERS: dict[Mode, str] = {"adds": "a", "cuts": "s", "limits": "i"}
MODES: dict[str, Mode] = {"a": "adds", "s": "cuts", "i": "limits"}
Json = dict[str, Any]


def write(layers: list[Layer], sheet: Sheet) -> bytes:
    """The animation; frame 0 of it is the plate's first."""
    return orjson.dumps(
        {
            "v": "5.7.0", "fr": float(sheet.rate), "ip": 0, "op": sheet.count, "w": sheet.width, "h": sheet.height,
            "nm": "outlines", "ddd": 0, "assets": [], "meta": {"first": sheet.first, "rate": str(sheet.rate)},
            "layers": [_layer(layer, sheet, i) for i, layer in enumerate(layers, start=1)],
        }
    )  # fmt: skip


def _layer(layer: Layer, sheet: Sheet, index: int) -> Json:
    still = {"a": 0, "k": 0}
    return {
        "ddd": 0, "ind": index, "ty": 1, "nm": layer.name, "sr": 1, "ip": 0, "op": sheet.count, "st": 0, "bm": 0,
        "sw": sheet.width, "sh": sheet.height, "sc": "#ffffff", "hasMask": True,
        "ks": {"o": {"a": 0, "k": 100}, "r": still, "p": {"a": 0, "k": [0, 0, 0]}, "a": {"a": 0, "k": [0, 0, 0]},
               "s": {"a": 0, "k": [100, 100, 100]}},
        "masksProperties": [
            {"inv": False, "mode": LETTERS[each.mode], "nm": f"{layer.name} {i}", "x": still,
             "pt": _path(each, sheet), "o": _strength(each, sheet)}
            for i, each in enumerate(layer.curves, start=1)
        ],
    }  # fmt: skip


def _shape(points: Points) -> Json:
    rounded = np.round(points, 4)
    return {
        "i": rounded[:, 2:4].tolist(), "o": rounded[:, 4:6].tolist(), "v": rounded[:, :2].tolist(), "c": True,
    }  # fmt: skip


def _path(each: Curve, sheet: Sheet) -> Json:
    if np.ptp(each.points, axis=0).max() == 0:
        return {"a": 0, "k": _shape(each.points[0])}
    keys = [
        {"t": int(frame) - sheet.first, "s": [_shape(points)], "h": 1}
        for frame, points in zip(each.frames, each.points, strict=True)
    ]
    return {"a": 1, "k": keys}


def _strength(each: Curve, sheet: Sheet) -> Json:
    there = np.zeros(sheet.count)
    there[each.frames - sheet.first] = each.strength * 100
    if np.ptp(there) == 0:
        return {"a": 0, "k": float(there[0])}
    changes = [0, *(np.flatnonzero(np.diff(there)) + 1).tolist()]
    return {"a": 1, "k": [{"t": t, "s": [float(there[t])], "h": 1} for t in changes]}


def read(text: bytes, sheet: Sheet) -> list[Layer]:
    """The masks of an animation's layers, and the paths of its shape layers, on the plate's frames. Raises UnreadableError."""
    try:
        written = orjson.loads(text)
        layers = written["layers"]
        scale = np.array([sheet.width / float(written["w"]), sheet.height / float(written["h"])])
        found = [_read_layer(layer, i, sheet, scale) for i, layer in enumerate(layers[:MOST_OUTLINES])]
    except UnreadableError:
        raise
    except (orjson.JSONDecodeError, KeyError, TypeError, ValueError, IndexError, ZeroDivisionError) as error:
        raise UnreadableError(
            f"This is not a Lottie animation that can be read ({type(error).__name__}: {error}). Nothing was brought in. "
            "Write it again, with masks or shape paths."
        ) from error
    whole = [layer for layer in found if layer.curves]
    if not whole:
        raise UnreadableError("No mask and no path was found in this animation. Nothing was brought in.")
    return whole


def _read_layer(layer: Json, index: int, sheet: Sheet, scale: np.ndarray) -> Layer:
    name = str(layer.get("nm") or f"Layer {index + 1}")
    begins, ends = float(layer.get("ip", 0)), float(layer.get("op", sheet.count))
    curves = []
    for mask in layer.get("masksProperties") or []:
        mode = MODES.get(str(mask.get("mode")))
        if mode is not None:
            curves.append(
                _read_curve(mask["pt"], mask.get("o", {"a": 0, "k": 100}), mode, sheet, scale, (begins, ends))
            )
    for path in _paths(layer.get("shapes") or []):
        curves.append(_read_curve(path, {"a": 0, "k": 100}, "adds", sheet, scale, (begins, ends)))
    return Layer(name, curves)


def _paths(shapes: list[Json]) -> list[Json]:
    found = []
    for shape in shapes:
        if shape.get("ty") == "sh":
            found.append(shape["ks"])
        found += _paths(shape.get("it") or [])
    return found


def _read_curve(
    path: Json, opacity: Json, mode: Mode, sheet: Sheet, scale: np.ndarray, span: tuple[float, float]
) -> Curve:
    keyed = isinstance(path["k"], list)
    keys: list[Json] = path["k"] if keyed else [{"t": span[0], "s": [path["k"]]}]
    times = [float(k["t"]) for k in keys if "s" in k]
    shapes = [_points((k["s"][0] if isinstance(k["s"], list) else k["s"]), scale) for k in keys if "s" in k]
    held = [bool(k.get("h")) for k in keys if "s" in k]
    frames = [f for f in range(sheet.count) if span[0] <= f < span[1]] or [0]
    if len(shapes) == 1:
        frames = frames[:1] if not _moves(opacity) and len(frames) == sheet.count else frames
    points = [_at(f, times, shapes, held) for f in frames]
    there = [_value(opacity, f) / 100 for f in frames]
    return curve(mode, [sheet.first + f for f in frames], points, there)


def _moves(value: Json) -> bool:
    return isinstance(value["k"], list)


def _at(frame: float, times: list[float], shapes: list[Points], held: list[bool]) -> Points:
    after = int(np.searchsorted(times, frame, "right"))
    if after == 0 or after == len(times) or held[after - 1]:
        return shapes[max(after - 1, 0)]
    share = (frame - times[after - 1]) / (times[after] - times[after - 1])
    one, other = shapes[after - 1], shapes[after]
    if one.shape != other.shape:
        raise UnreadableError(
            "A path of this animation changes its number of points, which cannot be in-betweened. Nothing was brought in."
        )
    return one + (other - one) * share


def _value(value: Json, frame: float) -> float:
    if not _moves(value):
        return float(value["k"])
    keys = [k for k in value["k"] if "s" in k]
    out = float(np.ravel(keys[0]["s"])[0])
    for key in keys:
        if float(key["t"]) <= frame:
            out = float(np.ravel(key["s"])[0])
    return out


def _points(shape: Json, scale: np.ndarray) -> Points:
    parts = [np.array(shape[k], np.float64).reshape(-1, 2) * scale for k in ("v", "i", "o")]
    return np.concatenate(parts, axis=1)
