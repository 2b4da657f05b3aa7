"""Two ways at once: the same answers, whatever goes wrong on either."""

import threading
from collections.abc import Callable, Iterator

import cv2
import numpy as np
import pytest

from verdigris.media.reader import open_media
from verdigris.runs.follow.both_ways import both_ways
from verdigris.runs.follow.surface import follow_surface
from verdigris.shot.model.document import parse_shot


def way_of(values: range) -> Callable[[Callable[[], bool]], Iterator[int]]:
    return lambda ended: iter(values)


def test_each_way_keeps_its_order_and_nothing_is_left_out():
    for here, there in ((range(40), range(100, 103)), (range(2), range(100, 160)), (range(0), range(5)), (range(5), range(0))):
        came = list(both_ways(iter(here), way_of(there)))
        assert [x for x in came if x in here] == list(here)
        assert [x for x in came if x in there] == list(there)
        assert len(came) == len(here) + len(there)


def test_what_goes_wrong_on_either_way_is_raised_and_the_other_one_ends():
    gone: list[int] = []

    def endless(ended) -> Iterator[int]:
        n = 0
        while not ended():
            n += 1
            gone.append(n)
            yield n

    def broken(ended=None) -> Iterator[int]:
        yield 1
        raise ValueError("no further")

    with pytest.raises(ValueError, match="no further"):
        list(both_ways(broken(), endless))
    with pytest.raises(ValueError, match="no further"):
        list(both_ways(iter(range(3)), broken))
    one = both_ways(iter(range(1000)), endless)
    next(one)
    one.close()
    assert not any(t.name == "the other way" for t in threading.enumerate())
    assert gone


def test_a_surface_is_followed_both_ways_at_once_to_the_last_digit(plate, tmp_path):
    folder = tmp_path / "plate"
    folder.mkdir()
    for n, values in enumerate(plate.frames[18:42]):
        grey = np.repeat((values * 65535).astype(np.uint16)[..., None], 3, axis=2)
        cv2.imwrite(str(folder / f"p.{n:04d}.png"), grey)
    corners = [[float(v) for v in p] for p in plate.corners_at(30)]
    surface = {"id": "s", "name": "S", "reference_frame": 12, "corners": corners}
    shot = parse_shot({"format": "verdigris.shot", "version": 2, "plate": {"path": "plate", "rate": "24/1"}, "surfaces": [surface]})

    def followed(**how):
        with open_media(folder) as reader:
            return [(s.result.frame, s.again, s.result) for s in follow_surface(reader, shot, shot.surfaces[0], **how)]

    opened: list[int] = []

    def again():
        opened.append(1)
        return open_media(folder)

    plain, both = followed(), followed(again=again)
    assert opened == [1]
    assert [n for n, later, _ in both if not later and n > 12] == list(range(13, 24))
    assert [n for n, later, _ in both if not later and n < 12] == list(range(11, -1, -1))
    assert len(plain) == len(both)
    for n, later, result in plain:
        (same,) = [r for m, also, r in both if m == n and also == later]
        assert np.array_equal(result.homography, same.homography)
        assert np.array_equal(result.sigma_px, same.sigma_px)
    (stopped,) = [followed(again=again, stop=lambda: True)]
    assert [n for n, *_ in stopped] == [12]
