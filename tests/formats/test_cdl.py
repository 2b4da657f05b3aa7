"""Colour decision lists are read and written as the standard has them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from verdigris.formats.cdl import Cdl, read_cdl, write_cdl
from verdigris.formats.errors import FormatError

number = st.floats(0.01, 8, allow_nan=False).map(lambda v: float(f"{v:.6g}"))
three = st.tuples(number, number, number)


@given(three, three, three, number)
def test_what_is_written_is_read_again(slope, offset, power, saturation):
    grade = Cdl(slope, offset, power, saturation)
    assert read_cdl(write_cdl(grade)) == grade


def test_a_list_of_several_gives_its_first_and_what_is_left_out_is_neutral():
    text = """<ColorDecisionList xmlns="urn:ASC:CDL:v1.01"><ColorDecision><ColorCorrection id="a">
    <SOPNode><Slope>1.1 1 0.9</Slope><Offset>0.01 0 -0.01</Offset></SOPNode></ColorCorrection></ColorDecision>
    <ColorDecision><ColorCorrection id="b"><SOPNode><Slope>2 2 2</Slope></SOPNode></ColorCorrection></ColorDecision></ColorDecisionList>"""
    assert read_cdl(text) == Cdl((1.1, 1.0, 0.9), (0.01, 0.0, -0.01), (1.0, 1.0, 1.0), 1.0)


@pytest.mark.parametrize(
    "text",
    ["", "slope 1", "<a/>", "<c><Slope>1 1</Slope></c>", "<c><Slope>1 1 x</Slope></c>", "<c><Slope>-1 1 1</Slope></c>",
     "<c><Slope>1 1 1</Slope><Power>0 1 1</Power></c>", '<!DOCTYPE c [<!ENTITY a "1">]><c><Slope>&a; 1 1</Slope></c>'],
)  # fmt: skip
def test_what_is_none_is_refused(text):
    with pytest.raises(FormatError):
        read_cdl(text)
