"""A contact sheet: frames of the composite in a grid with the holdout beside each, and the notes below."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.core.compositing.pane import PREVIEW
from wiseglove.delivery.pictures import small
from wiseglove.delivery.plan import Plan
from wiseglove.media.encode import png
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.render import FrameScene
from wiseglove.store.pictures import ExactPictures

MOST = 12
"""Frames that are shown, evenly over the range."""
COLUMNS, WIDE, GAP, LINE = 3, 420, 18, 24
CLOTH, INK, SOFT = (243, 240, 232), (32, 48, 58), (96, 106, 112)


def contact_sheet(
    shot: EvaluatedShot, plan: Plan, pictures: ExactPictures, notes: list[tuple[int, str]], version: str, pdf: bool
) -> bytes:
    """The sheet as PNG, or as PDF of one page."""
    chosen = sorted(
        {round(f) for f in np.linspace(plan.frames.start, plan.frames.stop - 1, min(MOST, len(plan.frames)))}
    )
    cells = [_cell(shot, frame, pictures) for frame in chosen]
    high = cells[0].shape[0] + LINE + GAP
    rows = -(-len(cells) // COLUMNS)
    told = [n for n in notes if n[0] in plan.frames][:40]
    size = (COLUMNS * (WIDE + GAP) + GAP, 3 * LINE + GAP + rows * high + (len(told) + 1) * LINE + GAP)
    sheet = Image.new("RGB", size, CLOTH)
    draw, large, plain = ImageDraw.Draw(sheet), ImageFont.load_default(22), ImageFont.load_default(15)
    plate = shot.plate
    draw.text((GAP, GAP), f"{shot.settings.name}, {version}", INK, font=large)
    facts = f"{plate.width} x {plate.height}, {plan.frames.start} to {plan.frames.stop - 1}, {float(plate.rate):.3f} frames a second"
    draw.text((GAP, GAP + LINE + 6), facts, SOFT, font=plain)
    for i, (frame, cell) in enumerate(zip(chosen, cells, strict=True)):
        x, y = GAP + (i % COLUMNS) * (WIDE + GAP), 3 * LINE + GAP + (i // COLUMNS) * high
        sheet.paste(Image.fromarray(cell), (x, y))
        draw.text((x, y + cell.shape[0] + 3), str(frame), INK, font=plain)
    y = 3 * LINE + GAP + rows * high
    for frame, text in told:
        draw.text((GAP, y), f"{frame}  {' '.join(text.split())[:150]}", INK, font=plain)
        y += LINE
    if not pdf:
        return png(np.asarray(sheet))
    out = io.BytesIO()
    # Dates would make each sheet of the same version another file.
    sheet.save(out, "PDF", resolution=110.0, creationDate=None, modDate=None, title=shot.settings.name)
    return out.getvalue()


def _cell(shot: EvaluatedShot, frame: int, pictures: ExactPictures) -> NDArray[np.uint8]:
    """The composite, and the matte beside it, (h, WIDE, 3)."""
    half = (WIDE - 4) // 2
    scale = min(2 * half / shot.plate.width, 1.0)
    scene = FrameScene(shot, frame, pictures, scale, PREVIEW)
    seen = small(scene.composite(scene.whole), half)
    matte = small(to_eight_bits(scene.whole_matte(scene.whole)), half)
    matte = matte if matte.shape == seen.shape[:2] else matte[: seen.shape[0]]
    gap = np.full((seen.shape[0], WIDE - 2 * half, 3), CLOTH, np.uint8)
    return np.concatenate([seen, gap, np.repeat(matte[..., None], 3, axis=2)], axis=1)
