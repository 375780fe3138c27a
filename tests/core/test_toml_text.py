from __future__ import annotations

import pytest

from hombi.core.toml_text import Place, read_toml

TEXT = """\
# a comment
name = "x"
list = [1, 'zwei', 3]
inline = { a = 1, b = { c = 2 } }

[watch]
entity = "a/b"      # after it
deep.er = true

[[starts]]
switch = "a/b"

[[starts]]
notify = "everyone"
text = '''
long
'''
"""


@pytest.mark.parametrize(
    ("path", "line", "column"),
    [
        (("name",), 2, 8),
        (("list", 1), 3, 12),
        (("inline", "b", "c"), 4, 29),
        (("watch", "entity"), 7, 10),
        (("watch", "deep", "er"), 8, 11),
        (("starts", 0, "switch"), 11, 10),
        (("starts", 1, "notify"), 14, 10),
        (("starts", 1, "text"), 15, 8),
    ],
)
def test_knows_where_each_value_stands(path: tuple[str | int, ...], line: int, column: int) -> None:
    text = read_toml(TEXT)
    text.blame(path, "wrong")
    assert text.mistakes[0].place == Place(line, column)
    assert text.mistakes[0].source_line == TEXT.splitlines()[line - 1]


def test_blames_the_nearest_parent_of_what_is_not_there() -> None:
    text = read_toml(TEXT)
    text.blame(("starts", 1, "title"), "title is missing")
    text.blame(("nowhere",), "missing")
    assert [m.place for m in text.mistakes] == [Place(13, 3), Place(1, 1)]


def test_columns_count_letters_not_bytes() -> None:
    text = read_toml('"größe" = { "über" = "°C" }')
    text.blame(("größe", "über"), "wrong")
    assert text.mistakes[0].place == Place(1, 22)


@pytest.mark.parametrize(
    ("source", "line", "column"), [("a = \nb = 1", 1, 5), ("[x\n", 1, 3), ('a = "', 1, 6)]
)
def test_a_text_that_is_not_toml_has_one_mistake_with_its_place(
    source: str, line: int, column: int
) -> None:
    (mistake,) = read_toml(source).mistakes
    assert mistake.place == Place(line, column)
    assert mistake.what.startswith("this is not TOML")


@pytest.mark.parametrize(
    ("source", "line", "column", "said"),
    [
        ("a = 1\na = 2", 2, 1, "a stands here a second time; the first one is on line 1"),
        ("[watch]\nx = 1\n\n[watch]\n", 4, 2, "watch stands here a second time"),
        ("[watch]\nx = 1\nx = 2\n", 3, 1, "watch.x stands here a second time"),
        ("\ufeffa = 1", 1, 1, "U+FEFF, byte-order mark"),
        ("a = 1\u2028b = 2", 1, 6, "U+2028, line separator"),
        ("# one\u2028two\na =\u00a01", 2, 4, "U+00A0, no-break space"),
        ("a = " + "[" * 5_000, 1, 1, "nested too deep"),
    ],
)
def test_says_plainly_what_is_no_toml(source: str, line: int, column: int, said: str) -> None:
    mistakes = read_toml(source).mistakes
    assert mistakes[0].place == Place(line, column)
    assert said in str(mistakes[0])


def test_knows_where_things_stand_in_unusual_forms() -> None:
    text = read_toml(
        'starts = [{ switch = "a" }, { notify = "b" }]\nwatch.entity = "x"\n[[other]]\n'
    )
    for path in (("starts", 1, "notify"), ("watch",), ("watch", "entity"), ("other",)):
        text.blame(path, "wrong")
    assert [m.place for m in text.mistakes] == [
        Place(1, 40),
        Place(2, 1),
        Place(2, 16),
        Place(3, 3),
    ]


@pytest.mark.parametrize(
    ("number", "line", "column"),
    [
        ("0x" + "f" * 6_000, 2, 5),  # read by Python, and too long for it to write
        ("9" * 6_000, 2, 5),  # too long for it to read
        ("1" + "_0" * 3_000, 2, 5),
        ("[1, { y = 9_223_372_036_854_775_808 }]", 2, 15),
        ("-9_223_372_036_854_775_809", 2, 5),
    ],
)
def test_a_whole_number_beyond_64_bits_is_a_mistake(number: str, line: int, column: int) -> None:
    result = read_toml(f"a = 1\nx = {number}\n")
    (mistake,) = result.mistakes
    assert (mistake.place, mistake.what) == (Place(line, column), "this number is too large")
    assert result.data == {}
    assert len(str(mistake)) < 200


def test_the_largest_and_the_least_whole_number_are_none() -> None:
    result = read_toml(f"x = {2**63 - 1}\ny = {-(2**63)}\n")
    assert (result.mistakes, result.data) == ([], {"x": 2**63 - 1, "y": -(2**63)})
