"""Long work: watching, cancelling, ordering deliveries and fetching them."""

from __future__ import annotations

from fastapi import APIRouter, Response
from fastapi.responses import FileResponse
from sqlalchemy import select

from wiseglove.api.context import Ctx
from wiseglove.api.paging import LINKED, Page
from wiseglove.api.schemas import Answer
from wiseglove.jobs.deliver import Order, file_name, listing
from wiseglove.store import deliveries, jobs, shots
from wiseglove.store.errors import NotFoundError, StoreError
from wiseglove.store.jobs import Job, as_job
from wiseglove.store.tables import JobRow, ShotRow

router = APIRouter(prefix="/api", tags=["jobs"])


class Preview(Answer):
    """What a delivery would hold, and what the artist should know before ordering it."""

    files: list[str]
    remarks: list[str]


@router.get("/jobs", responses=LINKED)
def list_jobs(context: Ctx, page: Page, shot: str | None = None) -> list[Job]:
    """Jobs that are under way, and the last ones that ended, newest first."""
    with context.database.transaction() as session:
        query = select(JobRow).order_by(JobRow.made_at.desc(), JobRow.id)
        if shot is not None:
            query = query.where(JobRow.shot == shot)
        return [as_job(row) for row in page.rows(session, query)]


@router.post("/jobs/{job_id}/cancel")
def cancel(job_id: str, context: Ctx) -> Job:
    """Stop a job."""
    with context.database.transaction() as session:
        return as_job(jobs.ask_to_stop(session, job_id))


@router.post("/shots/{shot_id}/deliveries/preview")
def preview_delivery(shot_id: str, order: Order, context: Ctx) -> Preview:
    """The files of a delivery, before it is ordered."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
    remarks = []
    hidden = [c.name for c in shot.covers if not c.shown] + [p.name for p in shot.panes if not p.shown]
    if hidden:
        remarks.append(f"Hidden, and so left out: {', '.join(hidden)}.")
    if order.composite and not shot.panes:
        remarks.append("There is no pane, so the composite is the plate itself.")
    if (order.matte or order.each_cover) and not shot.covers:
        remarks.append("There is no cover, so the mattes are black.")
    if shot.plate.width % 2 or shot.plate.height % 2:
        remarks.append("The plate's size is odd; the movie repeats its last column or row to make it even.")
    return Preview(files=listing(shot, order), remarks=remarks)


@router.post("/shots/{shot_id}/deliveries", status_code=201)
def order_delivery(shot_id: str, order: Order, context: Ctx) -> Job:
    """Render the shot as it is now."""
    if not any(dict(order).values()):
        raise StoreError("Nothing was chosen to deliver. Choose at least one kind of file.")
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        payload = {"shot": shot.document.model_dump(mode="json"), "order": order.model_dump()}
        title = f"Rendering {shot.settings.name}, revision {shot.revision}"
        return as_job(context.queue.put(session, "deliver", title, payload, shot=shot_id))


@router.delete("/deliveries/{job_id}", status_code=204)
def delete_delivery(job_id: str, context: Ctx) -> Response:
    """Delete a delivery that has ended, and its package."""
    with context.database.transaction() as session:
        if jobs.get(session, job_id).kind != "deliver":
            raise NotFoundError("This delivery is not there.")
        jobs.forget(session, job_id)
    deliveries.path(context.settings.deliveries, job_id).unlink(missing_ok=True)
    return Response(status_code=204)


@router.get("/deliveries/{job_id}.zip", response_class=FileResponse)
def fetch_delivery(job_id: str, context: Ctx) -> FileResponse:
    """The package of a finished delivery."""
    with context.database.transaction() as session:
        row = jobs.get(session, job_id)
        shot = session.get(ShotRow, row.shot or "")
    path = deliveries.path(context.settings.deliveries, row.id)
    if row.kind != "deliver" or row.state != "done" or not path.is_file():
        raise NotFoundError("This delivery is not there. Render it again.")
    revision = row.payload["shot"]["revision"]
    name = f"{file_name(shot.name if shot else 'delivery')}_r{revision}.zip"
    return FileResponse(path, media_type="application/zip", filename=name)
