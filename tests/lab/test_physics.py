from __future__ import annotations

import pytest

from hombi.core.senml import Record, encode, resolve
from hombi.lab.heron_mill import OUTSIDE, PLANS, ROOMS
from hombi.lab.history import DAYS, history
from hombi.lab.physics import Mill, Weather, saturation_hpa
from hombi.links.thing_description import read_description

NOW = 1_795_000_000.0


@pytest.mark.parametrize(
    ("celsius", "hpa"), [(0, 6.11), (10, 12.27), (20, 23.37), (30, 42.43), (-10, 2.86)]
)
def test_saturation_pressure_as_in_the_tables(celsius: float, hpa: float) -> None:
    assert saturation_hpa(celsius) == pytest.approx(hpa, rel=0.01)


def test_the_same_seed_makes_the_same_house() -> None:
    def run(seed: int) -> list[float]:
        mill = Mill(seed, NOW)
        values = []
        for minute in range(120):
            mill.step(NOW + minute * 60)
            values += [float(prop.sense(mill)) for plan in PLANS for prop in plan.properties]
        return values

    assert run(7) == run(7)
    assert run(7) != run(8)


def test_days_are_warmer_and_lighter_than_nights_in_the_mean() -> None:
    weather = Weather(7)
    days = [weather.at(NOW // 86_400 * 86_400 + day * 86_400 + 13 * 3600) for day in range(30)]
    nights = [weather.at(NOW // 86_400 * 86_400 + day * 86_400 + 1 * 3600) for day in range(30)]
    assert sum(d.temperature for d in days) > sum(n.temperature for n in nights)
    assert all(d.light > 500 for d in days)
    assert all(n.light < 10 for n in nights)


def test_devices_act_on_their_rooms() -> None:
    idle, misted, fanned = Mill(7, NOW), Mill(7, NOW), Mill(7, NOW)
    misted.devices.mister = fanned.devices.fan = True
    for mill in (idle, misted, fanned):
        mill.step(NOW + 1800)
    assert misted.rooms["cellar"].humidity > idle.rooms["cellar"].humidity + 1
    assert fanned.rooms["drying"].humidity < idle.rooms["drying"].humidity


def test_a_room_without_its_mister_dries_below_the_limit_so_that_there_is_something_to_do() -> None:
    mill = Mill(7, NOW)
    mill.step(NOW + 60 * 3600)
    assert mill.rooms["cellar"].humidity < 82


def test_steam_at_the_sensor_shows_at_once() -> None:
    mill = Mill(7, NOW)
    humidity = next(p for p in PLANS[0].properties if p.name == "humidity")
    before = humidity.sense(mill)
    mill.devices.steam_until_s = NOW + 60
    assert float(humidity.sense(mill)) > float(before) + 5


def test_every_node_describes_itself_as_the_hub_understands() -> None:
    names = {name for name, _ in ROOMS}
    for plan in (*PLANS, OUTSIDE):
        thing = read_description(plan.description())
        assert len(thing.offer.values) == len(plan.properties)
        assert thing.offer.left_out == ()
        assert plan.room in names
    assert (
        len({p.thing_id for p in PLANS}) == len({p.setup_code for p in PLANS}) == len(PLANS) >= 10
    )
    assert sum(p.talks == "http" for p in PLANS) == 2


def test_the_past_is_35_days_in_order_and_every_value_is_within_its_limits() -> None:
    mill, kept = history(7, NOW)
    assert mill.time_s == pytest.approx(NOW, abs=120)
    d = mill.devices
    assert [d.mister, d.fan, d.kettle] == [False, False, False], "nobody would switch it off"
    for plan in PLANS:
        records = kept[plan.address]
        times = [r.t for r in records]
        assert times == sorted(times)
        assert NOW - times[0] == pytest.approx(DAYS * 86_400, abs=120)
        for prop in plan.properties:
            values = [r.v for r in records if r.n == prop.name and r.v is not None]
            assert all(
                (prop.minimum is None or v >= prop.minimum)
                and (prop.maximum is None or v <= prop.maximum)
                for v in values
            )
    assert sum(map(len, kept.values())) > 50_000
    resolve(
        [Record(**{"n": r.n, "v": r.v, "vb": r.vb, "t": r.t}) for r in kept["cellar-rack"][:50]],
        round(NOW * 1000),
    )
    assert encode(kept["cellar-rack"][:2]).startswith(b'[{"n":"temperature","u":"Cel"')
