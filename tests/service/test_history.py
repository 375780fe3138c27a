"""An entity over time: whose history it is, and its rows of house time."""

from __future__ import annotations

import csv
import io
import json
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import httpx
import pytest

from hombi.client import HubProblem
from tests.house import CLIMATE, Joined, Service, description, let_in, until

HOUR = 3_600_000
BERLIN = ZoneInfo("Europe/Berlin")


def thing(kind: str, unit: str) -> dict[str, Any]:
    value = {"title": "Level", "type": "number", "readOnly": True, "@type": kind, "unit": unit}
    return description(
        "Sluice", thing_id="urn:uuid:3d1c7a90-0000-4000-8000-000000000029", level=value
    )


def test_a_value_of_another_kind_begins_a_history_of_its_own(own_service: Service) -> None:
    own_service.env["HOMBI_HOUSE_TIME_ZONE"] = "Europe/Berlin"
    service = own_service.start()
    service.sign_in_first()
    sluice = let_in(service, thing("temperature", "Cel"))
    assert sluice.post([{"n": "level", "u": "Cel", "v": 11.5}]).is_success
    with service.hub() as hub:
        until(lambda: hub.entities.get("sluice/level").value == 11.5)
        hub.nodes.remove("sluice", keep_history=True)
    sluice = let_in(service, thing("humidity", "%RH"))
    with service.hub() as hub:
        assert hub.entities.get("sluice/level").value is None
        assert list(hub.entities.readings("sluice/level", 0)) == []
        assert sluice.post([{"n": "level", "u": "%RH", "v": 63}]).is_success
        until(
            lambda: (
                [reading.value for reading in hub.entities.readings("sluice/level", 0)] == [63.0]
            )
        )
        hub.nodes.remove("sluice", keep_history=True)
    service.kill()
    service.start()
    # The same kind again goes on where it was; a restart knows which of them it is.
    let_in(service, thing("humidity", "%RH"))
    with service.hub() as hub:
        assert [reading.value for reading in hub.entities.readings("sluice/level", 0)] == [63.0]


@pytest.fixture(scope="module")
def filled(rack: Joined) -> datetime:
    """Readings of two days with a gap of five hours in the middle; the first day's
    midnight."""
    today = datetime.now(ZoneInfo("UTC")).replace(minute=0, second=0, microsecond=0)
    begin = today - timedelta(hours=47)
    hours = [n for n in range(47) if not 20 <= n < 25]
    pack = [
        {
            "n": "humidity",
            "t": (begin + timedelta(hours=n, minutes=30)).timestamp(),
            "v": 50 + n / 2,
        }
        for n in hours
    ]
    assert rack.post(pack).is_success
    return begin


def test_rows_follow_the_houses_clock_and_say_where_nothing_came(
    service: Service, rack: Joined, filled: datetime
) -> None:
    start = round(filled.timestamp() * 1000)
    with service.hub() as hub:
        zone = ZoneInfo(hub.house().time_zone)
        until(lambda: sum(hub.entities.history("cellar-rack/humidity", start=start).count) >= 42)
        rows = hub.entities.rows(
            "cellar-rack/humidity", start=start, end=start + 47 * 3_600_000, rows="hours"
        )
        assert [row.count for row in rows] == [0 if 20 <= n < 25 else 1 for n in range(47)]
        assert all(row.mean is None for row in rows if not row.count)
        days = hub.entities.rows("cellar-rack/humidity", "week")
        begins = [datetime.fromtimestamp(row.start / 1000, zone) for row in days]
        assert all((begin.hour, begin.minute) == (0, 0) for begin in begins)
        assert all(a.end == b.start for a, b in pairwise(days))
        with pytest.raises(HubProblem, match="more than 400 rows"):
            hub.entities.rows("cellar-rack/humidity", "month", rows="minutes")
        with pytest.raises(HubProblem, match="out of range"):
            hub.entities.rows("cellar-rack/humidity", start=2**53 - 1000, end=2**53 - 1)
        with pytest.raises(HubProblem, match="use minutes, hours, days"):
            hub.entities.rows("cellar-rack/humidity", "month", rows="fortnights")


def test_history_is_read_from_a_day_to_another(
    service: Service, rack: Joined, filled: datetime
) -> None:
    with service.hub() as hub:
        zone = ZoneInfo(hub.house().time_zone)
    begin = filled.astimezone(zone)
    text = begin.strftime("%Y-%m-%d %H:%M")
    said = service.hombi(
        "history",
        "cellar-rack/humidity",
        "--from",
        text,
        "--to",
        f"{begin + timedelta(hours=47):%Y-%m-%d %H:%M}",
    )
    lines = said.stdout.splitlines()
    assert "42 readings" in lines[0]
    assert sum("none until" in line for line in lines) == 1, "the gap is one line"
    gap = next(line for line in lines if "none until" in line)
    assert gap.startswith(f"{begin + timedelta(hours=20):%d %b %H:%M}")
    assert gap.rstrip().endswith(f"{begin + timedelta(hours=25):%d %b %H:%M}")
    wrong = service.hombi("history", "cellar-rack/humidity", "--from", "last Tuesday")
    assert wrong.returncode == 2
    assert "not a date and time" in wrong.stderr


def test_the_terminal_shows_the_time_of_the_house_and_not_the_machines(
    own_service: Service,
) -> None:
    own_service.env |= {"HOMBI_HOUSE_TIME_ZONE": "Asia/Kathmandu"}
    service = own_service.start()
    service.sign_in_first()
    rack = let_in(service, thing("temperature", "Cel"))
    assert rack.post([{"n": "level", "u": "Cel", "v": 11.5}]).is_success
    assert rack.post([{"n": "nobody", "v": 1}]).status_code == 422
    with service.hub() as hub:
        entry = next(iter(hub.journal()))
        message = hub.messages.list()[-1]
        started = hub.house().started_at
    elsewhere = {"TZ": "America/Lima"}
    for words, at_ms, pattern in (
        (("journal",), entry.at, "%d %b %H:%M:%S"),
        (("link", "messages"), message.at, "%H:%M:%S"),
        (("status",), started, "%d %b %H:%M"),
    ):
        shown = datetime.fromtimestamp(at_ms / 1000, ZoneInfo("Asia/Kathmandu")).strftime(pattern)
        assert shown in service.hombi(*words, env=elsewhere).stdout, words
    # The hour may change while it is asked.
    hours = [datetime.now(ZoneInfo("Asia/Kathmandu")).strftime("%d %B %Y %H:")]
    told = service.hombi("doctor", env=elsewhere).stdout
    hours.append(datetime.now(ZoneInfo("Asia/Kathmandu")).strftime("%d %B %Y %H:"))
    assert any(hour in told for hour in hours), told


def test_a_node_that_changes_its_unit_keeps_one_history_over_a_kill(own_service: Service) -> None:
    """Bytes as other makers write them, each in another unit; then a kill."""
    service = own_service.start()
    service.sign_in_first()
    sluice = let_in(service, thing("temperature", "Cel"))
    begun = round(datetime.now().timestamp()) - 60

    def post(pack: str) -> Any:
        return sluice.post(pack.encode(), raw=True)

    for number, (unit, value) in enumerate(
        [("Cel", 10), ("K", 283.15), ("[degF]", 50), ("Cel", 10.5), ("°F", 50)]
    ):
        said = post(f'[{{"n":"level","u":"{unit}","t":{begun + number},"v":{value}}}]')
        assert said.status_code == 200, said.text
    for unit in ("hPa", "furlong", "", "Cel\\u0000", "x" * 200):
        said = post(f'[{{"n":"level","u":"{unit}","t":{begun + 30},"v":284.15}}]')
        assert unit == "" or said.status_code == 422, said.text
    service.kill()
    service.start()
    with service.hub() as hub:
        single = list(hub.entities.readings("sluice/level", (begun - 1) * 1000))
        assert [one.value for one in single][:3] == [pytest.approx(10.0)] * 3
        assert single[1].raw == 283.15, "what was sent stays as it was sent"
        assert post(f'[{{"n":"level","u":"K","t":{begun + 50},"v":274.15}}]').status_code == 200
        until(lambda: hub.entities.get("sluice/level").shown == "1.0 °C")
        history = hub.entities.history(
            "sluice/level", start=begun * 1000, end=(begun + 20) * 1000, points=1
        )
        assert history.mean == [pytest.approx(10.025)], "the last one holds"


def test_a_span_in_numbers_each_value_weighted_by_its_time(
    service: Service, rack: Joined, filled: datetime
) -> None:
    start = round(filled.timestamp() * 1000)
    with service.hub() as hub:
        whole = hub.entities.numbers("cellar-rack/humidity", start=start, end=start + 47 * HOUR)
        assert whole.count == 42
        parts = [whole.low, whole.p5, whole.median, whole.p95, whole.high]
        known = [part for part in parts if part is not None]
        assert known == sorted(parts, key=lambda one: one or 0.0)
        assert (whole.over, whole.over_ms) == (None, None)
        low = f"{known[0] - 1} %"
        always = hub.entities.numbers(
            "cellar-rack/humidity", start=start, end=start + 47 * HOUR, over=low
        )
        assert always.over_ms == always.known_ms > 40 * HOUR
        nothing = hub.entities.numbers("cellar-rack/humidity", start=1_000, end=2_000)
        assert (nothing.count, nothing.median, nothing.known_ms) == (0, None, 0)
        with pytest.raises(HubProblem, match="does not fit a humidity"):
            hub.entities.numbers("cellar-rack/humidity", over="3 furlong")


def test_a_span_so_much_earlier_is_the_same_span_of_then(
    service: Service, rack: Joined, filled: datetime
) -> None:
    start = round(filled.timestamp() * 1000)
    day = {"start": start + 24 * HOUR, "end": start + 25 * HOUR}
    with service.hub() as hub:
        then = hub.entities.history("cellar-rack/humidity", earlier="day", **day)
        same = hub.entities.history("cellar-rack/humidity", start=start, end=start + HOUR)
        assert (then.start, then.at, then.mean) == (start, same.at, same.mean)
        assert sum(then.count) == 1
        (course,) = hub.entities.courses(["cellar-rack/humidity"], earlier="day", points=600, **day)
        assert course == then
        with pytest.raises(HubProblem, match="earlier=century is not known"):
            hub.entities.rows("cellar-rack/humidity", earlier="century")
        with pytest.raises(HubProblem, match="not between 1 and 2000 for 2 entities"):
            hub.entities.courses(["cellar-rack/humidity", "cellar-rack/temperature"], points=9_999)


def test_compare_on_the_command_line(service: Service, rack: Joined, filled: datetime) -> None:
    zone = ["--from", f"{filled:%Y-%m-%d %H:%M}+00:00", "--to"]
    zone.append(f"{filled + timedelta(hours=47):%Y-%m-%d %H:%M}+00:00")
    two = service.hombi("compare", "cellar-rack/humidity", "Cellar rack temperature", *zone)
    assert two.returncode == 0, two.stderr
    assert "cellar-rack/humidity in %" in two.stdout
    assert "cellar-rack/temperature in °C" in two.stdout
    assert "DIFFERENCE" not in two.stdout, "units differ"
    before = service.hombi("compare", "cellar-rack/humidity", "--earlier", "day", *zone, "--json")
    now, then = json.loads(before.stdout)
    assert (now["earlier"], then["earlier"]) == (None, "day")
    assert now["count"] == 42
    starts = [datetime.fromisoformat(one["start"]) for one in (then, now)]
    assert starts[1] - starts[0] == timedelta(days=1)
    assert sum(row["count"] for row in now["rows"]) == 42
    shown = service.hombi("compare", "cellar-rack/humidity", "--earlier", "day", *zone).stdout
    assert "cellar-rack/humidity, a day earlier" in shown
    assert "DIFFERENCE" in shown
    let_in(service, description("Loft beam", **CLIMATE), "Loft")
    assert service.hombi("room", "add", "Workshop").returncode == 0
    rooms = service.hombi("compare", "--room", "loft", "--room", "Cheese cellar")
    assert rooms.returncode == 0, rooms.stderr
    first, second = (rooms.stdout.index(f"{one}/humidity in %") for one in ("beam", "rack"))
    assert rooms.stdout.index("loft-beam/temperature in") < first < second
    for words, said in (
        (("--room", "loft"), "Name two rooms"),
        (("loft-beam/humidity", "--room", "loft", "--room", "cheese-cellar"), "no entities beside"),
        (("--room", "loft", "--room", "workshop"), "no values of the same kind"),
        (("--room", "loft", "--room", "mars"), "no room"),
    ):
        refused = service.hombi("compare", *words)
        assert (refused.returncode != 0, said in refused.stderr) == (True, True), refused.stderr
    alone = service.hombi("compare", "cellar-rack/humidity")
    assert (alone.returncode, "add --earlier" in alone.stderr) == (2, True)
    many = service.hombi("compare", *["cellar-rack/humidity"] * 9)
    assert (many.returncode, "more than 8 curves" in many.stderr) == (2, True)


def test_readings_are_exported_page_by_page(
    service: Service, rack: Joined, filled: datetime, monkeypatch: pytest.MonkeyPatch
) -> None:
    start = round(filled.timestamp() * 1000)
    span = {"start": start, "end": start + 47 * HOUR}
    with service.hub() as hub:
        text = b"".join(hub.entities.export("cellar-rack/humidity", **span)).decode()
        rows = list(csv.DictReader(io.StringIO(text, newline="")))
        single = list(hub.entities.readings("cellar-rack/humidity", start, start + 47 * HOUR))
        assert [float(row["value"]) for row in rows] == [one.value for one in single]
        pack = b"".join(hub.entities.export("cellar-rack/humidity", format="senml", **span))
        assert len(json.loads(pack)) == 42
        for wrong, said in (
            ({"format": "xls"}, "format=xls is not known; use csv, senml"),
            ({"span": "century"}, "span=century is not known"),
        ):
            with pytest.raises(HubProblem, match=said):
                list(hub.entities.export("cellar-rack/humidity", **wrong))
        with pytest.raises(HubProblem, match="no entity cellar-rack/colour"):
            list(hub.entities.export("cellar-rack/colour"))
    stranger = httpx.get(f"{service.url}/api/entities/cellar-rack/humidity/export")
    assert stranger.status_code == 401


def test_export_on_the_command_line(
    service: Service, rack: Joined, filled: datetime, tmp_path: Path
) -> None:
    since = ["--from", f"{filled:%Y-%m-%d %H:%M}+00:00"]
    file = tmp_path / "humidity.csv"
    done = service.hombi("export", "cellar rack humidity", *since, "--file", str(file))
    assert done.returncode == 0, done.stderr
    assert f"cellar-rack/humidity is in {file}" in done.stderr
    printed = service.hombi("export", "cellar-rack/humidity", *since)
    assert printed.stdout.splitlines() == file.read_text().splitlines()
    before = file.read_bytes()
    for words in (("--span", "century"), ("--format", "xls")):
        refused = service.hombi("export", "cellar-rack/humidity", *words, "--file", str(file))
        assert refused.returncode != 0
        assert file.read_bytes() == before, "what was there stays"


def test_a_door_is_told_by_its_days_where_its_readings_are_forgotten(own_service: Service) -> None:
    own_service.start().sign_in_first()
    contact = {"type": "boolean", "readOnly": True, "@type": "contact", "title": "Contact"}
    door = let_in(own_service, description("Loft door", contact=contact))
    hour = (datetime.now(UTC) - timedelta(days=5)).replace(minute=0, second=0, microsecond=0)
    # Fifteen minutes of each hour, for four days.
    for at in (hour + timedelta(hours=n) for n in range(4 * 24)):
        pack = [(at, True), (at + timedelta(minutes=15), False)]
        assert door.post(
            [{"n": "contact", "t": when.timestamp(), "vb": one} for when, one in pack]
        ).is_success
    start = round(hour.timestamp() * 1000)
    with own_service.hub() as hub:
        entity = "loft-door/contact"
        until(lambda: len(hub.entities.stretches(entity, "week").stretches) >= 4 * 48 - 1)
        before = hub.entities.stretches(entity, "week").shares
        months = hub.entities.stretches(entity, "month").shares
        hub.entities.see(entity, keep="2 d")
    own_service.stop()
    own_service.start()  # an hour is rolled up, and what is old forgotten, when a hub starts

    with own_service.hub() as hub:
        until(lambda: hub.entities.stretches(entity, "week").stretches[0].start > start)
        result = hub.entities.stretches(entity, "week")
        assert result.stretches[0].start > start + 2 * 24 * HOUR
        # They are known as before; the last lasts until now.
        assert result.shares[:-1] == before[:-1]
        assert {(share.on_ms, share.known_ms) for share in result.shares[1:95]} == {
            (HOUR / 4, HOUR)
        }
        month = hub.entities.stretches(entity, "month")
        assert month.shares[:-1] == months[:-1]
        assert {share.end - share.start for share in month.shares[1:-1]} == {24 * HOUR}
        assert {share.on_ms for share in month.shares[1:3]} == {6 * HOUR}
        assert sum(share.on_ms for share in month.shares) == 4 * 6 * HOUR
