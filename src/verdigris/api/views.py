"""Rows to answers."""

import uuid
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.api.models.deliveries import DeliveryView, MadeOfView
from verdigris.api.models.jobs import JobView
from verdigris.api.models.media import FilmForm, MediaView
from verdigris.api.models.shots import ShotView
from verdigris.api.models.slots import SlotUseView, SlotVersionView, SlotView
from verdigris.api.models.takes import LookView, TakeFrameView, TakeView
from verdigris.core.inspection.doubt import Evidence, frames_to_look_at
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.mend import LEFT_OUT
from verdigris.formats.track_json import Camera
from verdigris.media.facts import MediaFacts
from verdigris.media.writer import CONTAINERS, ENCODERS, Container, film_coding
from verdigris.runs.render.open_shot import picture_key
from verdigris.runs.views.preview import ProxySource
from verdigris.runs.views.recent import Recent
from verdigris.shot.model.artwork import shown_from_slots
from verdigris.shot.model.basis import MENDING, changed_since, tracking_key
from verdigris.shot.model.document import Shot, files_of, parse_shot
from verdigris.shot.model.surface import Surface
from verdigris.store.jobs import OPEN_STATES, jobs_of_deliveries, last_jobs_of_shot, list_deliveries
from verdigris.store.media import get_media
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Delivery, Job, Media, ShotRow, Slot, Take
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
        reason=r.reason, first_look=r.first_look,
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


# A slot's key and the number of a version.
SlotVersion = tuple[str, int]


@dataclass(frozen=True)
class TakeFigures:
    """What is counted over all frames of a take, as it is used."""

    followed: int
    lost: int
    ranges: list[tuple[int, int]]
    looks: list[LookView]
    median_sigma_px: float | None


# Frames of a take change only while a job follows it: figures of finished ones are counted once.
_figures: Recent[TakeFigures] = Recent(2000)


def _figures_of(s: Session, take: Take, surface: Surface | None) -> TakeFigures:
    results = used_frames(s, take, surface)
    # What was left out by hand needs no second look.
    evidence = [Evidence(r.frame, r.corners, r.sigma_px, r.share_used, r.reason) for r in results.values() if r.reason != LEFT_OUT]
    sigmas = [float(r.sigma_px.max()) for r in results.values() if r.sigma_px is not None]
    looks = [LookView(frame=x.frame, severity_px=x.severity_px, reason=x.reason) for x in frames_to_look_at(evidence)]
    lost = sum(r.status == "lost" for r in results.values())
    return TakeFigures(len(results) - lost, lost, followed_ranges(results), looks, float(np.median(sigmas)) if sigmas else None)


def take_figures(s: Session, take: Take, used: Surface | None, job: Job | None) -> TakeFigures:
    """Figures of a take as the surface that chose it uses it; `job` is the newest that followed it."""
    if job is not None and job.state in OPEN_STATES:
        return _figures_of(s, take, used)
    mending = None if used is None else used.model_dump_json(include=MENDING)
    key = (take.id, None if job is None else (job.id, job.finished), mending)
    return _figures.get(key, lambda: _figures_of(s, take, used))


def take_views(s: Session, shot_id: uuid.UUID, takes: list[Take], document: Shot) -> list[TakeView]:
    """Takes of a shot with their figures."""
    jobs = last_jobs_of_shot(s, shot_id)
    keys = {x.id: tracking_key(document, x) for x in document.surfaces}
    return [_take_view(s, t, document, jobs.get(t.id), keys.get(t.surface) != t.key) for t in takes]


def _take_view(s: Session, take: Take, document: Shot, job: Job | None, stale: bool) -> TakeView:
    used = next((x for x in document.surfaces if x.take == str(take.id)), None)
    running = job is not None and job.state in OPEN_STATES
    surface = next((x for x in document.surfaces if x.id == take.surface), None)
    changed = changed_since(take.settings, document, surface) if stale and take.settings and surface else []
    figures = take_figures(s, take, used, job)
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


# A revision never changes: what it shows of the shelf is looked for once.
_shown: Recent[list[SlotVersion]] = Recent(2000)


def slots_shown(shot: uuid.UUID, revision: int, document: Callable[[], Shot]) -> list[SlotVersion]:
    """Slots and their versions that a revision of a shot shows."""

    def found() -> list[SlotVersion]:
        pairs = ((p.slot, p.version) for p in shown_from_slots(document()))
        return list(dict.fromkeys((k, v) for k, v in pairs if k is not None and v is not None))

    return _shown.get((shot, revision), found)


def made_of(shown: list[SlotVersion], slots: list[Slot]) -> list[MadeOfView]:
    """Versions that are shown, beside the current ones of a project's slots."""
    kept = {x.key: x for x in slots}
    return [MadeOfView(slot=k, name=kept[k].name, version=v, current=kept[k].current) for k, v in shown if k in kept]


def delivery_view(d: Delivery, now: str, made_of: list[MadeOfView], job: uuid.UUID | None) -> DeliveryView:
    """A delivery with the job that makes it; `now` is the key of what the shot would show now, handed over likewise."""
    return DeliveryView(
        id=d.id, revision=d.revision, form=d.form, state=d.state, file=d.file, bytes=d.bytes, made_of=made_of,  # type: ignore[arg-type]
        frames_without_track=d.frames_without_track, differs=d.fingerprint != now, created=d.created, job=job,
    )  # fmt: skip


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
    slots = list_slots(s, get_shot(s, shot_id).project_id)
    making = jobs_of_deliveries(s, [d.id for d in deliveries])
    now: dict[str, str] = {}
    views = []
    for d in deliveries:
        made = partial(lambda d: parse_shot(get_revision(s, shot_id, d.revision).document), d)
        if d.content not in now:
            now[d.content] = picture_key(document.model_copy(update={"delivery": made().delivery}), tracks)
        views.append(delivery_view(d, now[d.content], made_of(slots_shown(shot_id, d.revision, made), slots), making.get(d.id)))
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
    """Light fields and tables a document names, as far as they were read to their end."""
    named = {r.media: get_media(s, r.media) for r in files_of([document.match, document.grade]) if r.media is not None}
    return {k: folder.source(k, media.ending) for k, media in named.items() if media.state == "ready"}


def _media_of(s: Session, document: Shot) -> dict[str, MediaView]:
    rows = s.scalars(select(Media).where(Media.hash.in_(used_media(document))))
    return {m.hash: media_view(m) for m in rows}


def shot_view(s: Session, shot: ShotRow, document: Shot | None = None) -> ShotView:
    """A shot for the Bench; `document` where it is at hand."""
    head = get_revision(s, shot.id, shot.head)
    document = document or parse_shot(head.document)
    return ShotView(
        id=shot.id, project_id=shot.project_id, project=get_project(s, shot.project_id).name, revision=shot.head,
        can_undo=head.parent is not None, can_redo=redo_target(s, shot) is not None, undo_label=head.label,
        document=document, media=_media_of(s, document),
        takes=take_views(s, shot.id, list_takes(s, shot.id), document),
        deliveries=delivery_views(s, shot.id, document),
    )  # fmt: skip
