"""Files that tasks work on."""

from pathlib import Path

from verdigris.settings import Settings
from verdigris.shot.model.document import Shot
from verdigris.store.database import session
from verdigris.store.media import get_media
from verdigris.store.media_folder import MediaFolder
from verdigris.store.shots import used_media


def media_paths(settings: Settings, document: Shot) -> dict[str, Path]:
    """Files of all media a document names."""
    folder = MediaFolder(settings.media_dir)
    with session(settings.database_url) as s:
        return {h: folder.source(h, get_media(s, h).ending) for h in used_media(document)}
