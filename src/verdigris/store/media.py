"""Media rows."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.media.facts import MediaFacts
from verdigris.store.errors import StoreError
from verdigris.store.models import Media


def get_media(s: Session, media_hash: str) -> Media:
    """Media by content hash."""
    media = s.get(Media, media_hash)
    if media is None:
        raise StoreError("not_found", "There is no such media.")
    return media


def ready_facts(s: Session, media_hash: str) -> MediaFacts:
    """Facts of media; StoreError `not_ready` before they are read."""
    media = get_media(s, media_hash)
    if media.facts is None:
        raise StoreError(
            "not_ready", f"{media.name} is still being read." if media.state == "reading" else f"{media.name}: {media.problem}"
        )
    return MediaFacts.model_validate(media.facts)


def list_media(s: Session) -> list[Media]:
    """All media that are not in the bin, newest first."""
    return list(s.scalars(select(Media).where(Media.removed.is_(None), Media.derived.is_(False)).order_by(Media.created.desc())))
