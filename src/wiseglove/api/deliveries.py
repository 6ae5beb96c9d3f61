"""Deliveries: presets, what one would hold, ordering, fetching and deleting; and a shot as a file of its own."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Response
from fastapi import Path as PathParameter
from fastapi.responses import FileResponse
from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from wiseglove.api.context import Ctx
from wiseglove.api.notes import beside_of
from wiseglove.api.schemas import Answer
from wiseglove.delivery.plan import Plan, file_name, planned
from wiseglove.delivery.preset import BUILT_IN, FORMS, Form, Preset, PresetError, What
from wiseglove.delivery.shot_file import Media, named, written
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.store import deliveries, jobs, shots, versions
from wiseglove.store.errors import NotFoundError
from wiseglove.store.jobs import Job, as_job
from wiseglove.store.objects import Objects
from wiseglove.store.tables import ClipRow, JobRow, NoteRow, PresetRow, VersionRow

router = APIRouter(prefix="/api", tags=["deliveries"])


class Presets(Answer):
    """Presets to begin with, those that were kept here, and in which forms each thing can be written."""

    presets: list[Preset]
    own: list[Preset]
    forms: dict[What, list[Form]]


class Keeping(Preset):
    """A preset that is to be kept."""


class Order(Preset):
    """A preset, the version that it is to be made of (the shot as it is now where none is said), and words for whoever gets it."""

    of: int | None = None
    comment: Annotated[str, Field(max_length=4000)] = ""
    """Goes into the manifest; the version's own where it is empty."""


class Estimate(Answer):
    """What a delivery will take, as the last ones on this server did."""

    bytes: int
    seconds: float


class Preview(Answer):
    """What a delivery would hold, and what the artist should know before ordering it."""

    files: list[str]
    count: int
    frames: int
    remarks: list[str]
    estimate: Estimate | None


@router.get("/presets")
def list_presets(context: Ctx) -> Presets:
    """Presets to begin with, and those that were kept here."""
    with context.database.transaction() as session:
        rows = session.scalars(select(PresetRow).order_by(PresetRow.name)).all()
    own = [Preset.model_validate(row.preset, strict=False) for row in rows]
    return Presets(presets=list(BUILT_IN.values()), own=own, forms={w: list(f) for w, f in FORMS.items()})


@router.put("/presets", status_code=204)
def keep_preset(preset: Keeping, context: Ctx) -> Response:
    """Keep a preset by its name, for everybody here; one of that name that was kept before is replaced."""
    if preset.name in BUILT_IN:
        raise PresetError(
            f"“{preset.name}” is there from the beginning and stays as it is. Nothing was kept; choose another name."
        )
    with context.database.transaction() as session:
        found = session.scalar(select(func.count()).select_from(PresetRow))
        if (found or 0) >= MOST_PRESETS and session.get(PresetRow, preset.name) is None:
            raise PresetError(
                f"{MOST_PRESETS} presets are kept already. Nothing was kept; delete one that nobody needs."
            )
        about = {"preset": preset.model_dump(mode="json"), "changed_at": func.now()}
        made = insert(PresetRow).values(name=preset.name, **about)
        session.execute(made.on_conflict_do_update(index_elements=[PresetRow.name], set_=about))
    return Response(status_code=204)


@router.delete("/presets/{name}", status_code=204)
def forget_preset(name: Annotated[str, PathParameter(max_length=80)], context: Ctx) -> Response:
    """Forget a preset that was kept."""
    with context.database.transaction() as session:
        row = session.get(PresetRow, name)
        if row is None:
            raise NotFoundError(f"No preset “{name}” is kept here.")
        session.delete(row)
    return Response(status_code=204)


@router.post("/shots/{shot_id}/deliveries/preview")
def preview_delivery(shot_id: str, order: Order, context: Ctx) -> Preview:
    """The files of a delivery, before it is ordered."""
    with context.database.transaction() as session:
        shot, version = _of(session, shot_id, order)
        plan = planned(shot, order, version)
        estimate = _estimate(session, plan)
    names = list(plan.listing())
    count = sum(len(o.names) for o in plan.outputs)
    return Preview(
        files=[*names, "manifest.json"],
        count=count + 1,
        frames=len(plan.frames),
        remarks=_remarks(shot, order, plan),
        estimate=estimate,
    )


def _of(session: Session, shot_id: str, order: Order) -> tuple[EvaluatedShot, str]:
    """The shot, or the version of it, that is ordered, and what that is called in names."""
    if order.of is not None:
        return versions.opened(session, shot_id, order.of), versions.label(order.of)
    shot = shots.load(session, shot_id)
    return shot, f"r{shot.revision}"


def _remarks(shot: EvaluatedShot, order: Order, plan: Plan) -> list[str]:
    what = {item.what for item in order.items}
    remarks = []
    hidden = [c.name for c in shot.covers if not c.shown] + [p.name for p in shot.panes if not p.shown]
    if hidden:
        remarks.append(f"Hidden, and so left out: {', '.join(hidden)}.")
    if "composite" in what and not shot.panes:
        remarks.append("There is no pane, so the composite is the plate itself.")
    if what & {"union", "cover", "holdout"} and not shot.covers and not shot.subjects:
        remarks.append("There is no cover, so the mattes are black.")
    wide, high = plan.box[2] - plan.box[0], plan.box[3] - plan.box[1]
    if any(o.form in ("mp4", "webm") for o in plan.outputs) and (wide % 2 or high % 2):
        remarks.append("The size is odd; movies repeat the last column or row to make it even.")
    empty = [item.what for item in order.items if not any(o.item is item for o in plan.outputs)]
    if empty:
        remarks.append(f"The shot has nothing for: {', '.join(dict.fromkeys(empty))}.")
    return remarks


MOST_PRESETS = 200
"""Presets that are kept."""
KNOWN = 40
"""Deliveries that an estimate looks back at."""


def _estimate(session: Session, plan: Plan) -> Estimate | None:
    """Bytes and seconds by the last deliveries that wrote the same; None where there was none."""
    asked = {f"{o.item.what}:{o.form}" for o in plan.outputs}
    rows = session.scalars(
        select(JobRow.result)
        .where(JobRow.kind == "deliver", JobRow.state == "done")
        .order_by(JobRow.made_at.desc())
        .limit(KNOWN)
    ).all()
    work = len(plan.frames) * plan.size[0] * plan.size[1]
    sizes: dict[str, list[float]] = {}
    speeds: list[tuple[float, float]] = []
    for row in rows:
        done = (row or {}).get("frames", 0) * (row or {}).get("pixels", 0)
        if row is None or not done or "spent" not in row:
            continue
        for key, size in row["spent"].items():
            sizes.setdefault(key, []).append(size / done)
        common = len(asked & row["spent"].keys()) / len(asked | row["spent"].keys())
        if common > 0:
            speeds.append((common, row["seconds"] / done))
    if not speeds or not asked & sizes.keys():
        return None
    best = max(share for share, _ in speeds)
    speed = [s for share, s in speeds if share == best]
    size = sum(sum(sizes[k]) / len(sizes[k]) for k in asked if k in sizes)
    return Estimate(bytes=round(size * work), seconds=round(sum(speed) / len(speed) * work, 1))


@router.post("/shots/{shot_id}/deliveries", status_code=201)
def order_delivery(shot_id: str, order: Order, context: Ctx) -> Job:
    """Render the shot as it is now, or one of its versions."""
    with context.database.transaction() as session:
        shot, version = _of(session, shot_id, order)
        planned(shot, order, version)  # what cannot be made is said at once
        payload = {
            "shot": shot.document.model_dump(mode="json"),
            "preset": order.model_dump(mode="json", exclude={"of", "comment"}),
            "remarks": {
                "version": version,
                "notes": _notes(session, shot_id),
                "media": _media(session, shot),
                "comment": order.comment or _comment(session, shot_id, order),
                "beside": beside_of(session, shot_id).model_dump(mode="json"),
            },
        }
        title = f"Rendering {shot.settings.name}, {version}"
        return as_job(context.queue.put(session, "deliver", title, payload, shot=shot_id))


def _comment(session: Session, shot_id: str, order: Order) -> str:
    row = None if order.of is None else session.get(VersionRow, (shot_id, order.of))
    return "" if row is None else row.comment


def _notes(session: Session, shot_id: str) -> list[dict[str, str | int]]:
    """Notes and versions as markers."""
    notes = session.scalars(select(NoteRow).where(NoteRow.shot == shot_id).order_by(NoteRow.frame, NoteRow.id)).all()
    made = session.scalars(select(VersionRow).where(VersionRow.shot == shot_id).order_by(VersionRow.number)).all()
    told: list[dict[str, str | int]] = [
        {"name": n.text[:80], "frame": n.frame, "text": n.text, "kind": "note"} for n in notes
    ]
    told += [{"name": versions.label(v.number), "frame": v.frame, "text": v.name, "kind": "version"} for v in made]
    return told


def _media(session: Session, shot: EvaluatedShot) -> dict[str, object]:
    """What is known about the shot's clips; they are found by their names in the store."""
    rows = session.execute(select(ClipRow.id, ClipRow.info).where(ClipRow.id.in_(named(shot))))
    return {i: {"path": None, "info": info} for i, info in rows}


@router.get("/shots/{shot_id}/file")
def fetch_shot_file(shot_id: str, context: Ctx) -> Response:
    """The shot as a file of its own, for work without a page."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        media = {i: Media.model_validate(m) for i, m in _media(session, shot).items()}
        beside = beside_of(session, shot_id)
    name = f"{file_name(shot.settings.name)}_r{shot.revision}.json"
    headers = {
        "Content-Disposition": f'attachment; filename="{name.encode("ascii", "replace").decode().replace("?", "_")}"'
    }
    return Response(written(shot.document, media, beside), media_type="application/json", headers=headers)


@router.delete("/deliveries/{job_id}", status_code=204)
def delete_delivery(job_id: str, context: Ctx) -> Response:
    """Delete a delivery that has ended, and its package."""
    with context.database.transaction() as session:
        if jobs.get(session, job_id).kind != "deliver":
            raise NotFoundError("This delivery is not there.")
        jobs.forget(session, job_id)
    deliveries.path(context.settings.deliveries, job_id).unlink(missing_ok=True)
    objects = Objects(context.settings.store)
    if objects.remote:
        objects.remove(f"deliveries/{job_id}.zip")
    return Response(status_code=204)


@router.get("/deliveries/{job_id}.zip", response_class=FileResponse)
def fetch_delivery(job_id: str, context: Ctx) -> FileResponse:
    """The package of a finished delivery."""
    with context.database.transaction() as session:
        row = jobs.get(session, job_id)
    path = deliveries.path(context.settings.deliveries, row.id)
    there = row.kind == "deliver" and row.state == "done"
    if there and not path.is_file():
        objects = Objects(context.settings.store)
        there = objects.remote and objects.pull(f"deliveries/{path.name}", path)
    if not there:
        raise NotFoundError("This delivery is not there. Render it again.")
    return FileResponse(path, media_type="application/zip", filename=(row.result or {}).get("name", path.name))
