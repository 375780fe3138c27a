"""Telling a node whose clock is wrong from one that sends what it had buffered."""

from __future__ import annotations

import pytest

from hombi.core.node_clock import NodeClock

NOW = 1_800_000_000_000
HOUR = 3_600_000


@pytest.mark.parametrize("behind", [12 * 60_000, HOUR, -HOUR, 56 * 365 * 24 * HOUR])
@pytest.mark.parametrize("every_ms", [1_000, 10_000, 600_000])
def test_a_clock_that_is_wrong_is_learnt_within_seconds(behind: int, every_ms: int) -> None:
    clock = NodeClock()
    for pack in range(7):
        now = NOW + pack * every_ms
        stamp = (now - behind) // 1000 * 1000  # it counts whole seconds
        clock.learn(stamp, now)
    assert clock.wrong
    assert clock.offset_ms == pytest.approx(behind, abs=1_500)
    assert clock.is_live(stamp, now)
    assert abs(clock.hub_time(stamp) - now) < 2_000
    assert not clock.is_live(stamp - 3 * HOUR, now), "what it had buffered keeps its stamp"


@pytest.mark.parametrize(
    ("every_ms", "stamped_every_ms"), [(10, 1_000), (10, 60_000), (1_000, 10_000), (2_000, 60_000)]
)
def test_what_was_buffered_is_no_wrong_clock(every_ms: int, stamped_every_ms: int) -> None:
    clock = NodeClock()
    for pack in range(200):
        clock.learn(NOW - 10 * HOUR + pack * stamped_every_ms, NOW + pack * every_ms)
    assert not clock.wrong


def test_a_clock_that_is_set_right_is_right_at_once() -> None:
    clock = NodeClock()
    for pack in range(7):
        clock.learn(NOW - HOUR + pack * 10_000, NOW + pack * 10_000)
    assert clock.wrong
    clock.learn(NOW + 80_000, NOW + 80_500)
    assert not clock.wrong


def test_a_buffered_pack_in_between_changes_nothing() -> None:
    clock = NodeClock()
    for pack in range(20):
        now = NOW + pack * 10_000
        clock.learn(now - HOUR, now)
        if pack > 2:
            clock.learn(now - 5 * HOUR + pack * 50_000, now)
    assert clock.offset_ms == HOUR
