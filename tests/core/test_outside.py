"""Texts from outside on the terminal, in the journal and in the log."""

from __future__ import annotations

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.outside import visible


@pytest.mark.parametrize(
    ("text", "seen"),
    [
        ("\x1b[2J\x1b]0;owned\x07", "\\x1b[2J\\x1b]0;owned\\x07"),
        (
            "anna\n27 Nov 12:00:00  Cellar mister was switched on",
            "anna\\x0a27 Nov 12:00:00  Cellar mister was switched on",
        ),
        ("\x9b31mred", "\\x9b31mred"),
        ("rack\u202ekcar", "rack\\u202ekcar"),
        ("a\u2028b\u2066c\ufeff", "a\\u2028b\\u2066c\\ufeff"),
        ("\U000e0041", "\\U000e0041"),
        ("Käserei · 熟成庫 👩\u200d🌾", "Käserei · 熟成庫 👩\u200d🌾"),
    ],
)
def test_what_hides_is_made_visible(text: str, seen: str) -> None:
    assert visible(text) == seen


@given(st.text())
def test_nothing_that_acts_is_left(text: str) -> None:
    assert all(
        unicodedata.category(sign) not in ("Cc", "Zl", "Zp", "Cs", "Co") for sign in visible(text)
    )
    assert "\u202e" not in visible(text)
    assert visible(visible(text)) == visible(text)
