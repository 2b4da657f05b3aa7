"""Jobs and deliveries: how far they are, stopping, fetching."""

import uuid

from fastapi import APIRouter
from fastapi.responses import FileResponse

from verdigris.api.context import Folder, Transaction
from verdigris.api.models.jobs import JobView
from verdigris.api.views import job_view
from verdigris.jobs.closing import ask_to_stop
from verdigris.store.errors import StoreError
from verdigris.store.jobs import get_delivery, get_job, list_jobs

router = APIRouter(prefix="/api", tags=["jobs"])


@router.get("/jobs")
def jobs(s: Transaction) -> list[JobView]:
    """Jobs, newest first."""
    return [job_view(j) for j in list_jobs(s)]


@router.get("/jobs/{job_id}")
def one_job(job_id: uuid.UUID, s: Transaction) -> JobView:
    """One job."""
    return job_view(get_job(s, job_id))


@router.post("/jobs/{job_id}/stop")
def stop_job(job_id: uuid.UUID, s: Transaction) -> JobView:
    """Ask a job to stop; it keeps what it has."""
    job = get_job(s, job_id)
    ask_to_stop(s, job)
    return job_view(job)


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def delivery_file(delivery_id: uuid.UUID, s: Transaction, folder: Folder) -> FileResponse:
    """The delivered film, or stills as a zip; of a stopped delivery what was whole by then."""
    delivery = get_delivery(s, delivery_id)
    if not delivery.file:
        raise StoreError("not_ready", "There is nothing to take from this delivery.")
    return FileResponse(folder.delivery(delivery_id) / delivery.file, filename=delivery.file)
