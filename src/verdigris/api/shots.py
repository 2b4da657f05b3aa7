"""Shots: document, edits, history, tracking, results."""

import uuid
from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from sqlalchemy.orm import Session

from verdigris.api.context import FOREVER, Folder, Transaction
from verdigris.api.models.jobs import FollowView, JobView
from verdigris.api.models.shots import BaseRequest, DeliveryRequest, EditRequest, RevisionView, ShotView, TrackAllRequest, TrackRequest
from verdigris.api.views import field_folders, frame_view, job_view, proxy_sources, shot_view, used_tracks
from verdigris.jobs.start import make_ready_to_follow, start_delivery, start_tracking, start_tracking_all
from verdigris.runs.views.preview import Preview
from verdigris.runs.views.recent import Recent
from verdigris.shot.edits.whole import SetDelivery
from verdigris.shot.model.document import Shot, parse_shot
from verdigris.store.duplicates import duplicate_shot
from verdigris.store.errors import StoreError
from verdigris.store.media_folder import MediaFolder
from verdigris.store.removal import remove_shot, restore_shot
from verdigris.store.shots import (
    document_of,
    edit_shot,
    get_revision,
    get_shot,
    list_revisions,
    redo,
    undo,
)
from verdigris.store.takes import get_take, read_frames, restoring_edit

# Asked for with a revision that any database can hold; `state` is a short text of the client's own.
Number = Annotated[int, Path(ge=1, le=2**31 - 1)]
State = Annotated[str, Query(max_length=200)]
router = APIRouter(prefix="/api/shots", tags=["shots"])


@router.get("/{shot_id}")
def one_shot(shot_id: uuid.UUID, s: Transaction) -> ShotView:
    """A shot with its document, takes and deliveries."""
    return shot_view(s, get_shot(s, shot_id))


@router.delete("/{shot_id}", status_code=204, response_class=Response)
def put_shot_away(shot_id: uuid.UUID, s: Transaction) -> Response:
    """Put a shot into the bin."""
    remove_shot(s, shot_id)
    return Response(status_code=204)


@router.post("/{shot_id}/restore")
def put_shot_back(shot_id: uuid.UUID, s: Transaction) -> ShotView:
    """Take a shot out of the bin."""
    return shot_view(s, restore_shot(s, shot_id))


@router.post("/{shot_id}/copy", status_code=201)
def copy_shot(shot_id: uuid.UUID, s: Transaction, folder: Folder) -> ShotView:
    """Copy a shot with the takes it uses; its history stays with the original."""
    return shot_view(s, duplicate_shot(s, folder, shot_id))


@router.get("/{shot_id}/document")
def shot_document(shot_id: uuid.UUID, s: Transaction) -> Shot:
    """The document alone."""
    return document_of(s, get_shot(s, shot_id))


@router.get("/{shot_id}/revisions")
def revisions(shot_id: uuid.UUID, s: Transaction) -> list[RevisionView]:
    """Every state the shot ever had."""
    return [RevisionView.model_validate(r, from_attributes=True) for r in list_revisions(s, shot_id)]


@router.post("/{shot_id}/edits")
def edit(shot_id: uuid.UUID, request: EditRequest, s: Transaction) -> ShotView:
    """Apply edits as one new revision; a stale base is refused with what changed."""
    edit_shot(s, shot_id, request.base_revision, request.edits, request.stroke)
    return _ready_to_follow(s, shot_id)


@router.post("/{shot_id}/undo")
def undo_edit(shot_id: uuid.UUID, request: BaseRequest, s: Transaction) -> ShotView:
    """Go one revision back."""
    undo(s, shot_id, request.base_revision)
    return _ready_to_follow(s, shot_id)


@router.post("/{shot_id}/redo")
def redo_edit(shot_id: uuid.UUID, request: BaseRequest, s: Transaction) -> ShotView:
    """Go one revision forward again."""
    redo(s, shot_id, request.base_revision)
    return _ready_to_follow(s, shot_id)


def _ready_to_follow(s: Session, shot_id: uuid.UUID) -> ShotView:
    """A changed shot, what was placed in it made ready to be followed."""
    shot = get_shot(s, shot_id)
    document = document_of(s, shot)
    make_ready_to_follow(s, shot, document)
    return shot_view(s, shot, document)


@router.post("/{shot_id}/track", status_code=202)
def follow(shot_id: uuid.UUID, request: TrackRequest, s: Transaction) -> FollowView:
    """Follow a surface. A take of the same settings is gone on with; otherwise a new take begins and is chosen."""
    job = start_tracking(s, shot_id, request.surface, request.direction, request.span, point=request.point, begin=request.begin)
    assert job.take_id is not None
    frames = [frame_view(r) for r in read_frames(s, job.take_id).values()]
    return FollowView(**job_view(job).model_dump(), shot=shot_view(s, get_shot(s, shot_id)), frames=frames)


@router.post("/{shot_id}/takes/{take_id}/settings")
def settings_of_take(shot_id: uuid.UUID, take_id: uuid.UUID, request: BaseRequest, s: Transaction) -> ShotView:
    """Bring back the settings a take was made with, as one edit; what is in front stays as it is."""
    take = get_take(s, take_id)
    if take.shot_id != shot_id:
        raise StoreError("not_found", "There is no such take in this shot.")
    edit_shot(s, shot_id, request.base_revision, [restoring_edit(take)])
    return shot_view(s, get_shot(s, shot_id))


@router.post("/{shot_id}/track-all", status_code=202)
def follow_all(shot_id: uuid.UUID, request: TrackAllRequest, s: Transaction) -> list[JobView]:
    """Follow every surface that has corners and is not being followed, the nearest first."""
    return [job_view(j) for j in start_tracking_all(s, shot_id, request.direction)]


@router.post("/{shot_id}/deliveries", status_code=202)
def hand_over(shot_id: uuid.UUID, request: DeliveryRequest, s: Transaction) -> JobView:
    """Render the shot to a film or stills; other settings than the document's become an edit of it."""
    document = document_of(s, get_shot(s, shot_id))
    if document.delivery != request.delivery:
        edit_shot(s, shot_id, request.base_revision, [SetDelivery(delivery=request.delivery)])
    return job_view(start_delivery(s, shot_id))


_previews: Recent[Preview] = Recent(4)


@router.get("/{shot_id}/revisions/{number}/results/{frame}", response_class=Response)
def result_frame(
    shot_id: uuid.UUID,
    number: Number,
    frame: Annotated[int, Path(ge=0, le=1_000_000)],
    s: Transaction,
    folder: Folder,
    state: State = "",
) -> Response:
    """A result frame at proxy size. `state`, told by the client from how far its takes are, is part of the address, so
    that an answer may be kept for ever.
    """
    return Response(preview_of(s, folder, shot_id, number, state).jpeg(frame), media_type="image/jpeg", headers=FOREVER)


def preview_of(s: Session, folder: MediaFolder, shot_id: uuid.UUID, number: int, state: str) -> Preview:
    """The previews of a revision, with its takes as they are."""

    def make() -> Preview:
        document = parse_shot(get_revision(s, shot_id, number).document)
        return Preview(document, used_tracks(s, document, state), proxy_sources(s, folder, document), field_folders(s, folder, document))

    preview = _previews.get((shot_id, number, state), make)
    if not preview.whole:
        # What is still being read will be there the next time.
        _previews.drop((shot_id, number, state))
    return preview
