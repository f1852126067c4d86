"""Lengths with units: by definition (NIST Special Publication 811, B.8), as typed, and what is none."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plodek.core.errors import BadValue
from plodek.core.units import METRES, factor, length

UNITS = st.sampled_from(sorted(METRES))


def test_the_foot_has_twelve_inches_of_25_point_4_millimetres():
    assert factor("ft", "in") == pytest.approx(12, rel=1e-15)
    assert factor("in", "mm") == pytest.approx(25.4, rel=1e-15)
    assert factor("ft", "m") == 0.3048


@given(UNITS, UNITS, UNITS)
def test_factors_go_together_and_back(a, b, c):
    assert factor(a, b) * factor(b, c) == pytest.approx(factor(a, c), rel=1e-14)
    assert factor(a, b) * factor(b, a) == pytest.approx(1, rel=1e-14)


@given(st.floats(-1e6, 1e6), UNITS, UNITS)
def test_text_with_a_unit_and_a_number_say_the_same(value, typed, unit):
    told = length(f"{value!r} {typed}", unit)
    assert told == pytest.approx(value * METRES[typed] / METRES[unit], rel=1e-14, abs=1e-300)
    assert length(value, unit) == value
    assert length(repr(value), unit) == value


@pytest.mark.parametrize(
    ("text", "metres"),
    [("6 mm", 0.006), (".5m", 0.5), ("  1e-3 ", 0.001), ("+2.ft", 0.6096), ("-3 in", -0.0762)],
)
def test_lengths_as_they_are_typed(text, metres):
    assert length(text, "m") == pytest.approx(metres, rel=1e-15)


@pytest.mark.parametrize("text", ["", "six", "6 mm 3", "1,5 m", "6 parsec", "1e400", "--1", "nan", "inf m"])
def test_what_is_no_length_is_told_with_what_helps(text):
    with pytest.raises(BadValue) as refused:
        length(text, "m")
    assert str(refused.value)
    assert refused.value.remedy


@pytest.mark.parametrize("value", [float("nan"), float("inf"), -1e300])
def test_numbers_beyond_all_use_are_refused(value):
    with pytest.raises(BadValue, match="no length"):
        length(value, "mm")
