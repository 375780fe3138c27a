"""One place of a text is changed, and nothing beside it."""

from __future__ import annotations

import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.automation.edit import EditError, with_value

TEXT = """# The rinds crack.
name = "Cellar too dry"   # as it is called

[watch]
  entity = 'cellar-rack/humidity'
under="82 %"  # not 80
held = "10 min"

[only]   # by day
between = "06:00-22:00"


[[starts]]
switch = "mister/switch"
to = "on"
"""
ODD = [
    TEXT,
    TEXT.replace("\n", "\r\n"),
    TEXT.rstrip("\n"),
    TEXT.replace("  entity", "\t\tentity").replace("# not 80", "# ä °C 🧀"),
    'watch.under = "82 %"\nname = "x"\n',
    'name = "x"',
]


def test_only_that_place_changes() -> None:
    changed = with_value(TEXT, ("watch", "under"), "80.5 %")
    assert changed == TEXT.replace('under="82 %"', 'under="80.5 %"')
    assert with_value(TEXT, ("watch", "entity"), "a/b") == TEXT.replace(
        "'cellar-rack/humidity'", "'a/b'"
    )
    assert with_value(TEXT, ("starts", 0, "to"), "off") == TEXT.replace('"on"', '"off"')
    assert tomllib.loads(with_value(TEXT, ("name",), 'say "a\\b"\x07'))["name"] == 'say "a\\b"\x07'


def test_a_key_comes_after_the_last_of_its_table_and_goes_with_its_line() -> None:
    more = with_value(TEXT, ("watch", "until"), "86 %")
    assert more == TEXT.replace('held = "10 min"\n', 'held = "10 min"\nuntil = "86 %"\n')
    assert with_value(more, ("watch", "until"), None) == TEXT
    less = with_value(TEXT, ("watch", "under"), None)
    assert less == TEXT.replace('under="82 %"  # not 80\n', "")
    assert with_value(TEXT, ("watch", "lost"), None) == TEXT
    table = with_value('name = "x"\n', ("only", "between"), "06:00-22:00")
    assert table == 'name = "x"\n\n[only]\nbetween = "06:00-22:00"\n'


@pytest.mark.parametrize("text", ODD)
@given(value=st.text(max_size=20))
def test_a_change_and_its_opposite_give_the_first_text_back(text: str, value: str) -> None:
    value = value.encode(errors="replace").decode()
    before = tomllib.loads(text)
    for path in (("watch", "under"), ("name",)):
        first = before.get("watch", {}).get("under") if len(path) == 2 else before["name"]
        if first is None:
            continue
        there = with_value(text, path, value)
        data = tomllib.loads(there)
        assert (data["watch"]["under"] if len(path) == 2 else data["name"]) == value
        assert with_value(there, path, first) == text
    if "[watch]" in text:
        more = with_value(text, ("watch", "until"), value)
        assert tomllib.loads(more)["watch"]["until"] == value
        assert with_value(more, ("watch", "until"), None) == text


def test_what_cannot_be_changed_so_is_said() -> None:
    for text, path, value, said in (
        ("name = ", ("name",), "x", "the text is not sound"),
        ('watch = { under = "82 %" }', ("watch", "under"), None, "within a line"),
        ('watch = { under = "82 %" }', ("watch", "held"), "1 min", "within a line"),
        ('name = "x"', ("starts", 0, "to"), "on", "there is no"),
        ("[watch]", ("watch", 'x = "y"\n[starts]'), "on", "is no key"),
    ):
        with pytest.raises(EditError, match=said):
            with_value(text, path, value)
    inline = 'watch = { under = "82 %" }'
    assert with_value(inline, ("watch", "under"), "80 %") == 'watch = { under = "80 %" }'
