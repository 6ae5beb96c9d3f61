"""A shot file judged without a page: all outlines on all frames, holes in holdouts, pictures of the worst, as JSON and a page."""

from __future__ import annotations

import html
import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.delivery.opened import Shot
from wiseglove.delivery.preset import PresetError
from wiseglove.delivery.run import CannotWriteError
from wiseglove.jobs.holes import holes_in
from wiseglove.media.encode import jpeg
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.report import OutlineReport, ShotReport, WorstPlace, report_of
from wiseglove.shot.reviewing import Reviewer
from wiseglove.store.pictures import ExactPictures

Picture = NDArray[np.uint8]
Say = Callable[[str], None]
KEPT = 24
"""Pictures that are kept while judging."""
ASIDE = 90
"""Pixels around a place that its picture shows."""
MOST_DRAWN = 24
"""Holes of which there are pictures."""
OFF, EDGE = (224, 161, 58), (108, 192, 179)
"""Colours of a stretch that is off and of where its edge seems to be."""


@dataclass(frozen=True)
class Bounds:
    """What a shot may have at most; None for no limit. fault and boil in pixels, flicker in pixels of area, pins, holes and open notes
    counted; over_budget: minutes beyond the budget."""

    fault: float | None = None
    boil: float | None = None
    pins: int | None = None
    holes: int | None = None
    flicker: float | None = None
    notes: int | None = None
    over_budget: float | None = None

    def exceeded(self, report: ShotReport) -> list[str]:
        """What is more than it may be, as sentences."""
        fault = max((o.worst_fault for o in report.outlines), default=0.0)
        boil = max((o.worst_boil for o in report.outlines), default=0.0)
        flicker = max((max(p.flicker, default=0.0) for p in report.panes), default=0.0)
        pairs: list[tuple[str, float, float | None, str]] = [
            ("The worst frame of an outline is off by", fault, self.fault, " px"),
            ("An edge boils by up to", boil, self.boil, " px"),
            ("Frames that need a hand:", report.pins, self.pins, ""),
            ("Holes and covers that are too wide:", len(report.holes), self.holes, ""),
            ("A holdout flickers by up to", flicker, self.flicker, " px²"),
            ("Open notes:", len(report.notes), self.notes, ""),
            ("The minutes spent are over the budget by", _over_budget(report), self.over_budget, ""),
        ]
        return [
            f"{words} {_number(value)}{unit}, more than {_number(most)}{unit}."
            for words, value, most, unit in pairs
            if most is not None and value > most
        ]


def _over_budget(report: ShotReport) -> float:
    """Minutes that were spent beyond the budget; none where nobody counted."""
    return max((report.seconds or 0.0) - (report.budget or np.inf), 0.0) / 60


def _number(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".") if isinstance(value, float) else str(value)


class _Frames:
    """The plate's own pictures, read in turn, a few kept; for judging and, as `behind_files.Frames`, for what is behind."""

    def __init__(self, shot: EvaluatedShot, pictures: ExactPictures, first: int, last: int) -> None:
        self.first, self.last = first, last
        self.size = shot.plate.width, shot.plate.height
        self._plate, self._pictures = shot.plate, pictures
        self._kept: dict[int, Picture] = {}
        self._lock = Lock()

    def missing(self, frame: int) -> bool:
        """None is: gaps are held."""
        return False

    def read(self, frame: int) -> Picture:
        """RGB, 8 bits (H, W, 3); for several threads, one at a time."""
        with self._lock:
            if frame not in self._kept:
                if len(self._kept) >= KEPT:
                    self._kept.pop(next(iter(self._kept)))
                pixels = self._pictures.plate(self._plate, frame, *self.size)
                self._kept[frame] = to_eight_bits(pixels)[..., :3]
            return self._kept[frame]


def review(
    opened: Shot,
    out: Path,
    span: tuple[int | None, int | None],
    bounds: Bounds,
    everything: bool,
    look_for_holes: bool,
    say: Say,
) -> ShotReport:
    """Judge a shot file and write review.json, index.html and pictures into a folder; what was found.

    Raises PresetError for a range that does not lie in the plate, CannotWriteError where the folder cannot be written.
    """
    shot = opened.evaluated
    first, last = (
        given if given is not None else end
        for given, end in zip(span, (shot.plate.first, shot.plate.last), strict=True)
    )
    if not shot.plate.first <= first <= last <= shot.plate.last:
        raise PresetError(
            f"The range {first}:{last} does not lie in the plate, whose frames are {shot.plate.first} to {shot.plate.last}. "
            "Nothing was judged. Name frames within it."
        )
    pictures, reviewer = opened.pictures(), Reviewer()
    try:
        frames = _Frames(shot, pictures, first, last)
        things = reviewer.things(shot)
        targets = sorted(
            (t for t in reviewer.left(things) if first <= t.frame <= last), key=lambda t: (t.frame, t.outline)
        )
        for done, _ in enumerate(reviewer.judge(things, targets, frames.read, keys_first=True), start=1):
            if done % 100 == 0 or done == len(targets):
                say(f"{done} of {len(targets)} shapes judged")
        report = report_of(shot, reviewer, everything, opened.beside)
        found = holes_in(shot, pictures, frames, say) if look_for_holes else []
        report = report.model_copy(update={"first": first, "last": last, "holes": found, "left": 0})
        try:
            (out / "pictures").mkdir(parents=True, exist_ok=True)
            _draw(report, frames, out)
            exceeded = bounds.exceeded(report)
            (out / "review.json").write_text(json.dumps({**report.model_dump(), "exceeded": exceeded}, indent=1))
            (out / "index.html").write_text(page(report, exceeded))
        except OSError as error:
            raise CannotWriteError(
                f"{out} cannot be written: {error.strerror}. The shot is as it was. Make room, or name another folder."
            ) from error
    finally:
        pictures.close()
    return report


def _draw(report: ShotReport, frames: _Frames, out: Path) -> None:
    """A picture of each worst place and of each hole."""
    for number, worst in enumerate(report.worst, start=1):
        worst.picture = f"pictures/worst-{number:02d}.{worst.frame}.jpg"
        lines = [(np.array(line), tone) for line, tone in ((worst.ghost, EDGE), (worst.places, OFF)) if line]
        (out / worst.picture).write_bytes(_cut(frames.read(worst.frame), lines))
    for number, hole in enumerate(report.holes[:MOST_DRAWN], start=1):
        hole.picture = f"pictures/hole-{number:02d}.{hole.frame}.jpg"
        ring = np.array(hole.outline)[:, :2]
        (out / hole.picture).write_bytes(_cut(frames.read(hole.frame), [(np.concatenate([ring, ring[:1]]), OFF)]))


def _cut(picture: Picture, lines: list[tuple[NDArray[np.float64], tuple[int, int, int]]]) -> bytes:
    places = np.concatenate([line for line, _ in lines])
    (left, top), (right, bottom) = places.min(axis=0) - ASIDE, places.max(axis=0) + ASIDE
    x0, y0 = max(int(left), 0), max(int(top), 0)
    part = picture[y0 : max(int(bottom), y0 + 1), x0 : max(int(right), x0 + 1)]
    if part.size == 0:
        part = np.zeros((8, 8, 3), np.uint8)
    scale = max(2.0, 240 / part.shape[0])
    shown = cv2.resize(part, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    plain = shown.copy()
    for line, tone in lines:
        turned = np.round((line - (x0, y0)) * scale * 16).astype(np.int32).reshape(-1, 1, 2)
        cv2.polylines(shown, [turned], False, tone, 2, cv2.LINE_AA, 4)
    return jpeg(
        np.concatenate([plain, np.full((len(plain), 6, 3), 243, np.uint8), np.asarray(shown, np.uint8)], axis=1), 88
    )


STYLE = """
body{font:15px/1.5 system-ui,sans-serif;color:#20303a;background:#f6f4ee;margin:2rem auto;max-width:60rem;padding:0 1rem}
h1{font-size:1.5rem;margin:0}h2{font-size:1.1rem;margin:2rem 0 .5rem}table{border-collapse:collapse;width:100%}
td,th{text-align:left;padding:.25rem .75rem .25rem 0;border-bottom:1px solid #d9d3c7;vertical-align:top}
figure{display:inline-block;margin:0 1rem 1rem 0;max-width:28rem}figure img{max-width:100%;border-radius:4px}
figcaption{font-size:.85rem;color:#5d6a70}svg{width:100%;height:64px;background:#ece8de;border-radius:4px}
.bad{color:#a8432f}@media print{body{background:#fff}figure{break-inside:avoid}}
"""


def page(report: ShotReport, exceeded: list[str] | None = None) -> str:
    """The report as one HTML page that needs nothing else but the pictures beside it."""
    spent = ""
    if report.seconds is not None:
        spent = f" {report.seconds / 60:.0f} minutes were spent on it"
        spent += "." if report.budget is None else f" of {report.budget / 60:.0f}."
    parts = [
        f"<h1>{html.escape(report.shot)}</h1><p>Frames {report.first} to {report.last}, {len(report.outlines)} outlines, "
        f"{report.keys} keys, {report.points} points, revision {report.revision}.{spent}</p>",
        *(f'<p class="bad">{html.escape(line)}</p>' for line in exceeded or []),
        "<h2>Worst places</h2>",
        "".join(
            f'<figure><img src="{w.picture}" alt=""><figcaption>{html.escape(w.cover)}, frame {w.frame}: {_said(w)}</figcaption></figure>'
            for w in report.worst
        )
        or "<p>None: all outlines fit where it matters.</p>",
    ]
    if report.holes:
        says = {"open": "something is there that nothing holds out", "wide": "the bare pane is held out"}
        parts.append("<h2>Holes in the holdout</h2>")
        parts += [
            f'<figure><img src="{h.picture}" alt=""><figcaption>{html.escape(h.pane)}, frame {h.frame}: {says[h.what]}, '
            f"{h.area:.0f} px²</figcaption></figure>"
            for h in report.holes[:MOST_DRAWN]
        ]
    if report.notes:
        rows = "".join(f"<tr><td>{n.frame}</td><td>{html.escape(n.text)}</td></tr>" for n in report.notes)
        parts.append(f"<h2>Open notes</h2><table><tr><th>Frame</th><th></th></tr>{rows}</table>")
    parts.append("<h2>Outlines</h2>")
    parts += [_outline(o) for o in report.outlines]
    if report.carriers:
        parts.append(
            "<h2>Motions</h2><table><tr><th>Carrier</th><th>Solved</th><th>Unsure</th><th>Lost</th><th>Jitter, mean and worst</th></tr>"
        )
        parts += [
            f"<tr><td>{html.escape(c.name)}</td><td>{c.solved}</td><td>{c.unsure}</td><td>{c.lost}</td>"
            f"<td>{c.jitter_mean:.3f} and {c.jitter_worst:.3f} px</td></tr>"
            for c in report.carriers
        ]
        parts.append("</table>")
    for pane in report.panes:
        parts.append(f"<h2>Flicker of the holdout of {html.escape(pane.name)}, px² a frame</h2>{_curve(pane.flicker)}")
    title = html.escape(report.shot)
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{title}: where to look</title><style>{STYLE}</style>'
        f"<body>{''.join(parts)}</body></html>"
    )


def _said(worst: WorstPlace) -> str:
    return "in doubt since it was carried there" if worst.carried else f"off by {worst.fault:.1f} px"


def _outline(found: OutlineReport) -> str:
    runs = ", ".join(f"{a} to {b}" for a, b in found.matters) or "nowhere"
    crowded = ", ".join(f"{a} to {b}" for a, b in found.overworked)
    worst = f"{found.worst_fault:.1f} px on {found.worst_frame}" if found.worst_frame is not None else "not judged"
    more = f" Keys {crowded} stand close together and make it boil." if crowded else ""
    return (
        f"<h3>{html.escape(found.cover)}</h3><p>{found.keys} keys of {found.points} points. It matters on {runs}. Worst fit: {worst}. "
        f"Boil at most {found.worst_boil:.2f} px, on {found.worst_boil_frame}.{more}</p>"
        f"{_curve([v or 0.0 for v in found.fault], 'fault, px')}{_curve(found.boil, 'boil, px')}"
    )


def _curve(values: list[float], name: str = "") -> str:
    most = max([*values, 1e-6])
    step = 1000 / max(len(values) - 1, 1)
    line = " ".join(f"{i * step:.1f},{60 - 54 * v / most:.1f}" for i, v in enumerate(values))
    return (
        f'<svg viewBox="0 0 1000 64" preserveAspectRatio="none" role="img"><polyline points="{line}" fill="none" '
        f'stroke="#0f6a62" stroke-width="2" vector-effect="non-scaling-stroke"/></svg><small>{html.escape(name)} up to {most:.2f}</small>'
    )
