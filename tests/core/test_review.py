"""The look back against days done by hand."""

from __future__ import annotations

from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.house_time import calendar_span, moment_ms
from hombi.core.kinds import Seen
from hombi.core.series import FIVE_MINUTES_MS, HOUR_MS, Rollup
from hombi.core.series.review import (
    Looked,
    Silence,
    battery_trend,
    beyond_h,
    longest_silence,
    mould,
    standing_out,
    summary,
)

START = moment_ms(date(2026, 11, 1), 0, UTC)
DAYS = 10
PERCENT, CELSIUS = Seen("%", 0), Seen("°C", 1)


def hours(*by_hour: float, days: int = DAYS) -> list[Rollup]:
    """Days that are all alike: the means of 24 hours, or one for all."""
    day = by_hour if len(by_hour) == 24 else by_hour * 24
    return [
        Rollup(START + n * HOUR_MS, 0, 12, day[n % 24] - 1, day[n % 24], day[n % 24] + 1,
               day[n % 24], HOUR_MS)
        for n in range(24 * days)
    ]  # fmt: skip


def looked(place: str, rollups: list[Rollup], *, apart: bool = False) -> Looked:
    return Looked(f"{place}/humidity", place.capitalize(), rollups, apart)


def test_a_usual_day_in_house_time_and_what_a_span_comes_to() -> None:
    day = [float(hour) for hour in range(24)]
    result = summary(hours(*day), ZoneInfo("Europe/Vienna"))
    assert result is not None
    assert (round(result.mean, 9), result.low, result.high, result.known_h) == (11.5, -1, 24, 240)
    # In winter, the house's clock is one hour ahead of UTC.
    assert [(at.hour, at.median) for at in result.day][:2] == [(0, 23), (1, 0)]
    assert summary([], UTC) is None


def test_a_band_leaves_out_a_tenth_on_each_side() -> None:
    odd = hours(50.0)
    odd[0] = Rollup(START, 0, 12, 90, 90.0, 90, 90, HOUR_MS)
    result = summary(odd, UTC)
    assert result is not None
    assert (result.day[0].low, result.day[0].high, result.high) == (50, 50, 90)


def test_hours_beyond_a_limit_count_for_as_long_as_they_are_known() -> None:
    some = hours(*(70.0 if hour < 6 else 50.0 for hour in range(24)))
    some[0] = Rollup(START, 0, 6, 70, 70.0, 70, 70, HOUR_MS // 2)
    assert beyond_h(some, lambda value: value > 65) == 6 * DAYS - 0.5


def test_a_room_that_is_damp_at_night_stands_out_and_one_outside_is_no_measure() -> None:
    night = [60.0 if hour < 6 else 50.0 for hour in range(24)]
    rooms = [looked("loft", hours(*night)), looked("cellar", hours(50.5))]
    assert standing_out("humidity", PERCENT, rooms, UTC) == [], "two make no rule"
    rooms += [looked("workshop", hours(49.0)), looked("terrace", hours(95.0), apart=True)]
    (result,) = standing_out("humidity", PERCENT, rooms, UTC)
    assert result.entity == "loft/humidity"
    assert result.text.replace("\xa0", " ") == (
        "Loft is damper at night: 10 % more than by day, the others stay as they are"
    )


def test_a_level_apart_and_the_words_of_its_kind() -> None:
    rooms = [looked("loft", hours(12.0)), looked("cellar", hours(16.0))]
    rooms += [looked("workshop", hours(16.5)), looked("hen-house", hours(16.2))]
    (result,) = standing_out("temperature", CELSIUS, rooms, UTC)
    assert result.text.replace("\xa0", " ") == (
        "Loft is colder: usually 12.0 °C, the others 16.2 °C"
    )
    (seen,) = standing_out("temperature", Seen("°F", 1, 1.8, 32.0), rooms, UTC)
    assert seen.text.replace("\xa0", " ").endswith("usually 53.6 °F, the others 61.2 °F")
    assert standing_out("power", PERCENT, rooms, UTC) == []
    few = [*rooms[1:], looked("loft", hours(12.0, days=1)[:20])]
    assert standing_out("temperature", CELSIUS, few, UTC) == [], "not known for long enough"


def test_a_room_that_is_slow_to_dry() -> None:
    def rise(fall: int) -> list[Rollup]:
        """Every day at noon 20 % more, lost in a straight line."""
        return hours(*(50 + max(0, 20 - 20 * (h - 12) / fall) * (h >= 12) for h in range(24)))

    rooms = [looked("loft", rise(11)), looked("cellar", rise(3)), looked("workshop", rise(4))]
    (result,) = [f for f in standing_out("humidity", PERCENT, rooms, UTC) if "slower" in f.text]
    assert result.text.replace("\xa0", " ") == (
        "Loft is slower to come down after a rise: 6 h to half of it, the others 2 h"
    )


def test_mould_goes_by_the_mean_of_the_surface() -> None:
    assert mould(looked("corner", hours(78.0))) is None
    over = mould(looked("corner", hours(84.0)))
    assert over is not None
    assert over.text.replace("\xa0", " ") == (
        "Corner was over 80 % for 240 of 240 h, 84 % on average: mould may grow there"
    )
    swings = mould(looked("corner", hours(*(85.0 if h < 6 else 70.0 for h in range(24)))))
    assert swings is not None
    assert swings.text.endswith("mould needs a mean over 80\xa0%")


def test_a_battery_ends_on_the_day_its_trend_says() -> None:
    def battery(start: float, a_day: float) -> list[Rollup]:
        return [
            Rollup(START + n * 24 * HOUR_MS, 0, 1, 0, 0, 0, start - a_day * n, HOUR_MS)
            for n in range(20)
        ]

    result = battery_trend(battery(60.0, 1.0))
    assert result is not None
    # 41 % on the 20th: 31 days later it is at 10 %.
    assert (result.a_day, result.last) == (-1.0, 41.0)
    assert result.low_ms is not None
    assert datetime.fromtimestamp(result.low_ms / 1000, UTC).date() == date(2026, 12, 21)
    steady = battery_trend(battery(60.0, 0.0))
    assert steady is not None
    assert steady.low_ms is None
    low = battery_trend(battery(20.0, 0.6))
    assert low is not None
    assert low.low_ms is None, "it is low already"
    assert battery_trend([]) is None


def test_the_longest_silence_is_one_that_is_not_usual() -> None:
    heard = [n * FIVE_MINUTES_MS for n in range(20)]
    end = 20 * FIVE_MINUTES_MS
    assert longest_silence(heard, end) is None
    assert longest_silence([], end) is None
    gone = heard[:10] + [at + 4 * HOUR_MS for at in heard[10:]]
    assert longest_silence(gone, end + 4 * HOUR_MS) == Silence(
        10 * FIVE_MINUTES_MS, 10 * FIVE_MINUTES_MS + 4 * HOUR_MS
    )
    assert longest_silence(heard, end + HOUR_MS) == Silence(end, end + HOUR_MS), "until now"
    hourly = [n * HOUR_MS for n in range(20)]
    assert longest_silence(hourly, 20 * HOUR_MS) is None, "an hour is usual for it"


@given(
    st.dates(date(1971, 1, 1), date(2900, 1, 1)), st.sampled_from(["day", "week", "month", "year"])
)
def test_a_day_lies_in_its_span_and_spans_follow_one_another(day: date, by: str) -> None:
    first, after = calendar_span(day, by)
    assert first <= day < after
    assert calendar_span(after, by)[0] == after
    assert calendar_span(first, by) == (first, after)


@pytest.mark.parametrize(
    ("by", "first", "after"),
    [
        ("week", date(2026, 11, 23), date(2026, 11, 30)),
        ("month", date(2026, 11, 1), date(2026, 12, 1)),
        ("year", date(2026, 1, 1), date(2027, 1, 1)),
        ("day", date(2026, 11, 27), date(2026, 11, 28)),
    ],
)
def test_spans_of_the_calendar(by: str, first: date, after: date) -> None:
    assert calendar_span(date(2026, 11, 27), by) == (first, after)
