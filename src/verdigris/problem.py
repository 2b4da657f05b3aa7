"""What all refusals have in common: a code for programs, a sentence for people, the facts behind it."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import ClassVar, Self


class Problem(Exception):
    """A typed refusal; it also passes from one process to another.

    Parameters
    ----------
    code : one of the class's `codes`
    sentence : what happened and what can be done, for people
    facts : figures behind it
    """

    codes: ClassVar[tuple[str, ...]] = ()

    def __init__(self, code: str, sentence: str, **facts: object) -> None:
        if code not in self.codes:
            raise ValueError(f"{type(self).__name__} knows no code {code}")
        super().__init__(sentence)
        self.code, self.sentence, self.facts = code, sentence, facts

    def of(self, part: str, name: str) -> Self:
        """The same refusal, said of the part of a shot it comes from: its id for programs, its name for people."""
        if "part" in self.facts:
            return self
        return type(self)(self.code, f"{name}: {self.sentence} Switch it off to go on without it.", **{**self.facts, "part": part})

    def __reduce__(self) -> tuple[Callable[..., Self], tuple[object, ...]]:
        return type(self)._again, (self.code, self.sentence, self.facts)

    @classmethod
    def _again(cls, code: str, sentence: str, facts: dict[str, object]) -> Self:
        return cls(code, sentence, **facts)


@contextmanager
def said_of(part: str, name: str) -> Iterator[None]:
    """Say refusals of the part of the shot that they come from."""
    try:
        yield
    except Problem as error:
        raise error.of(part, name) from error
