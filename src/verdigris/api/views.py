"""Rows to answers."""

import uuid
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.api.models import (
    DeliveryView,
    FilmForm,
    JobView,
    LookView,
    MadeOfView,
    MediaView,
    ProjectView,
    ShotSummary,
    ShotView,
    SlotUseView,
    SlotVersionView,
    SlotView,
    SurfaceSummary,
    TakeFrameView,
    TakeView,
)
from verdigris.core.inspection.doubt import Evidence, frames_to_look_at
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.mend import LEFT_OUT
from verdigris.formats.track_json import Camera
from verdigris.media.facts import MediaFacts
from verdigris.media.writer import CONTAINERS, ENCODERS, Container, film_coding
from verdigris.runs.render.open_shot import picture_key
from verdigris.runs.views.preview import ProxySource
from verdigris.runs.views.recent import Recent
from verdigris.shot.model.artwork import SlotArtwork, shown_from_slots, with_slots
from verdigris.shot.model.basis import MENDING, changed_since, tracking_key
from verdigris.shot.model.document import Shot, files_of, parse_shot
from verdigris.shot.model.surface import Surface
from verdigris.store.jobs import OPEN_STATES, last_jobs_of_shot, list_deliveries
from verdigris.store.media import get_media
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Delivery, Job, Media, Project, ShotRow, Slot, Take
from verdigris.store.shots import document_of, get_project, get_revision, get_shot, list_shots, redo_target, used_media
from verdigris.store.slots import list_slots, list_versions
from verdigris.store.takes import chosen_tracks, list_takes, used_frames


def media_view(m: Media) -> MediaView:
    """Media for the client."""
    view = MediaView.model_validate(m, from_attributes=True)
    return view if view.facts is None else view.model_copy(update={"films": _films(view.facts)})


def _films(facts: MediaFacts) -> dict[Container, FilmForm]:
    codings = {c: film_coding(facts, c) for c in CONTAINERS}
    return {k: FilmForm(written=f"{ENCODERS[c.encoder]}, {c.pixel_format}", lost=c.lost) for k, c in codings.items()}


def job_view(j: Job) -> JobView:
    """A job for the client."""
    return JobView.model_validate(j, from_attributes=True)


def frame_view(r: FrameResult) -> TakeFrameView:
    """One frame of a take for the client."""
    return TakeFrameView(
        frame=r.frame, status=r.status, residual_px=r.residual_px, share_used=r.share_used, margin_px=r.margin_px, through=r.through,
        reason=r.reason,
        defocus_px2=None if r.softness is None else r.softness.defocus_px2,
        smear_px=None if r.softness is None else r.softness.smear_px,
        noise=None if r.softness is None else r.softness.noise,
        homography=None if r.homography is None else r.homography.reshape(-1).tolist(),
        sigma_px=None if r.sigma_px is None else r.sigma_px.tolist(),
    )  # fmt: skip


def followed_ranges(results: dict[int, FrameResult]) -> list[tuple[int, int]]:
    """Runs of followed frames, both ends included."""
    ranges: list[tuple[int, int]] = []
    for n in sorted(n for n, r in results.items() if r.homography is not None):
        if ranges and ranges[-1][1] == n - 1:
            ranges[-1] = (ranges[-1][0], n)
        else:
            ranges.append((n, n))
    return ranges


@dataclass(frozen=True)
class _Figures:
    """What is counted over all frames of a take, as it is used."""

    followed: int
    lost: int
    ranges: list[tuple[int, int]]
    looks: list[LookView]
    median_sigma_px: float | None


# Frames of a take change only while a job follows it: figures of finished ones are counted once.
_figures: Recent[_Figures] = Recent(200)


def _figures_of(s: Session, take: Take, surface: Surface | None) -> _Figures:
    results = used_frames(s, take, surface)
    # What was left out by hand needs no second look.
    evidence = [Evidence(r.frame, r.corners, r.sigma_px, r.share_used, r.reason) for r in results.values() if r.reason != LEFT_OUT]
    sigmas = [float(r.sigma_px.max()) for r in results.values() if r.sigma_px is not None]
    looks = [LookView(frame=x.frame, severity_px=x.severity_px, reason=x.reason) for x in frames_to_look_at(evidence)]
    lost = sum(r.status == "lost" for r in results.values())
    return _Figures(len(results) - lost, lost, followed_ranges(results), looks, float(np.median(sigmas)) if sigmas else None)


def take_views(s: Session, shot_id: uuid.UUID, takes: list[Take], document: Shot) -> list[TakeView]:
    """Takes of a shot with their figures."""
    jobs = last_jobs_of_shot(s, shot_id)
    keys = {x.id: tracking_key(document, x) for x in document.surfaces}
    return [_take_view(s, t, document, jobs.get(t.id), keys.get(t.surface) != t.key) for t in takes]


def _take_view(s: Session, take: Take, document: Shot, job: Job | None, stale: bool) -> TakeView:
    used = next((x for x in document.surfaces if x.take == str(take.id)), None)
    running = job is not None and job.state in OPEN_STATES
    mending = None if used is None else used.model_dump_json(include=MENDING)
    key = (take.id, None if job is None else (job.id, job.finished), mending)
    surface = next((x for x in document.surfaces if x.id == take.surface), None)
    changed = changed_since(take.settings, document, surface) if stale and take.settings and surface else []
    figures = _figures_of(s, take, used) if running else _figures.get(key, lambda: _figures_of(s, take, used))
    return TakeView(
        id=take.id, surface=take.surface, label=take.label, name=take.name, motion=take.motion, reference_frame=take.reference_frame,
        stale=stale, changed=changed, restorable=take.settings is not None, mended=take.mended,
        running=running, version="" if running else str(take.id if job is None else job.id)[:8],
        followed=figures.followed, lost=figures.lost, ranges=figures.ranges, looks=figures.looks, median_sigma_px=figures.median_sigma_px,
        camera=None if take.camera is None else Camera.model_validate(take.camera),
    )  # fmt: skip


# A revision after the other asks for the same tracks while something is dragged.
_tracks: Recent[dict[str, dict[int, FrameResult]]] = Recent(6)


def used_tracks(s: Session, document: Shot, state: str) -> dict[str, dict[int, FrameResult]]:
    """Chosen tracks of a shot, mended, kept for a `state` of its takes."""
    mending = tuple(x.model_dump_json(include=MENDING) for x in document.surfaces)
    return _tracks.get((state, mending), lambda: chosen_tracks(s, document)) if state else chosen_tracks(s, document)


def delivery_view(s: Session, d: Delivery, now: str) -> DeliveryView:
    """A delivery with the job that makes it; `now` is the key of what the shot would show now, handed over likewise."""
    job = s.scalar(select(Job.id).where(Job.delivery_id == d.id))
    return DeliveryView(
        made_of=made_of(s, get_shot(s, d.shot_id).project_id, parse_shot(get_revision(s, d.shot_id, d.revision).document)),
        id=d.id, revision=d.revision, form=d.form, state=d.state, file=d.file, bytes=d.bytes,  # type: ignore[arg-type]
        frames_without_track=d.frames_without_track, differs=d.fingerprint != now, created=d.created, job=job,
    )  # fmt: skip


def made_of(s: Session, project_id: uuid.UUID, document: Shot) -> list[MadeOfView]:
    """The versions of slots that a document shows."""
    found = {(p.slot, p.version): None for p in shown_from_slots(document)}
    slots = {x.key: x for x in list_slots(s, project_id)} if found else {}
    return [
        MadeOfView(slot=k, name=slots[k].name, version=v, current=slots[k].current)
        for k, v in found
        if k is not None and v is not None and k in slots
    ]


def slot_views(s: Session, project_id: uuid.UUID) -> list[SlotView]:
    """Slots of a project with their versions and where they are shown."""
    documents = [(shot, document_of(s, shot)) for shot in list_shots(s, project_id)]
    return [_slot_view(s, slot, documents) for slot in list_slots(s, project_id)]


def slot_view(s: Session, slot: Slot) -> SlotView:
    """One slot, as `slot_views`."""
    return _slot_view(s, slot, [(shot, document_of(s, shot)) for shot in list_shots(s, slot.project_id)])


def _slot_view(s: Session, slot: Slot, documents: list[tuple[ShotRow, Shot]]) -> SlotView:
    used = []
    for shot, document in documents:
        parts = [p for p in shown_from_slots(document) if p.slot == slot.key]
        if parts:
            versions = sorted({p.version for p in parts if p.version is not None})
            used.append(SlotUseView(shot=shot.id, name=document.name, versions=versions, pinned=any(p.pin is not None for p in parts)))
    versions_kept = [SlotVersionView.model_validate(v, from_attributes=True) for v in list_versions(s, slot)]
    return SlotView(key=slot.key, name=slot.name, current=slot.current, versions=versions_kept, used=used)


def delivery_views(s: Session, shot_id: uuid.UUID, document: Shot) -> list[DeliveryView]:
    """Deliveries of a shot, newest first, each held against what the shot would show now."""
    deliveries = list_deliveries(s, shot_id)
    if not deliveries:
        return []
    jobs = {str(k): j for k, j in last_jobs_of_shot(s, shot_id).items()}
    last = [jobs.get(x.take or "") for x in document.surfaces]
    still = all(j is None or j.state not in OPEN_STATES for j in last)
    tracks = used_tracks(s, document, f"{shot_id} {[j and (j.id, j.finished) for j in last]}" if still else "")
    now: dict[str, str] = {}
    views = []
    for d in deliveries:
        if d.content not in now:
            made = parse_shot(get_revision(s, shot_id, d.revision).document).delivery
            now[d.content] = picture_key(document.model_copy(update={"delivery": made}), tracks)
        views.append(delivery_view(s, d, now[d.content]))
    return views


def proxy_sources(s: Session, folder: MediaFolder, document: Shot) -> dict[str, ProxySource]:
    """Proxies and facts of all media a document names, as far as they were read."""
    sources = {}
    for media_hash in used_media(document):
        media = get_media(s, media_hash)
        if media.facts is not None:
            sources[media_hash] = (folder.proxies(media_hash), MediaFacts.model_validate(media.facts))
    return sources


def field_folders(s: Session, folder: MediaFolder, document: Shot) -> dict[str, Path]:
    """Folders of the light fields a document names, as far as they were read to their end."""
    named = {r.media: get_media(s, r.media) for r in files_of(document.match) if r.media is not None}
    return {k: folder.source(k, media.ending) for k, media in named.items() if media.state == "ready"}


def _media_of(s: Session, document: Shot) -> dict[str, MediaView]:
    rows = s.scalars(select(Media).where(Media.hash.in_(used_media(document))))
    return {m.hash: media_view(m) for m in rows}


def shot_view(s: Session, shot: ShotRow) -> ShotView:
    """A shot for the Bench."""
    document, head = document_of(s, shot), get_revision(s, shot.id, shot.head)
    return ShotView(
        id=shot.id, project_id=shot.project_id, project=get_project(s, shot.project_id).name, revision=shot.head,
        can_undo=head.parent is not None, can_redo=redo_target(s, shot) is not None, undo_label=head.label,
        document=document, media=_media_of(s, document),
        takes=take_views(s, shot.id, list_takes(s, shot.id), document),
        deliveries=delivery_views(s, shot.id, document),
    )  # fmt: skip


def _shot_summary(s: Session, shot: ShotRow) -> ShotSummary:
    document = document_of(s, shot)
    media = _media_of(s, document)
    plate = media.get(document.plate.media or "")
    count = plate.facts.frame_count if plate is not None and plate.facts is not None else 0
    takes = {str(t.id): t for t in list_takes(s, shot.id)}
    chosen = [takes[x.take] for x in document.surfaces if x.take in takes]
    views = {str(v.id): v for v in take_views(s, shot.id, chosen, document)}
    surfaces = []
    for surface in document.surfaces:
        view = views.get(surface.take or "")
        surfaces.append(
            SurfaceSummary(
                id=surface.id,
                name=surface.name,
                ranges=view.ranges if view else [],
                looks=len(view.looks) if view else 0,
                lost=view.lost if view else 0,
            )
        )
    slots = made_of(s, shot.project_id, document)
    own = with_slots(document, lambda part: part.model_copy(update={"artwork": SlotArtwork()}))
    deliveries = list_deliveries(s, shot.id)[:1]
    first = document.plate.first_frame
    if first is None:
        first = plate.facts.first_frame if plate is not None and plate.facts is not None else 0
    return ShotSummary(
        id=shot.id, name=document.name, plate=plate, frames=[count // 10, count // 2, count - 1 - count // 10] if count else [],
        first_frame=first, surfaces=surfaces, revision=shot.head, slots=slots,
        artwork=[media[r.media].name for p in own.placements for r in files_of(p)[:1] if r.media in media],
        delivery=delivery_view(s, deliveries[0], deliveries[0].fingerprint) if deliveries else None,
    )  # fmt: skip


def project_view(s: Session, project: Project) -> ProjectView:
    """A project for the Board."""
    return ProjectView(id=project.id, name=project.name, shots=[_shot_summary(s, x) for x in list_shots(s, project.id)])
