"""Jobs and deliveries: how far they are, stopping, fetching."""

import uuid

from fastapi import APIRouter
from fastapi.responses import FileResponse

from verdigris.api.context import Folder, Transaction
from verdigris.api.models import JobView
from verdigris.api.views import job_view
from verdigris.store.errors import StoreError
from verdigris.store.jobs import ask_to_stop, get_delivery, get_job, list_jobs

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
    job = ask_to_stop(s, job_id)
    if job.state == "stopped" and job.delivery_id is not None:
        get_delivery(s, job.delivery_id).state = "stopped"
    return job_view(job)


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def delivery_file(delivery_id: uuid.UUID, s: Transaction, folder: Folder) -> FileResponse:
    """The delivered film, or stills as a zip."""
    delivery = get_delivery(s, delivery_id)
    if delivery.state != "done":
        raise StoreError("not_ready", "This delivery is not finished.")
    return FileResponse(folder.delivery(delivery_id) / delivery.file, filename=delivery.file)
