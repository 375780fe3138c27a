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
        ("[watch]", ("watch", 'x = "y"\n[starts]'), "on", "is not a key"),
    ):
        with pytest.raises(EditError, match=said):
            with_value(text, path, value)
    inline = 'watch = { under = "82 %" }'
    assert with_value(inline, ("watch", "under"), "80 %") == 'watch = { under = "80 %" }'


def alike(one: str, other: str) -> int:
    """How many letters they have in common at their beginning."""
    pairs = enumerate(zip(one, other, strict=False))
    return next((n for n, (a, b) in pairs if a != b), min(len(one), len(other)))


KEYS = ["entity", "over", "under", "until", "held", "lost"]


@st.composite
def layouts(draw: st.DrawFn) -> str:
    """A sound text in one of the many ways in which TOML lets people write it."""
    ends = draw(st.sampled_from(["\n", "\r\n"]))
    gap = st.sampled_from(["", " ", "  ", "\t"])
    remark = st.sampled_from(["", "  # mine", " # ä 🧀 = [x]"])
    quote = st.sampled_from(['"', "'"])

    def pair(key: str, value: str) -> str:
        sign = draw(quote)
        equals = draw(gap) + "=" + draw(gap)
        return f"{draw(gap)}{key}{equals}{sign}{value}{sign}{draw(remark)}"

    def table(name: str, keys: list[str]) -> list[str]:
        how = draw(st.sampled_from(["header", "dotted", "spaced", "inline", "quoted"]))
        if how == "inline":
            inner = ", ".join(f'{key} = "v"' for key in keys)
            return [f"{name} = {{ {inner} }}{draw(remark)}"]
        if how == "header":
            return [f"[{name}]{draw(remark)}", *(pair(key, "v") for key in keys)]
        dot = {"dotted": f"{name}.", "spaced": f"{name} . ", "quoted": f'"{name}".'}[how]
        return [pair(dot + key, "v") for key in keys]

    keys = draw(st.lists(st.sampled_from(KEYS), min_size=1, unique=True))
    tables = [table("watch", keys)]
    if draw(st.booleans()):
        tables.append(table("only", ["between"]))
    # What stands in no table comes first.
    tables.sort(key=lambda lines: lines[0].startswith("["))
    lines = [pair("name", "x"), *(line for one in tables for line in one)]
    for number in range(draw(st.integers(0, 2))):
        lines += [f"[[starts]]{draw(remark)}", pair("switch", f"lamp-{number}/switch")]
        if draw(st.booleans()):
            lines.append(pair("to", "on"))
    spaced = [more for line in lines for more in ([line, ""] if draw(st.booleans()) else [line])]
    return ends.join(spaced) + (ends if draw(st.booleans()) else "")


@given(
    layouts(),
    st.sampled_from([
        ("name",), *(("watch", key) for key in KEYS), ("only", "between"), ("only", "home"),
        ("starts", 0, "to"), ("starts", 1, "to"), ("starts", 1, "switch"),
    ]),
    st.text(max_size=20) | st.sampled_from(["82 %", "it's", 'say "so"', "\\\\n"]),
)  # fmt: skip
def test_whatever_the_layout_one_value_changes_and_all_other_bytes_stay(
    text: str, path: tuple[str | int, ...], value: str
) -> None:
    before = tomllib.loads(text)
    try:
        after = with_value(text, path, value)
    except EditError:
        inline = isinstance(before.get(path[0]), dict) and f"{path[0]} = {{" in text
        missing = path[0] == "starts" and len(before.get("starts", [])) <= int(path[1])
        assert inline or missing, "it can be changed"
        return
    place = before
    for part in path[:-1]:
        place = place.setdefault(part, {}) if isinstance(place, dict) else place[part]
    place[path[-1]] = value
    assert tomllib.loads(after) == before
    # One stretch of bytes within a line is another, or there is one line more.
    start = alike(text, after)
    rest, fresh = text[start:][::-1], after[start:][::-1]
    gone = len(rest) - alike(rest, fresh)
    assert "\n" not in text[start : start + gone]
