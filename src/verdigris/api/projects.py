"""Projects and their shots: the Board."""

import uuid

from fastapi import APIRouter, Response

from verdigris.api.board import project_view, project_views
from verdigris.api.context import Folder, Transaction
from verdigris.api.models.projects import NewProject, ProjectView
from verdigris.api.models.shots import NewShot, ShotView
from verdigris.api.views import shot_view
from verdigris.media.errors import MediaError
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.store.duplicates import duplicate_project
from verdigris.store.media import ready_facts
from verdigris.store.removal import remove_project, restore_project
from verdigris.store.shots import create_project, create_shot, get_project, list_projects, rename_project

router = APIRouter(prefix="/api/projects", tags=["projects"])


@router.get("")
def all_projects(s: Transaction) -> list[ProjectView]:
    """All projects with their shots."""
    return project_views(s, list_projects(s))


@router.post("", status_code=201)
def make_project(new: NewProject, s: Transaction) -> ProjectView:
    """Make a project."""
    return project_view(s, create_project(s, new.name))


@router.get("/{project_id}")
def one_project(project_id: uuid.UUID, s: Transaction) -> ProjectView:
    """One project with its shots."""
    return project_view(s, get_project(s, project_id))


@router.put("/{project_id}")
def call_project(project_id: uuid.UUID, new: NewProject, s: Transaction) -> ProjectView:
    """Give a project another name."""
    return project_view(s, rename_project(s, project_id, new.name))


@router.delete("/{project_id}", status_code=204, response_class=Response)
def put_project_away(project_id: uuid.UUID, s: Transaction) -> Response:
    """Put a project with its shots into the bin."""
    remove_project(s, project_id)
    return Response(status_code=204)


@router.post("/{project_id}/restore")
def put_project_back(project_id: uuid.UUID, s: Transaction) -> ProjectView:
    """Take a project out of the bin."""
    return project_view(s, restore_project(s, project_id))


@router.post("/{project_id}/copy", status_code=201)
def copy_project(project_id: uuid.UUID, s: Transaction, folder: Folder) -> ProjectView:
    """Copy a project with all its shots; their history stays with the original."""
    taken = {p.name for p in list_projects(s)}
    return project_view(s, duplicate_project(s, folder, project_id, taken))


@router.post("/{project_id}/shots", status_code=201)
def make_shot(project_id: uuid.UUID, new: NewShot, s: Transaction) -> ShotView:
    """Make a shot from a plate; numbered stills need their rate said."""
    facts = ready_facts(s, new.plate)
    if facts.rate is None and new.rate is None and facts.frame_count > 1:
        raise MediaError("rate_needed", "Numbered stills carry no rate. Say how many frames a second they are.")
    plate = Plate(path=None, media=new.plate, rate=new.rate, first_frame=facts.first_frame)
    return shot_view(s, create_shot(s, project_id, Shot(name=new.name, plate=plate)))
