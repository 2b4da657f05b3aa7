"""Errors about runs.

RunError
  with a code:
    cannot_follow     the plane cannot be followed at all; the reason says what to change
    not_tracked       a surface that carries artwork has no track
    nothing_placed    there is nothing to render
    no_corners        the corners of the surface are not placed
    no_evidence       too little was followed to say anything about it
    cannot_hold       corners set by hand cannot hold the track
    wrong_size        two pictures that belong together have other sizes
    bad_key           a key has no samples, or none that can be used
    not_ready         a file that is needed is not here yet
    slot_empty        a slot is named outside a project, and no artwork
"""

from verdigris.problem import Problem

RUN_ERROR_CODES = (
    "cannot_follow",
    "not_tracked",
    "nothing_placed",
    "no_corners",
    "no_evidence",
    "cannot_hold",
    "wrong_size",
    "bad_key",
    "not_ready",
    "slot_empty",
)


class RunError(Problem):
    """A run cannot begin or go on."""

    codes = RUN_ERROR_CODES
