"""Takes: frames, evidence crops, tracks as files."""

import tempfile
import uuid
from dataclasses import asdict, replace
from pathlib import Path
from typing import Annotated

import cv2
import numpy as np
from fastapi import APIRouter, Query, Response
from fastapi import Path as PathParameter
from fastapi.responses import FileResponse

from verdigris.api.context import FOREVER, Folder, Transaction
from verdigris.api.models.takes import PointFiguresView, PointView, TakeFrameView, TakeNameRequest, TakeView
from verdigris.api.views import frame_view, take_views
from verdigris.core.inspection.crops import CROP_PX
from verdigris.core.tracking.points.sets import figures_of
from verdigris.formats.corners_csv import write_corners_csv
from verdigris.formats.track_json import make_track, write_tracks
from verdigris.runs.follow.points import reference_of
from verdigris.runs.scene.in_front import corners_at
from verdigris.store.errors import StoreError
from verdigris.store.shots import document_of, get_shot
from verdigris.store.takes import get_take, name_take, point_tracks, read_frames, read_points, used_frames

router = APIRouter(tags=["takes"])
# Looked at again, a frame gets other crops under the same address.
FRESH = {"Cache-Control": "no-store"}


@router.get("/api/takes/{take_id}/frames")
def take_frames(take_id: uuid.UUID, s: Transaction) -> list[TakeFrameView]:
    """Frames of a take."""
    get_take(s, take_id)
    return [frame_view(r) for r in read_frames(s, take_id).values()]


@router.put("/api/takes/{take_id}/name")
def call_take(take_id: uuid.UUID, request: TakeNameRequest, s: Transaction) -> TakeView:
    """Give a take a name."""
    take = name_take(s, take_id, request.name)
    return take_views(s, take.shot_id, [take], document_of(s, get_shot(s, take.shot_id)))[0]


@router.get("/api/takes/{take_id}/points")
def take_points(take_id: uuid.UUID, s: Transaction) -> dict[int, dict[str, PointView]]:
    """Single points of a take, by frame and id."""
    get_take(s, take_id)
    return {n: {k: PointView.model_validate(p) for k, p in points.items()} for n, points in read_points(s, take_id).items()}


@router.get("/api/takes/{take_id}/point-figures")
def point_figures(take_id: uuid.UUID, s: Transaction) -> list[PointFiguresView]:
    """How well each single point of a take holds to the plane of all of them, the worst first."""
    take = get_take(s, take_id)
    tracks = point_tracks(s, take_id)
    left_out = [p["id"] for p in (take.settings or {}).get("points", []) if p["left_out"]]
    found = figures_of(reference_of(tracks, take.reference_frame), tracks, take.motion, left_out)  # type: ignore[arg-type]
    views = [PointFiguresView(id=k, **asdict(f)) for k, f in found.items()]
    return sorted(views, key=lambda v: -(v.error_px or 0.0))


@router.get("/api/takes/{take_id}/crops/{frame}", response_class=FileResponse)
def take_crops(take_id: uuid.UUID, frame: Annotated[int, PathParameter(ge=0, le=1_000_000)], folder: Folder) -> FileResponse:
    """The four corners of a frame, side by side, 64 px each, centred on where the take says they are."""
    path = folder.crops(take_id) / f"{frame:06d}.jpg"
    if not path.exists():
        raise StoreError("not_found", "There is no crop of this frame.")
    return FileResponse(path, media_type="image/jpeg", headers=FOREVER)


@router.get("/api/takes/{take_id}/crop-sheet", response_class=Response)
def crop_sheet(take_id: uuid.UUID, frames: Annotated[list[int], Query(max_length=64)], folder: Folder) -> Response:
    """Crops of several frames below each other, 64 px high each, for a strip that shows all at once; grey where there is none."""
    pictures = [cv2.imread(str(folder.crops(take_id) / f"{n:06d}.jpg")) for n in frames]
    width = max((p.shape[1] for p in pictures if p is not None), default=0)
    if not width:
        raise StoreError("not_found", "There are no crops of these frames.")
    sheet = np.full((CROP_PX * len(frames), width, 3), 44, np.uint8)
    for i, picture in enumerate(pictures):
        if picture is not None:
            sheet[CROP_PX * i : CROP_PX * i + picture.shape[0], : picture.shape[1]] = picture
    return Response(cv2.imencode(".jpg", sheet, [cv2.IMWRITE_JPEG_QUALITY, 92])[1].tobytes(), media_type="image/jpeg", headers=FRESH)


@router.get("/api/shots/{shot_id}/tracks/{surface_id}.{form}", response_class=Response)
def track_file(shot_id: uuid.UUID, surface_id: str, form: str, s: Transaction) -> Response:
    """The chosen take with its corrections, as verdigris.track JSON or CSV of corners."""
    document = document_of(s, get_shot(s, shot_id))
    surface = document.surface(surface_id)
    if surface.take is None or form not in ("json", "csv"):
        raise StoreError("not_found", f"{surface.name} has no track yet." if surface.take is None else "Tracks are json or csv.")
    used = used_frames(s, get_take(s, uuid.UUID(surface.take)), surface)
    results = [replace(r, corners=corners_at(surface, used, r.frame)) for r in used.values()]
    with tempfile.TemporaryDirectory() as temporary:
        path = Path(temporary) / "track"
        if form == "json":
            write_tracks(path, [make_track(surface_id, surface.reference_frame, results, mended=True)])
        else:
            write_corners_csv(path, results, document.plate.first_frame or 0)
        data = path.read_bytes()
    kind = "application/json" if form == "json" else "text/csv"
    return Response(data, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{surface_id}.track.{form}"'})
