"""Errors about media.

MediaError
  with a code:
    not_found           there is no such file or folder
    unsupported         not a film or still that is read here
    damaged             it is, but it cannot be decoded as a whole
    too_large           over a limit on bytes, pixels, frames or length
    sequence_gap        numbers missing in a numbered sequence
    sequence_mixed      sizes or kinds differ within a sequence
    rate_needed         stills carry no rate, and none was given
    no_such_frame       a frame beyond the end
    cannot_write        the result cannot be written there or in that form
"""

from verdigris.problem import Problem

MEDIA_ERROR_CODES = (
    "not_found", "unsupported", "damaged", "too_large", "sequence_gap", "sequence_mixed", "rate_needed", "no_such_frame",
    "cannot_write",
)  # fmt: skip


class MediaError(Problem):
    """Something is wrong with a film or stills."""

    codes = MEDIA_ERROR_CODES
