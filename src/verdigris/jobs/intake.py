"""Media and shot documents from files into the application."""

import shutil
import uuid
from pathlib import Path

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.formats.track_json import read_tracks
from verdigris.jobs.queue import enqueue_job
from verdigris.media.errors import MediaError
from verdigris.media.facts import MediaFacts
from verdigris.media.lut import LUT_ENDINGS, lut_facts
from verdigris.media.reader import open_media
from verdigris.settings import Settings
from verdigris.shot.errors import ShotError
from verdigris.shot.model.artwork import ARTWORK, Artwork, FileArtwork
from verdigris.shot.model.document import Shot, first_fault, read_shot, with_files
from verdigris.shot.model.media import MediaRef
from verdigris.store.database import session
from verdigris.store.jobs import create_job
from verdigris.store.media_folder import MediaFolder, file_hash, folder_hash
from verdigris.store.models import Media, Project
from verdigris.store.shelf import make_missing
from verdigris.store.shots import add_revision, create_project, create_shot
from verdigris.store.slots import settle_slots
from verdigris.store.takes import belongs_to, create_take, get_take, write_frame


def _facts(path: Path) -> MediaFacts:
    if path.is_file() and path.suffix.lower() in LUT_ENDINGS:
        return lut_facts(path, path.name)
    with open_media(path) as reader:
        return reader.facts


def take_in(s: Session, folder: MediaFolder, path: Path) -> str:
    """Copy a film, still or folder of stills into the media folder and have it read; returns its content hash."""
    facts = _facts(path)
    is_folder = path.is_dir()
    media_hash = folder_hash(path) if is_folder else file_hash(path)
    if s.get(Media, media_hash) is not None:
        return media_hash
    ending = "" if is_folder else path.suffix.lower()
    temporary = folder.incoming()
    try:
        copy = temporary / ("stills" if is_folder else f"copy{ending}")
        if is_folder:
            shutil.copytree(path, copy)
        else:
            shutil.copyfile(path, copy)
        folder.adopt(copy, media_hash, ending)
    finally:
        shutil.rmtree(temporary, ignore_errors=True)
    size = sum(f.stat().st_size for f in path.iterdir()) if is_folder else path.stat().st_size
    s.add(
        Media(
            hash=media_hash,
            name=path.name,
            ending=ending,
            bytes=size,
            state="reading",
            proxies=0,
            facts=facts.model_dump(mode="json"),
        )
    )
    s.flush()
    job = create_job(s, "media", f"Reading {path.name}", facts.frame_count, media_hash=media_hash)
    enqueue_job(s, job, "read_media", priority=10)
    return media_hash


def import_document(settings: Settings, path: Path, track: Path | None, project_name: str) -> uuid.UUID:
    """Bring a document, its media and its tracks into the application; returns the shot's id."""
    document, folder = read_shot(path), MediaFolder(settings.media_dir)
    tracks = read_tracks(track) if track is not None else []
    with session(settings.database_url) as s:

        def inside(ref: MediaRef) -> MediaRef:
            if ref.path is None:
                if s.get(Media, ref.media) is None:
                    raise MediaError("not_found", "The document names media of another application; export it there with its media.")
                return ref
            return ref.model_copy(update={"path": None, "media": take_in(s, folder, path.parent / ref.path)})

        document = with_files(document, inside)
        project = s.scalar(select(Project).where(Project.name == project_name)) or create_project(s, project_name)
        make_missing(s, project.id, document)
        document = settle_slots(s, project.id, document)
        shot = create_shot(s, project.id, document, "imported")
        if tracks:
            surfaces = list(document.surfaces)
            for one in tracks:
                surface = document.surface(one.surface)
                take = create_take(s, shot.id, document, surface, one.mended)
                for result in one.by_frame().values():
                    write_frame(s, take.id, result)
                if one.camera is not None:
                    take.camera = one.camera.model_dump(mode="json")
                surfaces = [x.model_copy(update={"take": str(take.id)}) if x.id == surface.id else x for x in surfaces]
            document = Shot.model_validate(document.model_copy(update={"surfaces": surfaces}).model_dump())
            add_revision(s, shot, document, "tracks imported")
            for x in document.surfaces:
                if x.take is not None:
                    belongs_to(get_take(s, uuid.UUID(x.take)), document)
        return shot.id


def take_in_artwork(s: Session, folder: MediaFolder, path: Path) -> Artwork:
    """Artwork from a file: a picture or a film, or a JSON file that has artwork as a document has it, its files beside it.

    Raises
    ------
    ShotError
        `not_a_shot` when the JSON is not artwork.
    """
    if path.suffix.lower() != ".json":
        return FileArtwork(path=None, media=take_in(s, folder, path))
    try:
        artwork = ARTWORK.validate_json(path.read_bytes())
    except ValidationError as error:
        raise ShotError("not_a_shot", f"{path.name}: {first_fault(error)}") from error

    def inside(ref: MediaRef) -> MediaRef:
        return ref if ref.path is None else ref.model_copy(update={"path": None, "media": take_in(s, folder, path.parent / ref.path)})

    return with_files(artwork, inside)
