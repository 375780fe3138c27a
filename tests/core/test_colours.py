"""Colours by name and in hexadecimal, by the table of CSS Color 3."""

from __future__ import annotations

import pytest

from hombi.core.colours import Colour, colour_of
from hombi.core.errors import ValueTextError


@pytest.mark.parametrize(
    ("text", "colour"),
    [
        ("teal", Colour(180, 100)),
        ("Teal", Colour(180, 100)),
        ("#008080", Colour(180, 100)),
        ("#f00", Colour(0, 100)),
        ("#FF8800", Colour(32, 100)),
        ("orchid", Colour(302.3, 48.6)),
        ("light sky blue", Colour(203, 46)),
        ("white", Colour(0, 0)),
    ],
)
def test_a_colour_is_a_hue_and_a_saturation(text: str, colour: Colour) -> None:
    assert colour_of(text) == pytest.approx(colour, abs=0.1)


@pytest.mark.parametrize("text", ["", "on", "2700 K", "#12", "#gggggg", "sideways", "40 %", "#"])
def test_any_other_text_is_none(text: str) -> None:
    assert colour_of(text) is None


@pytest.mark.parametrize("text", ["black", "#000", "#000000"])
def test_black_is_no_light(text: str) -> None:
    with pytest.raises(ValueTextError, match="switch the lamp off"):
        colour_of(text)
