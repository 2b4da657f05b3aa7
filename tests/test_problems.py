"""Refusals keep their code, sentence and facts on the way from one process to another."""

import pickle

import pytest

from verdigris.media.errors import MediaError
from verdigris.problem import Problem
from verdigris.runs.errors import RunError
from verdigris.shot.errors import ShotError
from verdigris.store.errors import StoreError


@pytest.mark.parametrize("kind", [MediaError, RunError, ShotError, StoreError])
def test_a_refusal_survives_the_way_to_another_process(kind: type[Problem]):
    told = kind(kind.codes[0], "Say it plainly.", frame=7)
    again = pickle.loads(pickle.dumps(told))
    assert type(again) is kind
    assert (again.code, again.sentence, again.facts, str(again)) == (kind.codes[0], "Say it plainly.", {"frame": 7}, "Say it plainly.")


def test_a_code_that_nobody_knows_is_a_mistake_of_ours():
    with pytest.raises(ValueError, match="knows no code"):
        MediaError("whatever", "Hm.")
