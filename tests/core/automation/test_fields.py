"""Form and text are two views of one text."""

from __future__ import annotations

import tomllib

from hypothesis import given
from hypothesis import strategies as st

from hombi.core.automation.edit import with_value
from hombi.core.automation.fields import fields_of

TEXT = """# mine
name = "Cellar too dry"

[watch]
entity = 'cellar-rack/humidity'  # the upper one
under = "82 %"

[[starts]]
switch = "mister/switch"
to = "on"
for = "5 min"
[[starts]]
wait = "10 min"
[[starts]]
notify = "everyone"
title = "Dry"\r
"""


def test_the_values_of_a_text_with_their_places() -> None:
    result = [(one.path, one.label, one.value) for one in fields_of(TEXT)]
    assert result == [
        (("name",), "Name", "Cellar too dry"),
        (("watch", "under"), "cellar-rack/humidity under", "82 %"),
        (("watch", "until"), "Until it is back at", ""),
        (("watch", "held"), "Held for", ""),
        (("watch", "until_held"), "Back for", ""),
        (("only", "between"), "Only between", ""),
        (("starts", 0, "to"), "When it starts: mister/switch to", "on"),
        (("starts", 0, "for"), "When it starts: for", "5 min"),
        (("starts", 0, "confirmed"), "When it starts: wait until it is done, at most", ""),
        (("starts", 1, "wait"), "When it starts: wait", "10 min"),
        (("starts", 2, "title"), "When it starts: tell everyone", "Dry"),
    ]
    sure = with_value(TEXT, ("starts", 0, "confirmed"), "30 s")
    (otherwise,) = (one for one in fields_of(sure) if one.path[-1] == "otherwise")
    assert otherwise.label == "When it starts: if it is not done, stop or go on"
    assert with_value(with_value(sure, otherwise.path, "go on"), otherwise.path, None) == sure
    over = with_value(TEXT, ("starts", 0, "to"), "other")
    assert "confirmed" not in [one.path[-1] for one in fields_of(over)]
    assert fields_of("name = ") == []
    for odd in ("watch = 3", "starts = 3", "[only]\nbetween = 3", "[watch]\nover = 3", "[starts]"):
        fields_of(odd)


@given(
    st.lists(
        st.tuples(
            st.integers(0, 10), st.text(st.characters(exclude_categories=["Cs"]), min_size=1)
        ),
        min_size=1,
        max_size=8,
    )
)
def test_any_edits_and_their_opposites_give_the_first_text_back(
    edits: list[tuple[int, str]],
) -> None:
    text, undo = TEXT, []
    for place, value in edits:
        fields = fields_of(text)
        field = fields[place % len(fields)]
        if field.path == ("only", "between") and not field.value:
            continue  # a table that was not there comes, and stays as an empty one
        undo.append((field.path, field.value or None))
        text = with_value(text, field.path, value)
        data = tomllib.loads(text)
        for key in field.path:
            data = data[key]  # type: ignore[index]
        assert data == value
    for path, before in reversed(undo):
        text = with_value(text, path, before)
    assert text == TEXT


def test_both_limits_of_a_range_are_fields_of_their_own() -> None:
    text = '[watch]\nentity = "rack/humidity"\nwithin = [ "60 %", "70 %" ] # x\nheld = "5 min"\n'
    fields = {one.path: one for one in fields_of(text)}
    assert fields["watch", "within", 0].value == "60 %"
    assert fields["watch", "within", 1].value == "70 %"
    assert fields["watch", "held"].value == "5 min"
    assert with_value(text, ("watch", "within", 1), "72 %") == text.replace("70 %", "72 %")
