"""The look back over a week, by client, command and table."""

from __future__ import annotations

import csv
import io
import json
import re

import pytest

from tests.house import Service, call
from tests.past import fill, last_week


def test_a_week_looked_back_at(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    fill(service)
    start = last_week()
    on = start.date().isoformat()
    with service.hub() as hub:
        result = hub.review("week", on=on)
    assert (result.first, result.start) == (on, start.timestamp() * 1000)
    assert result.end - result.start == 7 * 86_400_000
    (finding,) = result.findings
    assert finding.entity == "loft-beam/humidity"
    assert finding.text.replace("\xa0", " ") == (
        "Loft is damper at night: 15.0 % more than by day, the others stay as they are"
    )
    (kind,) = result.kinds
    assert [entity.place for entity in kind.entities] == ["Loft", "Cheese cellar", "Workshop"]
    loft = kind.entities[0]
    assert [(at.hour, at.median) for at in loft.day][4:8] == [(4, 70), (5, 70), (6, 55), (7, 55)]
    (beyond,) = loft.beyond
    assert (beyond.automation, beyond.limit, round(beyond.hours)) == (
        "loft-too-damp",
        "over 65 %",
        42,
    )
    silent = {silence.node: silence for silence in result.silences}
    assert silent["bench"].start is None
    rack = silent["cellar-rack"]
    assert rack.start is not None
    assert rack.end is not None
    assert (rack.start - result.start) / 3_600_000 == pytest.approx(58, abs=0.2)
    assert (rack.end - rack.start) / 3_600_000 == pytest.approx(3, abs=0.2)
    assert [(battery.percent, battery.low_at) for battery in result.batteries] == [(60, None)] * 3

    said = service.hombi("review", "week", "--on", on).stdout
    assert "· Loft is damper at night" in said
    assert "42 h over 65 %" in said
    assert re.search(r"Cellar rack +3 h 5 min +\d\d \w+ 09:55", said)
    table = call(service, "GET", f"/api/review/table?span=week&on={on}")
    assert table.headers["content-disposition"] == f'attachment; filename="review-week-{on}.csv"'
    printed = service.hombi("review", "week", "--on", on, "--csv").stdout
    rows = list(csv.DictReader(io.StringIO(printed)))
    assert list(csv.DictReader(io.StringIO(table.text))) == rows
    assert len(rows) == 3 * 25
    night = next(row for row in rows if (row["room"], row["hour"]) == ("loft", "3"))
    assert (night["unit"], night["median"]) == ("%", "70")
    (whole,) = json.loads(service.hombi("review", "week", "--on", on, "--json").stdout)
    assert whole["findings"][0]["entity"] == "loft-beam/humidity"

    empty = service.hombi("review", "--on", "2001-02-28")
    assert "01 Feb to 28 Feb 2001" in empty.stdout
    for wrong, words in (
        ("span=decade", "use month or week"),
        ("on=yesterday", "write it like 2026-11-27"),
        ("on=2026-02-30", "is not a day"),
        ("on=9999-12-31", "not a day"),
        ("on=2400-01-01", "still to come"),
        ("on=0001-01-01", "before there was anything"),
        ("on=1969-05-01", "before there was anything"),
    ):
        refused = call(service, "GET", f"/api/review?{wrong}")
        assert refused.status_code == 422, (wrong, refused.text)
        assert words in refused.json()["detail"], wrong
