"""Errors about shot documents.

ShotError
  with a code:
    not_a_shot        the file is not a shot document, or a field is wrong
    newer_version     written by a newer version of the program
    unknown_id        an edit names a surface or occluder that is not there
    taken_id          the id is used already
    corners_refused   crossed, flipped, mirrored or too small
    shape_refused     a polygon with too few points, or keys that differ
    frame_outside     a frame beyond the plate
"""

from verdigris.problem import Problem

SHOT_ERROR_CODES = ("not_a_shot", "newer_version", "unknown_id", "taken_id", "corners_refused", "shape_refused", "frame_outside")


class ShotError(Problem):
    """A shot document or an edit to it is not valid."""

    codes = SHOT_ERROR_CODES
