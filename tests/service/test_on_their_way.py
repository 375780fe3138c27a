"""Readings that are safe and not yet in their place are as good as those in it."""

from __future__ import annotations

import contextlib
import random
from collections.abc import Callable

import pytest

from hombi.hub.records import Records
from tests.memory import MemoryRecords
from tests.service.ports import admit, database, rows

__all__ = ["database"]


@pytest.mark.parametrize("seed", range(3))
def test_readings_on_their_way_are_those_in_their_place(
    database: Callable[[], Records], seed: int
) -> None:
    """Stored, looked at, deleted, cut off and started anew in any order: what is there
    is what is there without a file for the newest."""
    from hombi.service.records.store import DatabaseRecords

    chance = random.Random(seed)
    records, plain = database(), MemoryRecords()
    records.history.settle()
    _, entities = admit(records)
    _, others = admit(plain)
    (one,), (other,) = entities.values(), others.values()

    for step in range(400):
        at, what = chance.randrange(500), chance.randrange(11)
        span = (at, at + chance.randrange(1, 200))
        some = [float(chance.randrange(9)) for _ in range(chance.randrange(1, 4))]
        assert _done(records, one, what, span, some) == _done(plain, other, what, span, some)
        if what == 8:
            with contextlib.suppress(KeyError), records.together():
                records.history.store(rows(one, 99.0, start=at))
                records.history.before(one, 600)
                raise KeyError("the rest fails")
        elif what == 9:
            records.history.settle()
        elif what == 10:
            records = DatabaseRecords()
            records.history.settle()
        if step % 3 == 0:
            result = records.history.single(one, *span, 100)
            assert result == plain.history.single(other, *span, 100)
    assert records.history.single(one, 0, 1_000, 999) == plain.history.single(other, 0, 1_000, 999)


def _done(
    records: Records, entity: int, what: int, span: tuple[int, int], some: list[float]
) -> object:
    """One thing done with a history, by its number; what it gave."""
    history, result = records.history, rows(entity, *some, start=span[0])
    if what < 5:
        return history.store(result)
    if what == 5:
        with records.together():
            history.store(result)
            return history.before(entity, span[1])
    if what == 6:
        return history.replace(entity, *span, result)
    if what == 7:
        if some[0] > 6:
            return history.shift(entity, *span, span[1] - span[0])
        return history.forget(entity, span[0] // 4, 5)
    return None
