"""Tables out and in again: a .cube says what the grade does."""

import numpy as np
import PyOpenColorIO as ocio  # noqa: N813
import pytest

from verdigris.formats.cube import write_cube
from verdigris.media.errors import MediaError
from verdigris.media.lut import looks_of, lut_facts, read_look, read_lut
from verdigris.media.reader import open_media
from verdigris.runs.scene.grade import graded, on_display, plan_grade
from verdigris.shot.model.match import Curves, Grade
from verdigris.shot.model.media import MediaRef

CODES = np.random.default_rng(3).uniform(0, 1, (500, 3)).astype(np.float32)


def nowhere(ref):
    raise AssertionError("no file is needed")


def test_a_written_table_is_read_as_the_grade_it_was_made_from(tmp_path):
    grade = Grade(slope=(1.1, 1.0, 0.9), saturation=0.8, curves=Curves(all=[(0, 0.05), (0.5, 0.6), (1, 0.95)], blue=[(0, 0), (1, 0.9)]))
    (tmp_path / "g.cube").write_text(write_cube(on_display(grade, nowhere), 'Quay "1"'))
    assert lut_facts(tmp_path / "g.cube", "g.cube").kind == "lut"
    expected = on_display(grade, nowhere)(CODES)
    # Entries lie 1/32 apart, between which it is read straight.
    assert read_lut(tmp_path / "g.cube")(CODES) == pytest.approx(expected, abs=0.004)
    # And a grade that is this table alone does the same to light.
    again = Grade(lut=MediaRef(path="g.cube"))
    assert on_display(again, lambda ref: tmp_path / ref.path)(CODES) == pytest.approx(expected, abs=0.005)


def test_curves_go_through_their_points_and_never_beyond_them():
    grade = Grade(curves=Curves(all=[(0.0, 0.1), (0.3, 0.1), (0.6, 0.8), (1.0, 0.8)]))
    out = on_display(grade, nowhere)(np.linspace(0, 1, 101, dtype=np.float32)[:, None].repeat(3, axis=1))[:, 0]
    assert out[[0, 30, 60, 100]] == pytest.approx([0.1, 0.1, 0.8, 0.8], abs=2e-3)
    assert out.min() > 0.098
    assert out.max() < 0.802
    assert np.diff(out).min() > -1e-4


def test_a_grade_that_says_nothing_is_not_drawn():
    assert plan_grade(None, 0) is None
    assert plan_grade(Grade(), 0) is None
    assert plan_grade(Grade(contrast=1.5, strength=0.0), 0) is None
    assert plan_grade(Grade(contrast=1.5, strength=[{"frame": 0, "value": 0}, {"frame": 10, "value": 1}]), 5).strength == pytest.approx(0.5)


def test_a_look_of_a_configuration_is_applied_to_linear_light(tmp_path):
    config = ocio.Config.CreateRaw()
    config.addColorSpace(ocio.ColorSpace(name="lin_rec709"))
    config.setRole("scene_linear", "lin_rec709")
    config.addLook(ocio.Look(name="dusk", processSpace="lin_rec709", transform=ocio.CDLTransform(slope=[0.5, 0.6, 1.2])))
    (tmp_path / "luts").mkdir()
    config.setWorkingDir(str(tmp_path))
    config.archive(str(tmp_path / "looks.ocioz"))
    path = tmp_path / "looks.ocioz"
    assert looks_of(path) == ("dusk",)
    assert lut_facts(path, "looks.ocioz").looks == ("dusk",)
    light = np.float32([[0.2, 0.3, 0.4]])
    assert read_look(path, "dusk")(light)[0] == pytest.approx([0.1, 0.18, 0.48], abs=1e-5)
    through = graded(Grade(lut=MediaRef(path="looks.ocioz"), look="dusk"), 1.0, lambda ref: path)
    assert through(light)[0] == pytest.approx([0.1, 0.18, 0.48], abs=2e-4)
    with pytest.raises(MediaError, match="no look dawn"):
        read_look(path, "dawn")


def test_what_is_no_table_is_refused_with_a_sentence(tmp_path):
    (tmp_path / "bad.cube").write_text("LUT_3D_SIZE 2\n0 0\n")
    with pytest.raises(MediaError, match=r"bad\.cube cannot be read as a table"):
        lut_facts(tmp_path / "bad.cube", "bad.cube")
    with pytest.raises(MediaError, match="It belongs into a grade"):
        open_media(tmp_path / "bad.cube")
