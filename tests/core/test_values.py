from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.errors import ValueTextError
from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from hombi.core.values import (
    parse_span_ms,
    parse_value,
    show_limit,
    show_number,
    show_since,
    show_span,
    show_value,
)


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("82 %", "humidity", 82.0),
        ("82%", "humidity", 82.0),
        ("28 °C", "temperature", 28.0),
        ("82.4 °F", "temperature", 28.0),
        ("-4.5 Cel", "temperature", -4.5),
        ("on", "switch", 1.0),
        ("Off", "switch", 0.0),
        ("open", "contact", 1.0),
        ("empty", "occupancy", 0.0),
        ("clear", "occupancy", 0.0),  # what it was called before
        ("alarm", "smoke", 1.0),
        ("smoke", "smoke", 1.0),
        ("normal", "gas", 0.0),
        ("1.2 kW", "power", 1200.0),
        ("3", "number", 3.0),
    ],
)
def test_reads_values_in_the_kinds_own_unit(text: str, kind: str, value: float) -> None:
    assert parse_value(text, KINDS[kind]) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "kind", "said"),
    [
        ("eighty", "humidity", "not a number with a unit"),
        ("82", "humidity", "lacks its unit"),
        ("82 °C", "humidity", "does not fit a humidity"),
        ("182 %", "humidity", r"beyond what a humidity can be \(0 to 100 %\)"),
        ("onn", "switch", "use 'on' or 'off'"),
        ("3 %", "number", "has no unit"),
        ("21 degrees", "temperature", "no unit 'degrees'"),
    ],
)
def test_says_what_is_wrong_with_a_value(text: str, kind: str, said: str) -> None:
    with pytest.raises(ValueTextError, match=said):
        parse_value(text, KINDS[kind])


def test_shows_values_as_people_read_them() -> None:
    assert show_value(21.44, KINDS["temperature"]) == "21.4 °C"
    assert show_value(1, KINDS["contact"]) == "open"
    assert show_value(412.6, KINDS["co2"]) == "413 ppm"
    assert show_value(5, KINDS["number"]) == "5.00"
    assert show_limit(82.0, KINDS["humidity"]) == "82 %"
    assert show_limit(27.777, KINDS["temperature"]) == "27.78 °C"


@pytest.mark.parametrize(
    ("text", "ms"),
    [
        ("10 min", 600_000),
        ("2m", 120_000),
        ("90 s", 90_000),
        ("1 h 30 min", 5_400_000),
        ("1 day", 86_400_000),
        ("250ms", 250),
    ],
)
def test_reads_lengths_of_time(text: str, ms: int) -> None:
    assert parse_span_ms(text) == ms


@pytest.mark.parametrize("text", ["", "10", "ten min", "10 mins!", "0 s", "min", "-5 s"])
def test_refuses_what_is_no_length_of_time(text: str) -> None:
    with pytest.raises(ValueTextError, match="not a length of time"):
        parse_span_ms(text)


@given(st.integers(1, 40 * 86_400))
def test_a_shown_length_reads_back_to_within_its_second_unit(seconds: int) -> None:
    shown = show_span(seconds * 1000)
    assert abs(parse_span_ms(shown) - seconds * 1000) < (
        86_400_000 if " d" in shown else 3_600_000 if " h" in shown else 60_000
    )


def test_quality_is_a_level_with_a_reason() -> None:
    assert (Quality.GOOD.level, Quality.GOOD.reason) == ("good", "")
    assert (Quality.WARMING_UP.level, Quality.WARMING_UP.reason) == ("uncertain", "warming up")
    assert (Quality.OUT_OF_RANGE.level, Quality.OUT_OF_RANGE.reason) == ("bad", "out of range")


@pytest.mark.parametrize(
    ("value", "shown"),
    [(0.8248000000000001, "0.8248"), (-1e12, "-1000000000000"), (82.0, "82"), (27.5, "27.5"),
     (1 / 3, "0.3333333333"), (1e21, "1e+21"), (0.0, "0")],
)  # fmt: skip
def test_a_number_is_shown_as_a_person_writes_it(value: float, shown: str) -> None:
    assert show_number(value) == shown


@pytest.mark.parametrize(
    ("at", "shown"),
    [
        ("2026-07-14 12:21", "12:21"),
        ("2026-07-13 23:59", "Mon 23:59"),
        ("2026-07-08 07:05", "Wed 07:05"),
        ("2026-07-07 07:05", "7 Jul 07:05"),
        ("2025-07-14 07:05", "14 Jul 07:05"),
    ],
)
def test_since_when_is_said_in_house_time(at: str, shown: str) -> None:
    zone = ZoneInfo("Europe/Berlin")
    now, then = (datetime.fromisoformat(t).replace(tzinfo=zone) for t in ("2026-07-14 13:00", at))
    assert show_since(then.timestamp() * 1000, now.timestamp() * 1000, zone) == shown
