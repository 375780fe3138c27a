"""Tables that others have written."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.series.importing import LayoutError, layout_of, rows_of

VIENNA = ZoneInfo("Europe/Vienna")


def read(text: str, **given: str) -> list[tuple[str, float | None]]:
    """The rows of a table: times in UTC and values; mistakes as texts."""
    lines = text.splitlines(keepends=True)
    layout = layout_of(lines, VIENNA, ("humidity", "rh"), **given)
    return [
        (row.wrong or datetime.fromtimestamp(row.at_ms / 1000, UTC).strftime("%d %H:%M:%S"),
         row.value)
        for row in rows_of(lines, layout)
    ]  # fmt: skip


@pytest.mark.parametrize(
    "text",
    [
        "time,humidity\n2026-11-20T12:00:00+01:00,81.5\n2026-11-20T11:01:00Z,82\n",
        "humidity;time\n81,5;20.11.2026 12:00\n82;20.11.2026 12:01\n",
        "Date;Time;RH %;Temp\n20.11.2026;12:00:00;81,5;10,1\n20.11.2026;12:01:00;82,0;10,2\n",
        "1795172400,81.5\n1795172460,82\n",
        "ts\thumidity\n1795172400000\t81.5\n1795172460000\t82\n",
        "id,battery,humidity,when\n1,99,81.5,2026-11-20 12:00\n2,98,82,2026-11-20 12:01\n",
        '"time","humidity"\r\n"2026/11/20 12:00:00","81.5"\r\n"2026/11/20 12:01:00","82"\r\n',
        "\ufefftime,humidity\n2026-11-20 12:00,81.5\n\n2026-11-20 12:01,82\n".lstrip("\ufeff"),
    ],
)
def test_columns_in_any_order_decimal_commas_and_local_times(text: str) -> None:
    assert read(text) == [("20 11:00:00", 81.5), ("20 11:01:00", 82.0)]


def test_columns_can_be_named_and_an_order_of_days_said() -> None:
    text = "a,b,c\n3/4/2026 10:00,1.5,7\n13/4/2026 10:00,2.5,8\n"
    with pytest.raises(LayoutError, match="say order=dmy or mdy"):
        read(text)
    with pytest.raises(LayoutError, match=r"several columns have numbers \(b, c\)"):
        read(text, order="dmy")
    assert read(text, order="dmy", value="b") == [("03 08:00:00", 1.5), ("13 08:00:00", 2.5)]
    assert read(text, order="mdy", value="3")[1][0] == "'13/4/2026 10:00' is not a time"
    assert read("x,y\n2026-11-20 12:00,5\n", time="x", value="y") == [("20 11:00:00", 5.0)]
    for wrong, said in (
        ({"value": "z"}, "there is no column 'z'; there are a, b, c"),
        ({"time": "9"}, "there is no column '9'"),
        ({"order": "ymd"}, "use dmy or mdy"),
    ):
        with pytest.raises(LayoutError, match=said):
            read(text, **{"order": "dmy", **wrong})


def test_a_wrong_line_is_named_and_the_others_follow() -> None:
    text = "time,humidity\n2026-11-20 12:00,81\nnever,82\n2026-11-20 12:02,wet\n2026-11-20 12:03\n"
    text += "2026-11-20 12:04,\n2026-11-20 12:05,nan\n2026-11-20 12:06,inf\n2026-11-20 12:07,84\n"
    assert read(text) == [
        ("20 11:00:00", 81.0),
        ("'never' is not a time", None),
        ("'wet' is not a number", None),
        ("it has 1 columns", None),
        ("20 11:04:00", None),
        ("20 11:05:00", None),
        ("'inf' is not a number", None),
        ("20 11:07:00", 84.0),
    ]


def test_the_hour_that_comes_twice_is_the_first_one_and_one_that_does_not_is_later() -> None:
    text = "time,rh\n2026-10-25 02:30,1\n2026-03-29 02:30,2\n2026-10-25 03:30,3\n"
    assert [at for at, _ in read(text)] == ["25 00:30:00", "29 01:30:00", "25 02:30:00"]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "the file is empty"),
        ("\n\n", "the file is empty"),
        ("hello\nworld\n", "no column has times"),
        ("time,note\n2026-11-20 12:00,wet\n", "no column has numbers"),
        ("\x00\x01\x02", "no column has times"),
    ],
)
def test_what_is_no_table_is_refused(text: str, said: str) -> None:
    with pytest.raises(LayoutError, match=said):
        read(text)


def test_a_line_with_a_bare_carriage_return_is_refused() -> None:
    with pytest.raises(LayoutError, match="the file is not a table"):
        layout_of(["time,rh\n", "2026-11-20 12:00\r,81\n"], VIENNA)


@given(st.text(max_size=200))
def test_any_text_is_read_or_refused(text: str) -> None:
    lines = text.splitlines(keepends=True)
    try:
        layout = layout_of(lines, UTC)
    except LayoutError:
        return
    assert all(row.line > 0 for row in rows_of(lines, layout))
