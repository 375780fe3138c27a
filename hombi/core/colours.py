"""Colours as people write them: by a name of CSS ("teal"), or by their red, green and
blue in hexadecimal ("#008080")."""

from __future__ import annotations

import colorsys
from typing import NamedTuple

import webcolors

from hombi.core.errors import ValueTextError


class Colour(NamedTuple):
    """A colour as a lamp takes it: hue in °, saturation in %. How bright it is, is the
    lamp's level."""

    hue: float
    saturation: float


def colour_of(text: str) -> Colour | None:
    """The colour that a text names (CSS Color 3, 4.3) or writes in hexadecimal; None
    for a text that does neither. Raises ValueTextError for black, which no light has.
    """
    written = text.strip().lower().replace(" ", "")
    try:
        channels = (
            webcolors.hex_to_rgb(written)
            if written.startswith("#")
            else webcolors.name_to_rgb(written)
        )
    except ValueError:
        return None
    hue, saturation, brightness = colorsys.rgb_to_hsv(*(part / 255 for part in channels))
    if brightness == 0:
        raise ValueTextError(f"{text!r} is no light; switch the lamp off instead")
    return Colour(round(hue * 360, 1), round(saturation * 100, 1))
