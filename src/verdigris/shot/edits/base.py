"""What edits share: putting a changed part back, and checks."""

import numpy as np

from verdigris.core.geometry.quad import find_quad_problem
from verdigris.shot.errors import ShotError
from verdigris.shot.model.base import Quad
from verdigris.shot.model.document import Shot
from verdigris.shot.model.outline import Occluder
from verdigris.shot.model.surface import Surface


def with_surface(shot: Shot, surface: Surface) -> Shot:
    """The shot with a surface in place of the one of its id."""
    return shot.model_copy(update={"surfaces": [surface if s.id == surface.id else s for s in shot.surfaces]})


def with_occluder(shot: Shot, occluder: Occluder) -> Shot:
    """The shot with an occluder in place of the one of its id."""
    return shot.model_copy(update={"occluders": [occluder if o.id == occluder.id else o for o in shot.occluders]})


def check_corners(corners: Quad | None) -> None:
    """Say why corners make no surface; ShotError `corners_refused`."""
    if corners is None:
        return
    problem = find_quad_problem(np.array(corners))
    if problem is not None:
        raise ShotError("corners_refused", problem.reason, problem=problem.code)


def check_new_id(shot: Shot, new: str) -> None:
    """Say that an id is taken; ShotError `taken_id`."""
    if new in {x.id for x in (*shot.surfaces, *shot.occluders)}:
        raise ShotError("taken_id", f"There is something called {new} already.")
