"""What a shot still lacks before it can be delivered, as one thing to do next."""

from __future__ import annotations

from typing import Literal

from wiseglove.shot.basics import Strict
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Pane


class Lack(Strict):
    """Something that is missing, in words, and what it is about (an element's id, or none)."""

    what: Literal["cover", "pane", "motion", "insert", "order", "away"]
    words: str
    about: str | None = None


def lacks(shot: EvaluatedShot, over: dict[str, float] | None = None) -> list[Lack]:
    """What is missing, the next thing first. over: for each outline the largest share of it over what is put in, if known."""
    out: list[Lack] = []
    own = [c for c in shot.covers if c.id not in shot.mattes_of_subjects]
    if not own and not shot.subjects:
        out.append(Lack(what="cover", words="Nothing is held out yet. Draw a cover round what stays in front."))
    if not shot.panes and not shot.subjects:
        out.append(Lack(what="pane", words="There is no pane yet. Place one on the screen's four corners."))
    for pane in shot.panes:
        out += _of_pane(shot, pane)
    depth = shot.settings.depth
    behind = [depth.index(t.id) for t in (*shot.panes, *shot.subjects)]
    for cover in own:
        if behind and depth.index(cover.id) > max(behind):
            words = f"“{cover.name}” lies behind all panes, so it hides nothing. Move it nearer in the list of depth."
            out.append(Lack(what="order", words=words, about=cover.id))
            continue
        shares = [over[o] for o in cover.outlines if over is not None and o in over]
        if behind and shares and max(shares) == 0:
            words = f"“{cover.name}” lies over nothing that is put in, on no frame. Delete it, or move it to where it is needed."
            out.append(Lack(what="away", words=words, about=cover.id))
    return out


def _of_pane(shot: EvaluatedShot, pane: Pane) -> list[Lack]:
    out = []
    moves = pane.rides is not None or any(pane.pins) or pane.floats is not None or len(pane.keys) > 1
    if not moves and shot.plate.count > 1:
        words = f"“{pane.name}” stands still. Solve the motion of what it is on, and let it ride on that."
        out.append(Lack(what="motion", words=words, about=pane.id))
    if pane.insert.source == "chart" and not pane.pieces:
        words = f"“{pane.name}” shows the test chart. Give it its picture."
        out.append(Lack(what="insert", words=words, about=pane.id))
    return out
