"""The contract of the history's port: one suite, on the records in memory and on the
database."""

from __future__ import annotations

import math
import random
from collections.abc import Callable

import pytest

from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from hombi.core.series import DAY_MS, FIVE_MINUTES_MS, HOUR_MS, Channel, Reading, Rollup
from hombi.core.series.past import Past
from hombi.core.series.rollup import roll
from hombi.core.series.standing import by_rows
from hombi.hub.nodes.port import NewEntity
from hombi.hub.readings.port import Row
from hombi.hub.records import Records
from tests.service import ports
from tests.service.ports import GOOD, HUMIDITY, admit, rows

# Fixtures are found by their names.
database, records = ports.database, ports.records


class TestHistory:
    def test_a_reading_is_stored_once_and_never_rewritten(self, records: Records) -> None:
        _, entities = admit(records)
        number = entities["humidity"]
        records.history.store(rows(number, 80.0, None))
        records.history.store(rows(number, 99.0, 99.0, 82.0))
        result = records.history.single(number, 0, 9_000, 9)
        assert [(r.at_ms, r.sent, r.value) for r in result] == [
            (2_000, 80.0, 80.0),
            (2_010, None, None),
            (2_020, 82.0, 82.0),
        ]
        assert result[1].quality is Quality.NO_VALUE

    def test_a_reading_of_an_entity_that_is_gone_costs_no_other(self, records: Records) -> None:
        _, entities = admit(records)
        number = entities["humidity"]
        records.history.store(rows(number + 77, 1.0) + rows(number, 80.0))
        assert len(records.history.single(number, 0, 9_000, 9)) == 1
        records.history.begin_channel(number + 77, Channel(0, KINDS["humidity"], "%", 0))

    def test_series_of_several_leave_bad_ones_and_other_channels_out(
        self, records: Records
    ) -> None:
        other = NewEntity("air", "Air", "temperature", "air", "Cel", -40.0, 85.0, False)
        _, entities = admit(records, HUMIDITY, other)
        wet, air = entities["humidity"], entities["air"]
        bad: list[Row] = [(wet, 2_500, 0, 200.0, 200.0, int(Quality.OUT_OF_RANGE))]
        records.history.store(rows(wet, 80.0, 82.0, None) + bad + rows(air, 11.0, channel=1))
        (first, second), width = records.history.series(
            [Past(wet, [0]), Past(air, [0])], 2_000, 3_000, 2
        )
        assert width == 500
        assert [(p.at_ms, p.mean, p.low, p.high, p.count) for p in first] == [
            (2_250, 81.0, 80.0, 82.0, 2)
        ]
        assert second == []
        numbers = records.history.numbers(Past(wet, [0]), 0, 9_000)
        assert (numbers.mean, numbers.low, numbers.high, numbers.count) == (81.0, 80.0, 82.0, 2)
        empty = records.history.numbers(Past(air, [0]), 0, 9_000)
        assert (empty.mean, empty.low, empty.high, empty.count) == (None, None, None, 0)

    def test_changes_begin_with_what_was_so_and_leave_repeats_and_bad_ones_out(
        self, records: Records
    ) -> None:
        number = admit(records, HUMIDITY)[1]["humidity"]
        values = [(50, 0.0), (100, 0.0), (150, 1.0), (200, 1.0), (250, 1.0), (300, 0.0)]
        stored: list[Row] = [(number, at, 0, v, v, int(Quality.GOOD)) for at, v in values]
        stored += [(number, 170, 0, 0.0, 0.0, int(Quality.STUCK)), (number, 180, 7, 0.0, 0.0, 0)]
        stored += [(number, 190, 0, None, None, int(Quality.NO_VALUE))]
        records.history.store(stored)

        def changes(start: int, end: int, limit: int = 9) -> list[tuple[int, float]]:
            return records.history.changes(Past(number, [0]), start, end, limit)

        assert changes(0, 400) == [(50, 0.0), (150, 1.0), (300, 0.0)]
        assert changes(160, 400) == [(160, 1.0), (300, 0.0)]
        assert changes(210, 240) == [(210, 1.0)]
        assert changes(0, 40) == []
        assert changes(0, 400, 2) == [(50, 0.0), (150, 1.0)]

    def test_the_past_is_rewritten_and_samples_stay(self, records: Records) -> None:
        _, entities = admit(records)
        number = entities["humidity"]
        records.history.store(rows(number, 1.0, 2.0, 3.0, 4.0, 5.0))
        before = records.history.single(number, 2_010, 2_040, 9)
        after = [Reading(0, 9, -1.0, 2 * (old.value or 0), Quality.SPIKE) for old in before]
        records.history.rewrite(number, before, after)
        result = records.history.single(number, 0, 9_000, 9)
        assert [r.value for r in result] == [1.0, 4.0, 6.0, 8.0, 5.0]
        assert [r.sent for r in result] == [1.0, 2.0, 3.0, 4.0, 5.0]
        assert {r.channel for r in result} == {0}
        assert [r.quality is Quality.SPIKE for r in result] == [False, True, True, True, False]

    def test_a_failed_rewrite_changes_nothing(self, records: Records) -> None:
        _, entities = admit(records)
        number = entities["humidity"]
        records.history.store(rows(number, 1.0, 2.0))
        before = records.history.single(number, 0, 9_000, 9)
        after = [Reading(one.at_ms, 0, 1.0, 7.0) for one in before]
        with pytest.raises(ValueError, match="zip"):
            records.history.rewrite(number, before, after[:1])
        assert [r.value for r in records.history.single(number, 0, 9_000, 9)] == [1.0, 2.0]

    def test_the_oldest_are_forgotten_in_small_steps(self, records: Records) -> None:
        _, entities = admit(records)
        number = entities["humidity"]
        records.history.store(rows(number, 1.0, 2.0, 3.0, 4.0, 5.0))
        gone = [records.history.forget(number, 2_030, at_most=2) for _ in range(3)]
        assert gone == [2, 1, 0]
        assert [r.value for r in records.history.single(number, 0, 9_000, 9)] == [4.0, 5.0]

    def test_what_is_doubted_is_told_with_its_reason(self, records: Records) -> None:
        _, entities = admit(records)
        number, history = entities["humidity"], records.history
        result = [Quality.GOOD, Quality.SPIKE, Quality.WARMING_UP, Quality.NO_VALUE]
        history.store(
            [(number, 2_000 + n, n % 3, 1.0, 1.0, int(one)) for n, one in enumerate(result)]
        )
        assert history.doubts(Past(number, [0, 1]), 0, 9_000, 9) == [
            (2_001, Quality.SPIKE),
            (2_003, Quality.NO_VALUE),
        ]
        assert history.doubts(Past(number, [0, 1, 2]), 2_002, 9_000, 1) == [
            (2_002, Quality.WARMING_UP)
        ]

    def test_a_span_is_replaced_as_a_whole(self, records: Records) -> None:
        _, entities = admit(records)
        number, history = entities["humidity"], records.history
        history.store(rows(number, 1.0, 2.0, 3.0, 4.0))
        history.replace(number, 2_010, 2_030, rows(number, 9.0, start=2_015))
        result = [(r.at_ms, r.value) for r in history.single(number, 0, 9_000, 9)]
        assert result == [(2_000, 1.0), (2_015, 9.0), (2_030, 4.0)]

    def test_the_latest_reading_is_never_forgotten(self, records: Records) -> None:
        _, entities = admit(records)
        number = entities["humidity"]
        records.history.store(rows(number, 1.0, 2.0))
        assert records.history.forget(number, 9_000) == 1
        assert records.history.forget(number, 9_000) == 0
        assert [r.value for r in records.history.single(number, 0, 9_000, 9)] == [2.0]
        result = records.history.before(number, 9_000)
        assert (result and result.value, records.history.before(number, 2_010)) == (2.0, None)
        assert [records.history.first_at(number, at) for at in (0, 2_010, 2_011)] == [
            2_010, 2_010, None,
        ]  # fmt: skip

    @pytest.mark.parametrize(
        ("values", "from_ms", "since"),
        [
            ((0.0, 1.0, 1.0, 1.0), 0, 2_010),
            ((1.0, 1.0, 1.0), 0, 2_000),
            ((1.0, 1.0, 1.0), 2_005, 0),
            ((0.0, 1.0, None, 1.0), 0, 2_030),
            ((0.0, 0.0, 1.0), 0, 2_020),
            ((1.0,), 0, 2_000),
        ],
    )
    def test_since_when_a_state_stands(
        self, records: Records, values: tuple[float | None, ...], from_ms: int, since: int
    ) -> None:
        _, entities = admit(records)
        number, history = entities["humidity"], records.history
        history.store(rows(number, *values))
        latest = history.before(number, 9_000)
        assert latest is not None
        assert history.since(Past(number, [0]), latest, from_ms) == since

    def test_rollups_are_kept_and_replaced(self, records: Records) -> None:
        _, entities = admit(records)
        number, history = entities["humidity"], records.history
        first = Rollup(0, 0, 3, 79.0, 80.0, 81.0, 80.5, 9)
        second = Rollup(HOUR_MS, 0, 1, 70.0, 70.0, 70.0, 70.0, 5)
        other = Rollup(HOUR_MS, 1, 1, 71.0, 71.0, 71.0, 71.0, 5)
        history.put_rollups(number, HOUR_MS, 0, 3 * HOUR_MS, [second, other, first])
        history.put_rollups(number, 10 * HOUR_MS, 0, 1, [first])
        assert history.rollups(number, HOUR_MS, 0, 2 * HOUR_MS) == [first, second, other]
        assert history.rolled_until(number) == 2 * HOUR_MS
        better = Rollup(0, 0, 4, 78.0, 80.0, 82.0, 80.5, 9)
        history.put_rollups(number, HOUR_MS, 0, HOUR_MS, [better])
        history.put_rollups(number + 77, HOUR_MS, 0, HOUR_MS, [better])
        assert history.rollups(number, HOUR_MS, 0, 2 * HOUR_MS) == [better, second, other]
        assert history.rollups(number, HOUR_MS, 1, HOUR_MS) == []
        history.put_rollups(number, HOUR_MS, 0, 9 * HOUR_MS, [])
        assert history.rolled_until(number) == 0

    def test_hours_are_marked_once_and_their_entity_must_be_there(self, records: Records) -> None:
        _, entities = admit(records)
        number, history = entities["humidity"], records.history
        history.mark_stale([(number, HOUR_MS), (number, 0), (number + 77, 0)])
        history.mark_stale([(number, 0)])
        assert history.stale(9) == [(number, 0), (number, HOUR_MS)]
        assert history.stale(1) == [(number, 0)]
        history.forget_stale([(number, 0), (number, 5)])
        assert history.stale(9) == [(number, HOUR_MS)]

    def test_dates_are_put_right_a_few_at_a_time(self, records: Records) -> None:
        _, entities = admit(records)
        number = entities["humidity"]
        records.history.store(rows(number, 1.0, 2.0, 3.0, 4.0, 5.0))
        records.history.store(rows(number, 9.0, start=2_055))
        end, moved = 2_050, []
        while times := records.history.shift(number, 2_000, end, 25, at_once=2):
            moved.append(times)
            end = times[0]
        assert moved == [[2_030, 2_040], [2_010, 2_020], [2_000]]
        result = [(one.at_ms, one.value) for one in records.history.single(number, 0, 9_000, 99)]
        # The 4 comes where the 9 is, and goes behind it.
        assert result == [
            (2_025, 1.0), (2_035, 2.0), (2_045, 3.0), (2_055, 9.0), (2_056, 4.0), (2_065, 5.0),
        ]  # fmt: skip


@pytest.mark.parametrize("kind", ["humidity", "contact", "wind-direction"])
def test_series_that_are_read_piece_by_piece_are_those_of_the_whole(
    database: Callable[[], Records], monkeypatch: pytest.MonkeyPatch, kind: str
) -> None:
    records = database()
    _, entities = admit(records)
    number, history = entities["humidity"], records.history
    times = random.Random(5)
    at_ms, readings = 1_000, []
    for n in range(400):
        at_ms += times.choice((1, 900, 20_000, 400_000))
        value = float(n % 2) if kind == "contact" else (n * 47 % 80 - 40.0) % 360
        quality = Quality.STUCK if n % 50 == 49 else Quality.GOOD
        readings.append((number, at_ms, n % 3 // 2, None, value, int(quality)))
    history.store(readings)
    past = Past(number, [0], KINDS[kind].arithmetic)
    # They hold alike: how long is estimated from what is read at once.
    monkeypatch.setattr("hombi.service.records.history.hold_ms", lambda *_: 30_000.0)
    spans = [(0, at_ms + 5_000, 7), (readings[90][1], readings[300][1], 100)]
    whole = [(history.series([past], *span), history.numbers(past, *span[:2])) for span in spans]
    for at_once in (2, 3, 50):
        monkeypatch.setattr("hombi.service.records.history.AT_ONCE", at_once)
        for span, (((points,), _), sums) in zip(spans, whole, strict=True):
            ((now,), _) = history.series([past], *span)
            assert [(p.at_ms, p.count) for p in now] == [(p.at_ms, p.count) for p in points]
            for a, b in zip(now, points, strict=True):
                # Of directions, each piece counts as one (decision 39).
                near = 1e-6 if past.arithmetic.ordered else 3.0
                assert past.arithmetic.difference(a.mean, b.mean) == pytest.approx(0, abs=near)
                assert (a.low, a.high) == (pytest.approx(b.low), pytest.approx(b.high))
            assert history.numbers(past, *span[:2]).count == sums.count


def test_series_of_rollups_are_those_of_the_readings(
    database: Callable[[], Records],
) -> None:
    records = database()
    _, entities = admit(records)
    number, history = entities["humidity"], records.history
    step, end = 10_000, 6 * HOUR_MS
    readings = [
        Reading(at, 0, 50.0 + (at // step) % 7, 50.0 + (at // step) % 7)
        for at in range(0, end, step)
    ]
    history.store([(number, r.at_ms, 0, r.sent, r.value, GOOD) for r in readings])
    spans = [(0, end, 36), (0, end, 6), (HOUR_MS // 2, end - 7_000, 300)]
    plain = [history.series([Past(number, [0])], *span) for span in spans]
    sums = history.numbers(Past(number, [0]), 1_000, end - 1_000)
    # Rolled up to four hours; the other two are still made of readings.
    for width in (FIVE_MINUTES_MS, HOUR_MS):
        result = roll(readings, range(0, 4 * HOUR_MS + 1, width), 60_000)
        history.put_rollups(number, width, 0, 4 * HOUR_MS, result)
    for span, ((points,), width) in zip(spans, plain, strict=True):
        ((now,), same) = history.series([Past(number, [0])], *span)
        assert same == width
        assert [p.at_ms for p in now] == [p.at_ms for p in points]
        for a, b in zip(now, points, strict=True):
            assert a.mean == pytest.approx(b.mean, abs=0.2)
            assert (a.low, a.high) == (b.low, b.high)
        assert sum(p.count for p in now) == sum(p.count for p in points)
    again = history.numbers(Past(number, [0]), 1_000, end - 1_000)
    assert (again.low, again.high, again.count) == (sums.low, sums.high, sums.count)
    assert again.mean == pytest.approx(sums.mean, abs=1e-2)
    # When the readings are gone, what is left is the rollups.
    while history.forget(number, 3 * HOUR_MS):
        pass
    ((left,), _) = history.series([Past(number, [0])], 0, end, 5_000)
    assert min(p.at_ms for p in left) < HOUR_MS
    assert sum(p.count for p in left) == len(readings)
    assert history.numbers(Past(number, [0]), 0, end).count == len(readings)


def test_how_a_state_stood_is_told_by_its_sums_where_readings_are_forgotten(
    database: Callable[[], Records],
) -> None:
    records = database()
    _, entities = admit(records)
    number, history = entities["humidity"], records.history
    # On from three hours before midnight, for thirty hours; then on for ten minutes of
    # each hour, seven minutes past.
    switched = [(21 * HOUR_MS, 1.0), (51 * HOUR_MS, 0.0)]
    for hour in range(51, 98):
        at = hour * HOUR_MS + 7 * 60_000
        switched += [(at, 1.0), (at + 600_000, 0.0)]
    history.store([(number, at, 0, value, value, GOOD) for at, value in switched])
    plain = history.stood(Past(number, [0]), 0, 99 * HOUR_MS, days=False)
    readings = history.single(number, 0, 99 * HOUR_MS, 1_000)
    for width, hours in ((HOUR_MS, 97), (DAY_MS, 96)):
        result = roll(readings, range(0, hours * HOUR_MS + 1, width), math.inf)
        history.put_rollups(number, width, 0, hours * HOUR_MS, result)
    while history.forget(number, 90 * HOUR_MS):
        pass
    for width, days in ((HOUR_MS, False), (DAY_MS, True)):
        bounds = range(0, 99 * HOUR_MS + width, width)
        left = by_rows(history.stood(Past(number, [0]), 0, 99 * HOUR_MS, days=days), bounds)
        assert left == by_rows(plain, bounds)
    assert [round(one.on_ms / 60_000) for one in left] == [180, 1_440, 180 + 210, 240, 20]
    assert history.stood(Past(number, [1]), 0, 99 * HOUR_MS, days=True) == []
