"""A shot without some of its parts, because the artist says so: switched off, so that nothing is lost."""

from collections.abc import Sequence

from verdigris.shot.errors import ShotError
from verdigris.shot.model.document import Shot


def without(shot: Shot, names: Sequence[str]) -> Shot:
    """The shot with parts switched off.

    Parameters
    ----------
    names : ids of placements and mattes; `thumb:2` is the second part of the matte thumb, from 1

    Raises
    ------
    ShotError
        `unknown_id` when there is no such part.
    """
    for name in names:
        matte, _, part = name.partition(":")
        if any(p.id == name for p in shot.placements):
            shot = shot.model_copy(update={"placements": [p.model_copy(update={"on": p.on and p.id != name}) for p in shot.placements]})
        elif any(m.id == matte for m in shot.mattes):
            shot = _without_parts(shot, matte, part)
        else:
            raise ShotError("unknown_id", f"There is no placement and no matte {name} in this shot.")
    return shot


def _without_parts(shot: Shot, matte_id: str, part: str) -> Shot:
    matte = shot.matte(matte_id)
    count = len(matte.parts)
    if part and (not part.isdigit() or not 1 <= int(part) <= count):
        raise ShotError("unknown_id", f"The matte {matte.name or matte.id} has parts 1 to {count}, and no part {part}.")
    off = {int(part) - 1} if part else set(range(count))
    parts = [p.model_copy(update={"on": p.on and i not in off}) for i, p in enumerate(matte.parts)]
    changed = matte.model_copy(update={"parts": parts})
    return shot.model_copy(update={"mattes": [changed if m.id == matte_id else m for m in shot.mattes]})
