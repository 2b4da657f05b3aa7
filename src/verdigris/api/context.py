"""What every request gets: a transaction and the settings."""

from collections.abc import Iterator
from functools import lru_cache
from typing import Annotated

from fastapi import Depends
from sqlalchemy.orm import Session

from verdigris.settings import Settings
from verdigris.store.database import session
from verdigris.store.media_folder import MediaFolder

# For answers whose address changes when they do.
FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}


@lru_cache(maxsize=1)
def settings() -> Settings:
    """Settings, read once."""
    return Settings()


def transaction() -> Iterator[Session]:
    """A transaction for one request; committed before the answer is sent."""
    with session(settings().database_url) as s:
        yield s


def media_folder() -> MediaFolder:
    """The media folder."""
    return MediaFolder(settings().media_dir)


# "function" scope: the commit happens before the answer leaves, so that a client never reads an older state.
Transaction = Annotated[Session, Depends(transaction, scope="function")]
Folder = Annotated[MediaFolder, Depends(media_folder)]
