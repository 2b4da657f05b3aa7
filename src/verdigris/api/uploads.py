"""Uploads: streamed to disk and hashed on the way, looked at by their first bytes, read by a worker."""

import hashlib
import shutil
from pathlib import Path
from typing import Annotated

from anyio import to_thread
from fastapi import APIRouter, Query, Request, UploadFile
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from verdigris.api.context import Folder, settings
from verdigris.api.models.media import Uploaded
from verdigris.api.views import media_view
from verdigris.jobs.queue import enqueue_job
from verdigris.media.errors import MediaError
from verdigris.media.film import film_format
from verdigris.media.lut import LUT_ENDINGS
from verdigris.media.stills import still_kind
from verdigris.store.database import announce, session
from verdigris.store.jobs import create_job, open_job_for_media
from verdigris.store.media_folder import FILM_ENDINGS, MediaFolder, folder_hash, plain_name, safe_ending, still_number
from verdigris.store.models import Media

router = APIRouter(prefix="/api/uploads", tags=["uploads"])


@router.post("/file", status_code=201)
async def upload_file(request: Request, folder: Folder, name: Annotated[str, Query(min_length=1, max_length=250)]) -> Uploaded:
    """Take in one film, still, or zip of numbered stills; the request's body is the file."""
    name = plain_name(name)
    ending = safe_ending(name)
    limit = settings().largest_upload
    announced = request.headers.get("content-length", "")
    if announced.isdigit() and int(announced[:20]) > limit:
        raise MediaError("too_large", f"{name} is larger than {limit // 2**20} MB.")
    temporary = await to_thread.run_sync(folder.incoming)
    try:
        target = temporary / f"upload{ending}"
        total, size = hashlib.sha256(), 0
        with target.open("xb") as out:
            async for chunk in request.stream():
                size += len(chunk)
                if size > limit:
                    raise MediaError("too_large", f"{name} is larger than {limit // 2**20} MB.")
                await to_thread.run_sync(_append, out, total, chunk)
        return await to_thread.run_sync(_take_in_file, folder, target, name, ending, total.hexdigest(), size)
    finally:
        await to_thread.run_sync(shutil.rmtree, temporary, True)


def _append(out: object, total: object, chunk: bytes) -> None:
    out.write(chunk)  # type: ignore[attr-defined]
    total.update(chunk)  # type: ignore[attr-defined]


def _take_in_file(folder: MediaFolder, target: Path, name: str, ending: str, media_hash: str, size: int) -> Uploaded:
    _look(target, name, ending, size)
    with session(settings().database_url) as s:
        return _register(s, folder, target, media_hash, name, ending, size)


def _look(target: Path, name: str, ending: str, size: int) -> None:
    """Refuse at once what its first bytes give away."""
    if size == 0:
        raise MediaError("damaged", f"{name} is empty.")
    if ending in FILM_ENDINGS and film_format(target) is None:
        raise MediaError("unsupported", f"{name} is not a film, whatever its name says. Films are MP4, MOV and MKV.")
    if ending not in (*FILM_ENDINGS, *LUT_ENDINGS, ".zip") and still_kind(target) is None:
        raise MediaError("unsupported", f"{name} is not a still, whatever its name says. Stills are PNG, JPEG, TIFF, OpenEXR and SVG.")


@router.post("/stills", status_code=201)
def upload_stills(files: list[UploadFile], folder: Folder, name: Annotated[str, Query(max_length=250)] = "stills") -> Uploaded:
    """Take in a folder of numbered stills."""
    temporary = folder.incoming()
    try:
        stills = temporary / "stills"
        stills.mkdir()
        size = 0
        for file in files:
            number, ending = still_number(file.filename or "")
            target = stills / f"frame.{number:09d}{ending}"
            if target.exists():
                raise MediaError("sequence_mixed", f"Two stills have the number {number}.")
            with target.open("xb") as out:
                shutil.copyfileobj(file.file, out, 1 << 20)
            size += target.stat().st_size
            if size > settings().largest_upload:
                raise MediaError("too_large", f"The stills are larger than {settings().largest_upload // 2**20} MB.")
            _look(target, file.filename or "still", ending, target.stat().st_size)
        media_hash = folder_hash(stills)
        with session(settings().database_url) as s:
            return _register(s, folder, stills, media_hash, plain_name(name) or "stills", "", size)
    finally:
        shutil.rmtree(temporary, ignore_errors=True)


def _register(s: Session, folder: MediaFolder, source: Path, media_hash: str, name: str, ending: str, size: int) -> Uploaded:
    """A row and its file for what was sent; the same bytes are kept once, whatever they are called.

    What is known but was never read to its end is read again.
    """
    row = {"hash": media_hash, "name": name, "ending": ending, "bytes": size, "proxies": 0, "state": "reading"}
    # Of two that send the same at once, one waits here for the other.
    made = s.execute(insert(Media).values(row).on_conflict_do_nothing(index_elements=["hash"]).returning(Media.hash)).scalar()
    media = s.scalars(select(Media).where(Media.hash == media_hash).with_for_update()).one()
    media.removed = None
    if made is None and (media.state == "ready" or open_job_for_media(s, media_hash) is not None):
        announce(s, "media", media=media_hash)
        return Uploaded(media=media_view(media), job=None)
    # The file of a row that was left half-read may be gone or unpacked; this one stands for the same bytes.
    folder.adopt(source, media_hash, media.ending)
    media.state, media.problem = "reading", ""
    job = create_job(s, "media", f"Reading {name}", 0, media_hash=media_hash)
    enqueue_job(s, job, "read_media", priority=10)
    announce(s, "media", media=media_hash)
    return Uploaded(media=media_view(media), job=job.id)
