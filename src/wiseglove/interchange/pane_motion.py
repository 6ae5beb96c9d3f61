"""A pane's motion for other programs: corners, homographies and proportions, frame by frame, as CSV or JSON.

A homography takes a place on an insert of the given size to the picture, both from the chosen origin and in the chosen units:
[x, y, w] = H [u, v, 1], x / w and y / w (Hartley & Zisserman 2004, 2.3).
"""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import orjson
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import DegenerateQuadError, unit_square_to_quad
from wiseglove.interchange.drawn import FAR, Sheet, UnreadableError

Units = Literal["pixels", "share"]
Origin = Literal["top", "bottom"]
CORNERS = ["x1", "y1", "x2", "y2", "x3", "y3", "x4", "y4"]
MATRIX = [f"h{i}{j}" for i in (1, 2, 3) for j in (1, 2, 3)]


@dataclass(frozen=True)
class Moment:
    """A pane at a time: corners (4, 2) from the insert's top left clockwise in plate pixels, or None where there are none."""

    time: float
    status: str
    confidence: float
    corners: NDArray[np.float64] | None


@dataclass(frozen=True)
class Manner:
    """How places are written, and the size of the insert that homographies begin at, in its pixels."""

    units: Units = "pixels"
    origin: Origin = "top"
    insert: tuple[int, int] = (1920, 1080)


def places(corners: NDArray[np.float64], sheet: Sheet, how: Manner) -> NDArray[np.float64]:
    """Plate pixels from the top left, (..., 2), as they are to be written; the y axis points away from the origin."""
    out = np.array(corners, np.float64)
    if how.origin == "bottom":
        out[..., 1] = sheet.height - out[..., 1]
    return out / (sheet.width, sheet.height) if how.units == "share" else out


def homography(corners: NDArray[np.float64], sheet: Sheet, how: Manner) -> NDArray[np.float64] | None:
    """From the insert to the picture as they are written, (3, 3) with 1 in the last place; None where corners fold over."""
    try:
        matrix = unit_square_to_quad(places(corners, sheet, how))
    except DegenerateQuadError:
        return None
    wide, high = how.insert if how.units == "pixels" else (1, 1)
    onto = np.diag([1 / wide, 1 / high, 1.0])
    if how.origin == "bottom":
        onto = np.array([[1, 0, 0], [0, -1, 1], [0, 0, 1.0]]) @ onto
    found = matrix @ onto
    return np.asarray(found / found[2, 2])


def _time(value: float) -> str:
    return f"{value:.4f}".rstrip("0").rstrip(".")


def to_csv(moments: list[Moment], sheet: Sheet, how: Manner, proportions: float | None) -> str:
    """frame, status, confidence, the corners, the homography, the pane's width over its height."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["frame", "status", "confidence", *CORNERS, *MATRIX, "proportions"])
    for each in moments:
        row = [_time(each.time), each.status, f"{each.confidence:.3f}"]
        matrix = None if each.corners is None else homography(each.corners, sheet, how)
        if each.corners is None:
            row += [""] * 8
        else:
            row += [f"{v:.6f}" for v in places(each.corners, sheet, how).reshape(-1)]
        row += [""] * 9 if matrix is None else [f"{v:.12g}" for v in matrix.reshape(-1)]
        writer.writerow([*row, "" if proportions is None else f"{proportions:.6f}"])
    return out.getvalue()


def to_json(moments: list[Moment], sheet: Sheet, how: Manner, proportions: float | None, name: str) -> bytes:
    """The same with what the numbers mean."""
    frames: list[dict[str, Any]] = []
    for each in moments:
        matrix = None if each.corners is None else homography(each.corners, sheet, how)
        frames.append(
            {
                "frame": each.time,
                "status": each.status,
                "confidence": round(each.confidence, 3),
                "corners": None if each.corners is None else np.round(places(each.corners, sheet, how), 6).tolist(),
                "homography": None if matrix is None else matrix.tolist(),
            }
        )
    about = {
        "pane": name, "width": sheet.width, "height": sheet.height, "rate": str(sheet.rate), "first": sheet.first,
        "count": sheet.count, "units": how.units, "origin": how.origin, "insert": list(how.insert),
        "proportions": proportions, "frames": frames,
    }  # fmt: skip
    return orjson.dumps(about, option=orjson.OPT_INDENT_2)


def read(text: str, sheet: Sheet) -> list[Moment]:
    """Corners from CSV or JSON, in plate pixels from the top left. Raises UnreadableError.

    CSV needs the columns frame and x1, y1 ... x4, y4; units and origin, which only JSON says, are pixels from the top left.
    Frames that are left out or that have no corners are holes and stay out.
    """
    try:
        return _from_json(text, sheet) if text.lstrip().startswith("{") else _from_csv(text)
    except UnreadableError:
        raise
    except (ValueError, KeyError, TypeError, IndexError, csv.Error) as error:
        raise UnreadableError(
            f"This table of corners cannot be read ({type(error).__name__}: {error}). Nothing was brought in. It needs the "
            "columns frame, x1, y1, x2, y2, x3, y3, x4, y4."
        ) from error


def _from_csv(text: str) -> list[Moment]:
    rows = csv.DictReader(io.StringIO(text))
    missing = {"frame", *CORNERS} - set(rows.fieldnames or [])
    if missing:
        raise UnreadableError(
            f"This table has no column {', '.join(sorted(missing))}. Nothing was brought in. It needs frame, x1, y1 ... x4, y4."
        )
    found = []
    for line, row in enumerate(rows, start=2):
        numbers = [row[c] for c in CORNERS]
        if all(v is None or not v.strip() for v in numbers):
            continue
        if any(v is None or not v.strip() for v in numbers):
            raise UnreadableError(
                f"Line {line} of this table has some corners and not others. Nothing was brought in. Fill it, or empty it."
            )
        corners = np.array([float(v) for v in numbers if v]).reshape(4, 2)
        found.append(
            _checked(float(row["frame"]), row.get("status") or "solved", row.get("confidence") or "1", corners)
        )
    return found


def _from_json(text: str, sheet: Sheet) -> list[Moment]:
    written = orjson.loads(text)
    found = []
    for row in written["frames"]:
        if row.get("corners") is None:
            continue
        corners = np.array(row["corners"], np.float64).reshape(4, 2)
        if written.get("units") == "share":
            corners *= (sheet.width, sheet.height)
        if written.get("origin") == "bottom":
            corners[:, 1] = sheet.height - corners[:, 1]
        found.append(_checked(float(row["frame"]), row.get("status", "solved"), row.get("confidence", 1.0), corners))
    return found


def _checked(time: float, status: str, confidence: Any, corners: NDArray[np.float64]) -> Moment:
    if not (np.isfinite(corners).all() and np.isfinite(time)) or np.abs(corners).max() > FAR:
        raise UnreadableError(
            f"The corners of frame {time:g} are not numbers near any picture. Nothing was brought in. Mend that line."
        )
    return Moment(time, status, min(max(float(confidence), 0.0), 1.0), corners)
