"""Mattes as COCO annotations: polygons, or run lengths of the pixels (RLE), a picture for each frame.

The format is the data set's own description, cocodataset.org, "Data format"; run lengths are pycocotools'. Edges are hard:
a pixel belongs to a cover from half coverage on.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import orjson
from numpy.typing import NDArray
from pycocotools import mask as run_lengths

from wiseglove.interchange.drawn import Sheet, UnreadableError

Bits = NDArray[np.uint8]
Json = dict[str, Any]


@dataclass(frozen=True)
class Marked:
    """What one cover takes of one frame: its polygons, each (N, 2) in plate pixels, or its pixels (H, W) 0 or 1."""

    cover: str
    frame: int
    polygons: list[NDArray[np.float64]] | None
    pixels: Bits | None


def write(marked: list[Marked], sheet: Sheet, name: str) -> bytes:
    """The annotations; a frame's number is its picture's id, and a cover's category is its name."""
    covers = list(dict.fromkeys(m.cover for m in marked))
    pictures = [
        {"id": f, "file_name": f"{name}.{f:04d}.png", "width": sheet.width, "height": sheet.height}
        for f in range(sheet.first, sheet.first + sheet.count)
    ]
    notes = [_note(m, i, covers.index(m.cover) + 1, sheet) for i, m in enumerate(marked, start=1)]
    categories = [{"id": i, "name": cover, "supercategory": "cover"} for i, cover in enumerate(covers, start=1)]
    return orjson.dumps(
        {"info": {"description": name}, "images": pictures, "annotations": notes, "categories": categories}
    )


def _note(which: Marked, number: int, category: int, sheet: Sheet) -> Json:
    size = (sheet.height, sheet.width)
    if which.polygons is not None:
        shapes = [np.round(p, 3).reshape(-1).tolist() for p in which.polygons]
        runs = run_lengths.merge(run_lengths.frPyObjects(shapes, *size)) if shapes else _runs(np.zeros(size, np.uint8))
        segmentation: Any = shapes
    else:
        assert which.pixels is not None
        runs = _runs(which.pixels)
        segmentation = {"size": list(size), "counts": runs["counts"].decode("ascii")}
    return {
        "id": number, "image_id": which.frame, "category_id": category, "iscrowd": 0,
        "segmentation": segmentation, "area": float(run_lengths.area(runs)),
        "bbox": [float(v) for v in run_lengths.toBbox(runs)],
    }  # fmt: skip


def _runs(pixels: Bits) -> Json:
    return dict(run_lengths.encode(np.asfortranarray(pixels)))


def read(text: bytes, sheet: Sheet) -> list[Marked]:
    """What is annotated, by the names of its categories and by frame. Raises UnreadableError.

    Pictures are matched with frames by a number at the end of their file's name, else by their order.
    """
    try:
        written = orjson.loads(text)
        pictures = {p["id"]: p for p in written["images"]}
        names = {c["id"]: str(c["name"]) for c in written.get("categories", [])}
        for picture in pictures.values():
            if (picture["width"], picture["height"]) != (sheet.width, sheet.height):
                raise UnreadableError(
                    f"These annotations are of pictures of {picture['width']}x{picture['height']}; the plate has "
                    f"{sheet.width}x{sheet.height}. Nothing was brought in. Choose the annotations of this plate."
                )
        frames = _frames(list(pictures.values()), sheet)
        return [
            _marked(note, names.get(note.get("category_id"), "Cover"), frames[note["image_id"]], sheet)
            for note in written["annotations"]
            if note["image_id"] in frames
        ]
    except UnreadableError:
        raise
    except (orjson.JSONDecodeError, KeyError, TypeError, ValueError, IndexError, AttributeError) as error:
        raise UnreadableError(
            f"These are not COCO annotations that can be read ({type(error).__name__}: {error}). Nothing was brought in."
        ) from error


def _frames(pictures: list[Json], sheet: Sheet) -> dict[Any, int]:
    numbered: dict[Any, int] = {}
    for picture in pictures:
        stem = str(picture.get("file_name", "")).rpartition(".")[0]
        digits = stem[len(stem.rstrip("0123456789")) :]
        if digits and sheet.first <= int(digits[-9:]) < sheet.first + sheet.count:
            numbered[picture["id"]] = int(digits[-9:])
    if len(set(numbered.values())) == len(pictures):
        return numbered
    return {p["id"]: sheet.first + i for i, p in enumerate(pictures) if i < sheet.count}


def _marked(note: Json, name: str, frame: int, sheet: Sheet) -> Marked:
    found = note["segmentation"]
    if isinstance(found, list):
        polygons = [np.array(p, np.float64).reshape(-1, 2) for p in found]
        if any(len(p) < 3 or not np.isfinite(p).all() for p in polygons):
            raise UnreadableError(
                "A polygon of these annotations has fewer than three corners. Nothing was brought in."
            )
        return Marked(name, frame, polygons, None)
    size = tuple(int(v) for v in found["size"])
    if size != (sheet.height, sheet.width):
        raise UnreadableError(
            f"A mask of these annotations is {size[1]}x{size[0]}; the plate has {sheet.width}x{sheet.height}. Nothing was "
            "brought in. Choose the annotations of this plate."
        )
    if isinstance(found["counts"], list):
        found = run_lengths.frPyObjects(found, *size)
    else:
        found = {"size": list(size), "counts": str(found["counts"]).encode("ascii")}
    return Marked(name, frame, None, np.asarray(run_lengths.decode(found), np.uint8))


def pixels_of(which: Marked, sheet: Sheet) -> Bits:
    """The pixels of either kind, (H, W), 255 or 0."""
    if which.pixels is not None:
        return np.asarray(which.pixels * 255, np.uint8)
    out = np.zeros((sheet.height, sheet.width), np.uint8)
    for polygon in which.polygons or []:
        cv2.fillPoly(out, [np.round((polygon - 0.5) * 256).astype(np.int32)], 255, shift=8)
    return out
