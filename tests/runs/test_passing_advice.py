"""A post that passes in front of a sign, as a film: found, outlined with keys, and taken over as an occluder."""

import cv2
import numpy as np
import pytest

from tests.plates import make_plate, passed_by, post_at, write_plate
from verdigris.runs.advice.followed import advise_exclusions, disagreement_facts
from verdigris.runs.advice.matte_proposal import propose_matte
from verdigris.runs.follow.surface import follow_surface
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.mattes import plan_matte
from verdigris.runs.scene.regions import unusable_at
from verdigris.shot.model.document import Shot
from verdigris.shot.model.matte import Matte
from verdigris.shot.model.media import Plate
from verdigris.shot.model.outline import Occluder
from verdigris.shot.model.surface import Surface

COUNT, REFERENCE = 16, 0


@pytest.fixture(scope="module")
def plate():
    return make_plate(count=COUNT, reference=REFERENCE, noise=0.003)


@pytest.fixture(scope="module")
def passing(plate, tmp_path_factory):
    """The film with the post, the shot, its track, and what is advised."""
    folder = tmp_path_factory.mktemp("passing")
    write_plate(folder / "plate.mp4", passed_by(plate, 2, 15))
    quad = tuple((float(x), float(y)) for x, y in plate.corners)
    shot = Shot(plate=Plate(path="plate.mp4"), surfaces=[Surface(id="s", name="Sign", reference_frame=REFERENCE, corners=quad)])
    results = {}
    with OpenShot(shot, folder) as opened:
        for step in follow_surface(opened.plate, shot, shot.surfaces[0]):
            results[step.result.frame] = step.result
        found = advise_exclusions(opened.plate, shot, shot.surfaces[0], {}, results, 0, COUNT - 1)
    return folder, shot, results, found


def test_the_post_is_outlined_where_the_film_shows_it(passing, plate):
    _, _, results, found = passing
    assert found[0].kind == "passing"
    for key in found[0].keys:
        left, right = post_at(key.frame)
        at = plate.corners_at(key.frame)
        left, right = max(left, at[:, 0].min()), min(right, at[:, 0].max())
        # Tiles are some 20 px wide here.
        assert key.points[:, 0].mean() == pytest.approx((left + right) / 2, abs=22)
    assert results[REFERENCE].corners is not None


def test_what_is_advised_is_an_occluder_that_hides_the_post(passing, plate):
    _, shot, results, found = passing
    facts = disagreement_facts(found[0])
    occluder = Occluder(id="post", name="Post", depth=-1, rides="s", span=facts["frames"], keys=facts["keys"])
    with_it = shot.model_copy(update={"occluders": [occluder]})
    height, width = plate.frames[0].shape
    shares = []
    for key in occluder.keys:
        hidden = unusable_at(with_it, with_it.surfaces[0], {}, results, key.frame, width, height)
        sign = cv2.fillConvexPoly(np.zeros((height, width), np.uint8), np.round(plate.corners_at(key.frame)).astype(np.int32), 1) > 0
        left, right = post_at(key.frame)
        post = sign & (np.arange(width) >= left) & (np.arange(width) < right)
        if post.sum() > 2000:
            shares.append(float((hidden & post).sum() / post.sum()))
            assert (hidden & sign & ~post).sum() < 0.35 * sign.sum()
    assert len(shares) >= 3
    assert np.median(shares) > 0.7


def test_facts_go_out_as_plain_numbers(passing):
    facts = disagreement_facts(passing[3][0])
    assert isinstance(facts["outline"][0][0], float)
    assert {len(k["points"]) for k in facts["keys"]} == {len(facts["keys"][0]["points"])}
    assert [k["frame"] for k in facts["keys"]] == sorted(k["frame"] for k in facts["keys"])


def test_a_matte_is_proposed_that_covers_the_post_and_little_else(passing, plate):
    folder, shot, results, _ = passing
    with OpenShot(shot, folder) as opened:
        told = propose_matte(opened.plate, shot, shot.surfaces[0], {}, results)
        assert told is not None
        assert 0.5 <= told.sureness <= 1
        matte = Matte.model_validate({"id": "m", "surface": "s", "parts": told.parts})
        with_it = shot.model_copy(update={"mattes": [matte]})
        right = []
        for n in range(told.frames[0], told.frames[1] + 1):
            picture = opened.plate.frame(n)
            cover = opened.mattes.draw(plan_matte(with_it, matte, {"s": results}, n, (picture.width, picture.height)), picture)
            drawn = cover.within((0, 0, picture.width, picture.height))
            sign = cv2.fillConvexPoly(np.zeros(drawn.shape, np.uint8), np.round(plate.corners_at(n)).astype(np.int32), 1) > 0
            left, stop = post_at(n)
            post = sign & (np.arange(drawn.shape[1]) >= left) & (np.arange(drawn.shape[1]) < stop)
            if post.sum() > 2000:
                right.append((drawn[post].mean(), drawn[sign & ~post].mean()))
        covered, beside = np.median(right, axis=0)
        assert covered > 0.7
        assert beside < 0.15
