"""Long work: watching and cancelling."""

from __future__ import annotations

from fastapi import APIRouter
from sqlalchemy import select

from wiseglove.api.context import Ctx
from wiseglove.api.paging import LINKED, Page
from wiseglove.store import jobs
from wiseglove.store.jobs import Job, as_job
from wiseglove.store.tables import JobRow

router = APIRouter(prefix="/api", tags=["jobs"])


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
