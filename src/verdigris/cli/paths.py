"""Paths of a document that is written elsewhere."""

import os
from pathlib import Path

from verdigris.shot.model.document import Shot, with_files
from verdigris.shot.model.media import MediaRef


def moved(document: Shot, base: Path, to: Path) -> Shot:
    """A document that lay in `base`, as it is written in `to`: its files are named as seen from there."""
    if base.resolve() == to.resolve():
        return document

    def seen_from_there(ref: MediaRef) -> MediaRef:
        if ref.path is None or Path(ref.path).is_absolute() or not (base / ref.path).exists():
            return ref
        return ref.model_copy(update={"path": os.path.relpath((base / ref.path).resolve(), to.resolve())})

    return with_files(document, seen_from_there)
