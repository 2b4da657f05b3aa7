"""Errors about files of tracks.

FormatError: names the file, the place, what was expected and what was found.
"""

from typing import Self

from verdigris.problem import Problem


class FormatError(Problem):
    """A file does not follow its format.

    Parameters
    ----------
    file : name of the file
    place : field or line
    expected, found : what should be there and what is
    """

    codes = ("bad_format",)

    def __init__(self, file: str, place: str, expected: str, found: str) -> None:
        sentence = f"{file}, {place}: expected {expected}, found {found}."
        super().__init__("bad_format", sentence, file=file, place=place, expected=expected, found=found)

    @classmethod
    def _again(cls, code: str, sentence: str, facts: dict[str, object]) -> Self:
        return cls(**facts)  # type: ignore[arg-type]
