"""Errors about what is kept.

StoreError
  with a code:
    not_found        no such project, shot, take, delivery, job or media
    stale            the shot was changed elsewhere since; what changed is among the facts
    nothing_to_undo  undo or redo without anything left
    busy             the same is being computed already
    not_ready        media that is still being read, or a delivery that is not finished
    no_database      the database cannot be reached
    disk_full        there is no room left to write
    order_in_order   a running order that would hold itself, or another one
    superseded       another worker has taken over what this one was doing
"""

from verdigris.problem import Problem

STORE_ERROR_CODES = (
    "not_found",
    "stale",
    "nothing_to_undo",
    "busy",
    "not_ready",
    "no_database",
    "disk_full",
    "superseded",
    "order_in_order",
)


class StoreError(Problem):
    """Something kept cannot be found or changed."""

    codes = STORE_ERROR_CODES
