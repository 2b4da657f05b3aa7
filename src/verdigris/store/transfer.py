"""Shots out of the application: document, media and tracks in a folder."""

import shutil
import uuid
from pathlib import Path
from typing import TypeVar

from verdigris.formats.track_json import make_track, write_tracks
from verdigris.settings import Settings
from verdigris.shot.model.document import Shot, with_files
from verdigris.shot.model.media import MediaRef
from verdigris.store.database import session
from verdigris.store.errors import StoreError
from verdigris.store.media import get_media
from verdigris.store.media_folder import MediaFolder
from verdigris.store.shots import document_of, get_shot, list_projects, list_shots
from verdigris.store.takes import raw_tracks

M = TypeVar("M", bound=MediaRef)


def shot_names(settings: Settings) -> list[dict[str, str]]:
    """Id, project and name of every shot."""
    with session(settings.database_url) as s:
        return [
            {"id": str(shot.id), "project": project.name, "name": document_of(s, shot).name}
            for project in list_projects(s)
            for shot in list_shots(s, project.id)
        ]


def export_shot(settings: Settings, shot_id: str, out: Path) -> Path:
    """Write shot.json, media and, when there is one, track.json; returns the document's path."""
    try:
        key = uuid.UUID(shot_id)
    except ValueError as error:
        raise StoreError("not_found", f"{shot_id} is not the id of a shot; ./verdigris export lists them.") from error
    folder = MediaFolder(settings.media_dir)
    out.mkdir(parents=True, exist_ok=True)
    with session(settings.database_url) as s:
        document = document_of(s, get_shot(s, key))
        names: dict[str, str] = {}

        def beside(ref: M) -> M:
            if ref.media is None:
                return ref
            if ref.media not in names:
                media = get_media(s, ref.media)
                names[ref.media] = _copy(folder.source(ref.media, media.ending), out, media.name, media.ending, set(names.values()))
            return ref.model_copy(update={"media": None, "path": names[ref.media]})

        tracks = raw_tracks(s, document)
        surfaces = [x.model_copy(update={"take": None}) for x in document.surfaces]
        document = with_files(document.model_copy(update={"surfaces": surfaces}), beside)
    path = out / "shot.json"
    _write_document(path, document)
    # As they were followed: the document beside them says how they are mended.
    made = [make_track(k, document.surface(k).reference_frame, v.values(), m) for k, (v, m) in tracks.items() if v]
    if made:
        write_tracks(out / "track.json", made)
    return path


def _write_document(path: Path, document: Shot) -> None:
    path.write_text(document.model_dump_json(indent=1, exclude_none=True) + "\n", encoding="utf-8")


def _copy(source: Path, out: Path, name: str, ending: str, taken: set[str]) -> str:
    stem = "".join(c if c.isalnum() or c in "-_." else "_" for c in Path(name).stem) or "media"
    target = f"{stem}{ending}"
    while target in taken:
        target = f"{stem}_{len(taken)}{ending}"
    if source.is_dir():
        shutil.copytree(source, out / target, dirs_exist_ok=True)
    else:
        shutil.copyfile(source, out / target)
    return target
