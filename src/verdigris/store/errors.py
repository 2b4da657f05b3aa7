"""Errors about what is kept.

StoreError
  with a code:
    not_found        no such project, shot, take, delivery, job or media
    stale            the shot was changed elsewhere since; what changed is among the facts
    nothing_to_undo  undo or redo without anything left
    busy             the same is being computed already
    not_ready        media that is still being read, or a delivery that is not finished
    no_database      the database cannot be reached
"""

STORE_ERROR_CODES = ("not_found", "stale", "nothing_to_undo", "busy", "not_ready", "no_database")


class StoreError(Exception):
    """Something kept cannot be found or changed.

    Parameters
    ----------
    code : one of STORE_ERROR_CODES
    sentence : what happened and what can be done, for people
    """

    def __init__(self, code: str, sentence: str, **facts: object) -> None:
        if code not in STORE_ERROR_CODES:
            raise ValueError(f"unknown store error code {code}")
        super().__init__(sentence)
        self.code, self.sentence, self.facts = code, sentence, facts
