"""Projects with their shots, for the Board."""

from sqlalchemy.orm import Session

from verdigris.api.models.deliveries import DeliveryView
from verdigris.api.models.projects import ProjectView, ShotSummary, SurfaceSummary
from verdigris.api.views import delivery_view, made_of, media_view, slots_shown, take_figures
from verdigris.shot.model.artwork import SlotArtwork, with_slots
from verdigris.shot.model.document import files_of, parse_shot
from verdigris.shot.model.surface import Surface
from verdigris.store.board import BoardRows, BoardShot, board_rows
from verdigris.store.models import Project, Slot


def project_views(s: Session, projects: list[Project]) -> list[ProjectView]:
    """Projects for the Board, in a handful of queries however many shots they have."""
    rows = board_rows(s, projects)
    return [ProjectView(id=p.id, name=p.name, shots=[_summary(s, x, rows, rows.slots[p.id]) for x in rows.shots[p.id]]) for p in projects]


def project_view(s: Session, project: Project) -> ProjectView:
    """A project for the Board."""
    return project_views(s, [project])[0]


def _summary(s: Session, shot: BoardShot, rows: BoardRows, slots: list[Slot]) -> ShotSummary:
    document = shot.document
    plate = rows.media.get(document.plate.media or "")
    shown = None if plate is None else media_view(plate)
    facts = None if shown is None else shown.facts
    count, first = (0, 0) if facts is None else (facts.frame_count, facts.first_frame)
    if document.plate.first_frame is not None:
        first = document.plate.first_frame
    own = with_slots(document, lambda part: part.model_copy(update={"artwork": SlotArtwork()}))
    return ShotSummary(
        id=shot.row.id, name=document.name, plate=shown, frames=[count // 10, count // 2, count - 1 - count // 10] if count else [],
        first_frame=first, surfaces=[_surface(s, x, shot, rows) for x in document.surfaces], revision=shot.row.head,
        slots=made_of(slots_shown(shot.row.id, shot.row.head, lambda: document), slots),
        artwork=[rows.media[r.media].name for p in own.placements for r in files_of(p)[:1] if r.media in rows.media],
        delivery=_delivered(shot, slots),
    )  # fmt: skip


def _surface(s: Session, surface: Surface, shot: BoardShot, rows: BoardRows) -> SurfaceSummary:
    take = next((t for t in shot.takes if str(t.id) == surface.take), None)
    if take is None:
        return SurfaceSummary(id=surface.id, name=surface.name, ranges=[], looks=0, lost=0)
    figures = take_figures(s, take, surface, rows.jobs.get(take.id))
    return SurfaceSummary(id=surface.id, name=surface.name, ranges=figures.ranges, looks=len(figures.looks), lost=figures.lost)


def _delivered(shot: BoardShot, slots: list[Slot]) -> DeliveryView | None:
    """The last delivery; whether it still holds is asked in the shot itself."""
    d, made = shot.delivery, shot.delivered
    if d is None or made is None:
        return None
    shown = slots_shown(shot.row.id, d.revision, lambda: parse_shot(made.document))
    return delivery_view(d, d.fingerprint, made_of(shown, slots), shot.delivery_job)
