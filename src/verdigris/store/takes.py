"""Takes and their frames; rows are written while the job runs."""

import uuid
from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy import Uuid, func, literal, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from verdigris.core.camera.optics import Optics
from verdigris.core.tracking.points.points import PointResult
from verdigris.core.tracking.sequence.frame_result import FrameResult, Softness
from verdigris.formats.track_json import Camera
from verdigris.runs.scene.mending import mended
from verdigris.shot.edits.tracks import RestoreSettings
from verdigris.shot.model.basis import take_settings, tracking_key
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface
from verdigris.store.database import announce
from verdigris.store.errors import StoreError
from verdigris.store.models import Take, TakeFrame

# What a take is computed from that does not belong to its surface.
OF_OTHERS = ("plate", "in_front", "other_surfaces", "corners_as_region")


def create_take(s: Session, shot_id: uuid.UUID, document: Shot, surface: Surface, mended: bool = False) -> Take:
    """A new take, labelled A, B, ... Z, AA for its surface."""
    count = s.scalar(select(func.count()).select_from(Take).where(Take.shot_id == shot_id, Take.surface == surface.id)) or 0
    take = Take(
        shot_id=shot_id, surface=surface.id, label=_letters(count), key=tracking_key(document, surface),
        reference_frame=surface.reference_frame, motion=surface.motion, settings=take_settings(document, surface),
        mended=mended,
    )  # fmt: skip
    s.add(take)
    s.flush()
    return take


def belongs_to(take: Take, document: Shot) -> None:
    """State that a take is computed from what a document says, once the other takes of it are chosen."""
    surface = document.surface(take.surface)
    take.key, take.settings = tracking_key(document, surface), take_settings(document, surface)


def _letters(n: int) -> str:
    text = ""
    n += 1
    while n:
        n, rest = divmod(n - 1, 26)
        text = chr(65 + rest) + text
    return text


def get_take(s: Session, take_id: uuid.UUID) -> Take:
    """A take by id."""
    take = s.get(Take, take_id)
    if take is None:
        raise StoreError("not_found", "There is no such take.")
    return take


def list_takes(s: Session, shot_id: uuid.UUID) -> list[Take]:
    """Takes of a shot, oldest first."""
    return list(s.scalars(select(Take).where(Take.shot_id == shot_id).order_by(Take.created)))


def copy_frames(s: Session, source: uuid.UUID, target: uuid.UUID) -> None:
    """Frames of one take as the beginning of another one."""
    columns = [c.name for c in TakeFrame.__table__.columns if c.name != "take_id"]
    rows = select(literal(target, Uuid), *(TakeFrame.__table__.c[c] for c in columns)).where(TakeFrame.take_id == source)
    s.execute(insert(TakeFrame).from_select(["take_id", *columns], rows))
    get_take(s, target).camera = get_take(s, source).camera


def write_frame(s: Session, take_id: uuid.UUID, r: FrameResult, points: Mapping[str, PointResult] | None = None) -> None:
    """Keep one frame of a take and announce it; writing it again replaces it."""
    values = {
        "status": r.status,
        "homography": None if r.homography is None else [float(v) for v in r.homography.reshape(-1)],
        "corners": None if r.corners is None else [float(v) for v in r.corners.reshape(-1)],
        "sigma_px": None if r.sigma_px is None else [float(v) for v in r.sigma_px],
        "residual_px": None if r.residual_px is None else float(r.residual_px),
        "share_used": float(r.share_used),
        "margin_px": None if r.margin_px is None else float(r.margin_px),
        "through": r.through,
        "defocus_px2": None if r.softness is None else float(r.softness.defocus_px2),
        "smear_px": None if r.softness is None or r.softness.smear_px is None else float(r.softness.smear_px),
        "noise": None if r.softness is None or r.softness.noise is None else float(r.softness.noise),
        "first_look": r.first_look,
        "reason": r.reason,
        "points": {k: _plain_point(p) for k, p in points.items()} if points else None,
    }
    row = insert(TakeFrame).values(take_id=take_id, frame=r.frame, **values)
    s.execute(row.on_conflict_do_update(index_elements=["take_id", "frame"], set_=values))
    # Who watches needs the frame at once: it goes with the news, without what only the picture's evidence needs.
    shown = {"frame": r.frame, **{k: v for k, v in values.items() if k not in ("corners", "points")}}
    announce(s, "frame", take=take_id, frame=r.frame, shown=shown)


def _plain_point(p: PointResult) -> dict[str, float | str | None]:
    x, y = (None, None) if p.at is None else (float(p.at[0]), float(p.at[1]))
    return {"status": p.status, "x": x, "y": y, "sigma_px": None if p.sigma_px is None else float(p.sigma_px)}


def read_points(s: Session, take_id: uuid.UUID) -> dict[int, dict[str, Any]]:
    """Single points of a take by frame, as far as it was followed by points."""
    rows = s.execute(select(TakeFrame.frame, TakeFrame.points).where(TakeFrame.take_id == take_id, TakeFrame.points.is_not(None)))
    # Frames that were written before may hold the JSON null.
    return {row.frame: row.points for row in rows if row.points is not None}


def point_tracks(s: Session, take_id: uuid.UUID) -> dict[str, dict[int, PointResult]]:
    """Tracks of a take's single points, by point and frame."""
    tracks: dict[str, dict[int, PointResult]] = {}
    for n, points in read_points(s, take_id).items():
        for name, p in points.items():
            at = None if p["x"] is None else np.array([p["x"], p["y"]])
            tracks.setdefault(name, {})[n] = PointResult(n, p["status"], at, p["sigma_px"], 1.0)
    return tracks


def restoring_edit(take: Take) -> RestoreSettings:
    """The edit that sets a surface as it was for a take; StoreError `not_found` for takes of before settings were kept."""
    if take.settings is None:
        raise StoreError("not_found", f"Take {take.label} was made before its settings were kept with it.")
    kept = {k: v for k, v in take.settings.items() if k not in OF_OTHERS}
    return RestoreSettings.model_validate({"surface": take.surface, **kept})


def name_take(s: Session, take_id: uuid.UUID, name: str) -> Take:
    """Give a take a name; an empty one takes it away."""
    take = get_take(s, take_id)
    take.name = name.strip()
    announce(s, "shot", shot=take.shot_id)
    return take


def read_frames(s: Session, take_id: uuid.UUID) -> dict[int, FrameResult]:
    """Frames of a take, by frame index, in order."""
    query = select(TakeFrame).where(TakeFrame.take_id == take_id).order_by(TakeFrame.frame)
    take = s.get(Take, take_id)
    camera = None if take is None or take.camera is None else Camera.model_validate(take.camera).optics()
    return {row.frame: _result(row, camera) for row in s.scalars(query)}


def keep_camera(s: Session, take_id: uuid.UUID, camera: Optics) -> None:
    """Keep what following found of the camera with its take."""
    get_take(s, take_id).camera = Camera.of(camera).model_dump(mode="json")


def _result(row: TakeFrame, camera: Optics | None) -> FrameResult:
    return FrameResult(
        row.frame,
        row.status,  # type: ignore[arg-type]
        None if row.homography is None else np.array(row.homography).reshape(3, 3),
        None if row.corners is None else np.array(row.corners).reshape(4, 2),
        None if row.sigma_px is None else np.array(row.sigma_px),
        row.residual_px,
        row.share_used,
        row.reason,
        margin_px=row.margin_px,
        through=row.through,
        softness=None if row.defocus_px2 is None else Softness(row.defocus_px2, row.smear_px, row.noise),
        first_look=row.first_look,
        camera=camera,
    )


def chosen_tracks(s: Session, document: Shot) -> dict[str, dict[int, FrameResult]]:
    """Frames of the chosen take of every surface that has one, as they are used: mended as the document says, once."""
    return {x.id: used_frames(s, get_take(s, uuid.UUID(x.take)), x) for x in document.surfaces if x.take is not None}


def raw_tracks(s: Session, document: Shot) -> dict[str, tuple[dict[int, FrameResult], bool]]:
    """Frames of the chosen takes as they are kept, and whether they are mended already."""
    takes = {x.id: get_take(s, uuid.UUID(x.take)) for x in document.surfaces if x.take is not None}
    return {k: (read_frames(s, take.id), take.mended) for k, take in takes.items()}


def used_frames(s: Session, take: Take, surface: Surface | None) -> dict[int, FrameResult]:
    """Frames of a take as they are used for a surface: mended as it says, unless they came in mended."""
    frames = read_frames(s, take.id)
    return frames if take.mended or surface is None else mended(surface, frames)
