"""A sensor's past from a file: said before it is done, and taken back."""

from __future__ import annotations

import contextlib
import threading
import time
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from zoneinfo import ZoneInfo

import httpx
import pytest

from hombi.client import Hub, HubProblem, HubUnreachable
from hombi.core.series.importing import layout_of, rows_of
from tests.house import CLIMATE, PASSWORD, Service, description, let_in, until

RACK = "cellar-rack/temperature"


def table(days: int, *extra: str) -> bytes:
    """An hourly past with decimal commas, in °F, until yesterday."""
    end = datetime.now(UTC).replace(minute=0, second=0, microsecond=0) - timedelta(days=1)
    lines = ["Datum;Feuchte;Temp °F"]
    for hour in range(24 * days, 0, -1):
        at = end - timedelta(hours=hour)
        lines.append(f"{at:%d.%m.%Y %H:%M};80;{50 + hour % 2 / 2}".replace(".5", ",5", 1))
    return "\n".join([*lines, *extra, ""]).encode()


def test_a_past_is_seen_first_then_taken_then_taken_back(
    own_service: Service, tmp_path: Path
) -> None:
    service = own_service.start()
    service.sign_in_first()
    rack = let_in(service, description("Cellar rack", **CLIMATE))
    now = round(time.time())
    assert rack.post([{"n": "temperature", "v": 11, "t": now - 60}]).is_success
    file = tmp_path / "logger.csv"
    file.write_bytes(table(3, "tomorrow;1;2", "01.01.2001 00:00;80;50", "01.01.2099 00:00;80;50"))
    words = ("import", RACK, str(file), "--value", "Temp °F", "--unit", "degF", "--zone", "UTC")
    with service.hub() as hub:
        until(lambda: hub.entities.numbers(RACK).count == 1)
        hub.computed.make("change", [RACK], parameters={"window": "2 h"}, title="Drift")
        hub.conditioning.set(RACK, [{"step": "linear", "offset": 1.0}], past=True)
        until(lambda: hub.conditioning.show(RACK).progress is None)
        seen = service.hombi(*words)
        assert "The time is in Datum; a time without a zone is one of UTC." in seen.stdout
        assert "72 readings would be stored." in seen.stdout
        assert "between 10 and 10.2778 °C" in seen.stdout
        for said in ("1 are older than", "1 lie in the future", "1 cannot be read"):
            assert said in seen.stdout, seen.stdout
        assert "line 74: 'tomorrow' is not a time" in seen.stdout
        assert hub.entities.numbers(RACK, "week").count == 1, "nothing is stored yet"
        done = service.hombi(*words, "--apply")
        assert "72 readings are stored." in done.stdout
        until(lambda: hub.conditioning.show(RACK).progress is None)
        # Conditioned like all of its past.
        until(lambda: hub.entities.numbers(RACK, "week").low == pytest.approx(11.0))
        assert hub.entities.numbers(RACK, "week").count == 73
        first = next(hub.entities.readings(RACK, 0))
        assert (first.raw, round(first.value or 0, 2)) == (50, 11.0)
        until(lambda: hub.entities.numbers("cellar-rack/drift", "week").count > 20)
        assert "72 readings of cellar-rack/temperature were imported from logger.csv" in [
            entry.text for entry in hub.journal()
        ]
        again = hub.entities.import_csv(
            RACK, file.read_bytes(), value="Temp °F", unit="degF", zone="UTC", apply=True
        )
        assert (again.taken, again.there, again.number) == (0, 72, None), "twice is once"
        # What its node sends goes on over its own channel.
        assert rack.post([{"n": "temperature", "v": 12}]).is_success
        until(lambda: hub.entities.get(RACK).value == 13.0)
        (one,) = hub.entities.imports(RACK)
        assert (one.file, one.unit) == ("logger.csv", "°F")
    service.kill()
    service.start()
    assert "logger.csv" in service.hombi("import", RACK).stdout
    assert service.hombi("import", RACK, "--take-back", str(one.number)).returncode == 0
    with service.hub() as hub:
        until(lambda: hub.entities.numbers(RACK, "week").count == 2)
        assert sum(hub.entities.history(RACK, "week").count) == 2
        assert hub.entities.imports(RACK) == []
        assert hub.entities.get(RACK).value == 13.0
        with pytest.raises(HubProblem, match="has no import 9"):
            hub.entities.take_back_import(RACK, 9)


@pytest.mark.parametrize(
    ("query", "body", "said"),
    [
        ("", b"", "the file is empty"),
        ("", b"hello\nworld\n", "no column has times"),
        ("zone=Mars", b"time,v\n2026-11-20 12:00,5\n", "is not a time zone"),
        ("zone=Europe", b"time,v\n2026-11-20 12:00,5\n", "is not a time zone"),
        ("zone=../etc/passwd", b"time,v\n2026-11-20 12:00,5\n", "is not a time zone"),
        ("unit=hPa", b"time,v\n2026-11-20 12:00,5\n", "measures pressure"),
        ("value=x", b"time,v\n2026-11-20 12:00,5\n", "there is no column"),
        ("", b"\xff\xfe\x00\x01" * 50, "is UTF-16"),
        ("", b"\x80\x81\x00\x01" * 50, "no column has times"),
    ],
)  # fmt: skip
def test_a_file_that_cannot_be_is_refused(
    service: Service, query: str, body: bytes, said: str
) -> None:
    with service.hub() as hub:
        if not any(one.node == "cellar-rack" for one in hub.nodes.list()):
            let_in(service, description("Cellar rack", **CLIMATE))
    result = _post(service, query, body)
    assert result.status_code == 422, result.text
    assert said in result.json()["detail"]


def _post(service: Service, query: str, body: bytes) -> httpx.Response:
    return httpx.post(
        f"{service.url}/api/entities/{RACK}/imports?{query}",
        content=body,
        headers={"Content-Type": "text/csv", "Authorization": f"Bearer {service.token}"},
        timeout=60,
    )


def test_a_state_is_one_of_two(service: Service) -> None:
    let_in(service, description("Boathouse door", contact={"type": "boolean", "readOnly": True}))
    now = round(time.time())
    body = "\n".join(["time,v", *(f"{now - 60 * n},{n}" for n in (0, 1, 5))]).encode()
    door = "boathouse-door/contact"
    with service.hub() as hub:
        result = hub.entities.import_csv(door, body, apply=True)
        assert (result.taken, result.wrong) == (2, 1)
        assert result.mistakes[0].what == "5 is not a state; write 0 for closed, 1 for open"


def test_what_is_there_is_found_in_a_file_in_any_order(service: Service) -> None:
    begun = round(time.time()) - 400_000
    lines = [f"{begun + 60 * (n * 7919 % 5_000)},{n}" for n in range(5_000)]
    body = "\n".join(["time,v", *lines]).encode()
    with service.hub() as hub:
        result = hub.entities.import_csv(RACK, body, apply=True)
        assert (result.taken, result.there) == (5_000, 0)
        again = hub.entities.import_csv(RACK, body, apply=True)
        assert (again.taken, again.there) == (0, 5_000)
        assert result.number is not None
        hub.entities.take_back_import(RACK, result.number)
        assert hub.entities.import_csv(RACK, body).taken == 5_000, "all steps were made"


def test_a_million_bad_lines_are_counted_and_hold_nobody_up(service: Service) -> None:
    body = b"time,v\n2026-11-20 12:00,5\n" + b"rubbish,rubbish\n" * 300_000
    begun = time.monotonic()
    answer = _post(service, "", body)
    assert answer.status_code == 200, answer.text
    result = answer.json()
    assert (result["rows"], result["wrong"], len(result["mistakes"])) == (300_001, 300_000, 20)
    assert time.monotonic() - begun < 40
    stranger = httpx.post(
        f"{service.url}/api/entities/{RACK}/imports", content=body, timeout=60,
        headers={"Content-Type": "text/csv", "Authorization": "Bearer nobody"},
    )  # fmt: skip
    assert stranger.status_code == 413, "a large file is not even read"
    endless = _post(service, "", b"time,v\n2026-11-20 12:00,5\n" + b"x" * 5_000_000)
    assert endless.json()["wrong"] > 0


def lines(*rows: str) -> bytes:
    return "\n".join(("time,value,unit", *rows)).encode()


def test_values_that_say_their_unit_are_converted_or_refused(own_service: Service) -> None:
    own_service.start()
    own_service.sign_in_first()
    let_in(own_service, description("Cellar rack", **CLIMATE))
    day = time.strftime("%Y-%m-%d", time.gmtime(time.time() - 2 * 86_400))
    mixed = lines(f"{day}T10:00Z,50,degF", f"{day}T11:00Z,12,Cel", f"{day}T12:00Z,60,%RH")
    with own_service.hub() as hub:
        plan = hub.entities.import_csv(RACK, mixed)
        assert (plan.taken, plan.wrong, plan.low, plan.high) == (2, 1, pytest.approx(10.0), 12.0)
        assert "humidity" in plan.mistakes[0].what or "%" in plan.mistakes[0].what
        assert "values in degF are converted" in plan.layout
        hub.entities.import_csv(RACK, mixed, apply=True)
        values = [reading.value for reading in hub.entities.readings(RACK, 0)]
    assert values == [pytest.approx(10.0), pytest.approx(12.0)]


def test_in_the_repeated_hour_the_order_of_the_file_decides() -> None:
    zone = ZoneInfo("Europe/Berlin")  # on 25 October 2026 from 03:00 back to 02:00
    rising = ["time,value", *(f"2026-10-25 {clock},{n}" for n, clock in enumerate(
        ("01:30", "02:15", "02:45", "02:15", "02:45", "03:15")
    ))]  # fmt: skip
    falling = [rising[0], *reversed(rising[1:])]
    for table in (rising, falling):
        layout = layout_of(table, zone)
        rows = sorted(rows_of(table, layout), key=lambda row: row.at_ms)
        assert [row.value for row in rows] == [0, 1, 2, 3, 4, 5]
        gaps = [(b.at_ms - a.at_ms) / 60_000 for a, b in pairwise(rows)]
        assert gaps == [45, 30, 30, 30, 30]


def test_text_in_utf_16_is_named(service: Service) -> None:
    result = _post(service, "", "time,value\n2026-11-20 12:00,5\n".encode("utf-16"))
    assert (result.status_code, "UTF-16" in result.json()["detail"]) == (422, True)


def test_a_kill_in_the_middle_leaves_nothing_of_a_file(own_service: Service) -> None:
    own_service.start()
    own_service.sign_in_first()
    let_in(own_service, description("Cellar rack", **CLIMATE))
    now = int(time.time()) - 30 * 86_400
    body = "time,value\n" + "".join(f"{now + 10 * n},{n % 30}\n" for n in range(200_000))
    with own_service.hub() as hub:

        def send() -> None:
            with contextlib.suppress(HubUnreachable):  # it is killed
                hub.entities.import_csv(RACK, body.encode(), apply=True)

        sending = threading.Thread(target=send)
        sending.start()
        until(lambda: hub.house().readings_committed > 5_000)
    own_service.kill()
    sending.join(30)
    own_service.start()
    with own_service.hub() as hub:
        until(lambda: hub.entities.imports(RACK) == [])
        until(lambda: hub.entities.numbers(RACK, "month").count == 0)
        # All is well again: the same file goes in.
        few = "\n".join(body.split("\n")[:2_001])
        assert hub.entities.import_csv(RACK, few.encode(), apply=True).taken == 2_000
        assert len(hub.entities.imports(RACK)) == 1


def test_only_who_may_import_sends_a_large_file_and_only_there(service: Service) -> None:
    with service.hub() as hub:
        if not any(one.node == "cellar-rack" for one in hub.nodes.list()):
            let_in(service, description("Cellar rack", **CLIMATE))
        code = hub.people.invite("guest", rooms=["Cheese cellar"]).code
    with Hub(service.url) as hub:
        hub.people.join(code, "bo", PASSWORD)
        guest = hub.sign_in("bo", PASSWORD).token
    large = b"time,value\n" + b"x" * 400_000
    for path, token, status in (
        (f"/api/entities/{RACK}/imports", service.token, 422),
        (f"/api/entities/{RACK}/imports", guest, 413),
        ("/api/anything/imports", service.token, 413),
    ):
        headers = {"Authorization": f"Bearer {token}", "Content-Type": "text/csv"}
        result = httpx.post(service.url + path, content=large, headers=headers, timeout=30)
        assert result.status_code == status, (path, result.text)
