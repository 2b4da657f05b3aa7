"""Drawings (SVG): drawn at the size that is asked for, and refused where they would read other files."""

import numpy as np
import pytest

from verdigris.media.drawing import FONT_NOTE
from verdigris.media.errors import MediaError
from verdigris.media.reader import open_media

HALF = '<rect width="60" height="40" fill="#c83214"/>'


def svg(tmp_path, body=HALF, head='width="120" height="40"'):
    path = tmp_path / "sign.svg"
    path.write_text(f'<?xml version="1.0"?>\n<svg xmlns="http://www.w3.org/2000/svg" {head}>{body}</svg>')
    return path


def test_a_drawing_is_a_still_with_its_proportions_and_transparency(tmp_path):
    reader = open_media(svg(tmp_path))
    facts = reader.facts
    assert (facts.kind, facts.codec, facts.width, facts.height, facts.has_alpha) == ("still", "svg", 2048, 683, True)
    frame = reader.frame(0)
    assert frame.pixels[300, 500].tolist() == [200, 50, 20]
    assert frame.alpha[300, 500] == 1
    assert frame.alpha[300, 1500] == 0


def test_it_is_drawn_anew_at_the_size_it_is_seen_so_that_edges_stay_sharp(tmp_path):
    reader = open_media(svg(tmp_path))
    for longest in (120, 3001):
        reader.draw_at(longest)
        alpha = reader.frame(0).alpha
        assert alpha.shape == (reader.facts.height, reader.facts.width)
        assert reader.facts.width == longest
        assert np.count_nonzero((alpha[alpha.shape[0] // 2] > 0) & (alpha[alpha.shape[0] // 2] < 1)) <= 1


@pytest.mark.parametrize(
    ("head", "size"),
    [
        ('viewBox="0 0 30 90"', (683, 2048)),
        ('width="10mm" height="5mm"', (2048, 1024)),
        ("", (2048, 1366)),
        ('width="50%" viewBox="0 0 4 2"', (2048, 1024)),
    ],
)
def test_its_size_is_told_as_the_standard_has_it(tmp_path, head, size):
    facts = open_media(svg(tmp_path, head=head)).facts
    assert (facts.width, facts.height) == size


@pytest.mark.parametrize(
    ("body", "head", "code"),
    [
        ('<image href="/etc/hostname" width="9" height="9"/>', "", "unsupported"),
        ('<image xlink:href="http://elsewhere/x.png" width="9" height="9"/>', 'xmlns:xlink="http://www.w3.org/1999/xlink"', "unsupported"),
        ("<style>@import url(x.css);</style>", "", "unsupported"),
        ("<rect", "", "damaged"),
        ("", 'width="1000000" height="1"', "damaged"),
    ],
)
def test_what_names_other_files_or_makes_no_picture_is_refused_with_its_reason(tmp_path, body, head, code):
    with pytest.raises(MediaError) as error:
        open_media(svg(tmp_path, body, head))
    assert error.value.code == code


def test_entities_are_refused(tmp_path):
    path = tmp_path / "bomb.svg"
    path.write_text('<!DOCTYPE svg [<!ENTITY a "aaaa">]><svg xmlns="http://www.w3.org/2000/svg"><text>&a;</text></svg>')
    with pytest.raises(MediaError, match="entities"):
        open_media(path)


def test_letters_are_said_to_depend_on_the_machine(tmp_path):
    assert open_media(svg(tmp_path, '<text y="20">Pier</text>')).facts.notes == (FONT_NOTE,)
    assert open_media(svg(tmp_path)).facts.notes == ()
