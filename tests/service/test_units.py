"""A household that sees its values in other units: everywhere alike, and nothing of it
is stored."""

from __future__ import annotations

import json
import time

import pytest

from hombi.client import HubProblem
from tests.house import CLIMATE, Service, call, description, let_in, until

BEAM = "loft-beam/temperature"
WATCH = """name = "Loft too warm"
[watch]
entity = "loft-beam/temperature"
over = "30 °C"
until = "28 °C"
[[starts]]
notify = "everyone"
title = "{room}: {value}"
"""


def test_a_household_in_fahrenheit(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    beam = let_in(service, description("Loft beam", **CLIMATE), "Loft")
    now = round(time.time())
    pack = [{"n": "temperature", "v": 20 + n % 2, "t": now - 60 * n} for n in range(40, 0, -1)]
    assert beam.post(pack).is_success
    with service.hub() as hub:
        hub.automations.add(WATCH)
        until(lambda: hub.entities.numbers(BEAM).count == 40)
        made = hub.change_house(units=["degF", "kW"])
        assert made.units == ["°F", "kW"]
        assert 'units = ["°F", "kW"]' in (service.data / "hombi.toml").read_text()
        entity = hub.entities.get(BEAM)
        assert (entity.unit, entity.value, entity.shown) == ("°F", pytest.approx(69.8), "69.8 °F")
        assert (entity.low, entity.high) == (pytest.approx(-130.0), pytest.approx(392.0))
        assert (entity.kept_in.unit, entity.kept_in.high) == ("°C", 200.0)
        (watcher,) = entity.watchers
        assert (watcher.limit, watcher.until) == (pytest.approx(86.0), pytest.approx(82.4))
        course = hub.entities.history(BEAM)
        assert (course.unit, min(course.low)) == ("°F", pytest.approx(68.0))
        numbers = hub.entities.numbers(BEAM, over="69")
        assert numbers.high == pytest.approx(69.8)
        assert numbers.over == pytest.approx(69.0)
        same = hub.entities.numbers(BEAM, over="20.6 °C")
        assert same.over == pytest.approx(69.08)
        assert numbers.over_ms == pytest.approx(same.over_ms, abs=5000)
        (row,) = [row for row in hub.entities.rows(BEAM, "day") if row.count][:1]
        assert row.low == pytest.approx(68.0)
        assert next(hub.entities.readings(BEAM, 0)).value == pytest.approx(68.0)
        automation = hub.automations.get("loft-too-warm")
        assert "over 86 °F" in automation.sentence
        assert "back under 82.4 °F" in automation.sentence
        assert b",20.0,\xc2\xb0C," in b"".join(hub.entities.export(BEAM)), "files have what is kept"
        stream = hub.live()
        assert next(stream).kind == "beat"
        beam.post([{"n": "temperature", "v": 31}])
        news = next(one.news for one in stream if one.kind == "reading")
        assert news.value == pytest.approx(87.8)
        until(lambda: any("87.8 °F" in entry.text for entry in hub.journal()))
    assert "87.8 °F" in service.hombi("now").stdout
    assert "in °F" in service.hombi("compare", BEAM, "--earlier", "day").stdout
    service.kill()
    service.start()
    with service.hub() as hub:
        assert hub.entities.get(BEAM).shown == "87.8 °F"
        # One value has a unit of its own.
        said = service.hombi("entity", "see", BEAM, "--unit", "K", "--decimals", "0")
        assert said.stdout == f"{BEAM} is 304 K\n"
        service.kill()
        service.start()
    with service.hub() as hub:
        assert hub.entities.get(BEAM).shown == "304 K"
        assert hub.entities.see(BEAM, unit="", decimals=-1).shown == "87.8 °F"
        hub.change_house(units=[])
        assert hub.entities.get(BEAM).shown == "31.0 °C"
        for change, words in (
            ({"unit": "ft"}, "is wanted"),
            ({"unit": "furlong"}, "no unit 'furlong'"),
            ({"keep": "1 h"}, "kept for a day to a hundred years"),
            ({"keep": "soon"}, "length of time"),
        ):
            with pytest.raises(HubProblem, match=words):
                hub.entities.see(BEAM, **change)  # type: ignore[arg-type]
        with pytest.raises(HubProblem, match="measure the same"):
            hub.change_house(units=["°F", "K"])
    wrong = call(service, "PATCH", f"/api/entities/{BEAM}", json={"decimals": 99})
    assert wrong.status_code == 400


def test_an_entity_whose_readings_are_kept_for_less(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    beam = let_in(service, description("Loft beam", **CLIMATE), "Loft")
    now = round(time.time())
    pack = [
        {"n": name, "v": 20, "t": now - 3600 * n}
        for n in range(96, 0, -1)
        for name in ("temperature", "humidity")
    ]
    assert beam.post(pack).is_success
    with service.hub() as hub:
        until(lambda: hub.entities.numbers(BEAM, "week").count == 96)
        kept = json.loads(service.hombi("entity", "see", BEAM, "--keep", "2 d", "--json").stdout)
        assert kept[0]["entity"] == BEAM
        assert hub.entities.get(BEAM).kept_in.keep == "2 d"
    service.stop()
    service.start()
    with service.hub() as hub:
        oldest = (now - 2 * 86_400 - 60) * 1000
        until(lambda: next(hub.entities.readings(BEAM, 0)).at > oldest)
        assert next(hub.entities.readings("loft-beam/humidity", 0)).at < oldest
        assert hub.entities.numbers(BEAM, "week").count == 96, "their sums stay"


def test_a_difference_is_in_kelvin_for_everybody(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    for name, value in (("Loft beam", 25.0), ("Terrace post", 20.0)):
        node = let_in(service, description(name, **CLIMATE), "Loft")
        assert node.post([{"n": "temperature", "v": value}]).is_success
    with service.hub() as hub:
        hub.change_house(units=["degF"])
        sources = [BEAM, "terrace-post/temperature"]
        made = [
            hub.computed.make("difference", sources, title="Warmer").entity,
            hub.computed.make("spread", sources, title="Apart").entity,
            hub.computed.make(
                "formula",
                [],
                title="Written",
                parameters={"text": f"{sources[0]} - {sources[1]}"},
            ).entity,
        ]
        for one in made:
            until(lambda one=one: hub.entities.get(one).value is not None)
            entity = hub.entities.get(one)
            assert (entity.unit, entity.value, entity.shown) == ("K", pytest.approx(5.0), "5.0 K")
            assert hub.entities.history(one, "hour").unit == "K"
            assert hub.entities.numbers(one).mean == pytest.approx(5.0)
        text = WATCH.replace(BEAM, made[0]).replace("30 °C", "9 °F").replace("28 °C", "4 K")
        checked = hub.automations.check(text)
        assert "over 5 K" in checked.sentence
        with pytest.raises(HubProblem, match="not added up"):
            hub.computed.make("sum", sources, title="All")
    out = service.hombi("export", made[0], "--format", "csv").stdout
    assert ",K" in out or "K" in out.splitlines()[0]
