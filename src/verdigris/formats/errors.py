"""Errors about files of tracks.

FormatError: names the file, the place, what was expected and what was found.
"""


class FormatError(Exception):
    """A file does not follow its format.

    Parameters
    ----------
    file : name of the file
    place : field or line
    expected, found : what should be there and what is
    """

    code = "bad_format"

    def __init__(self, file: str, place: str, expected: str, found: str) -> None:
        self.sentence = f"{file}, {place}: expected {expected}, found {found}."
        super().__init__(self.sentence)
        self.facts = {"file": file, "place": place, "expected": expected, "found": found}
