"""Readings as files, read back by readers that are not ours."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from zoneinfo import ZoneInfo

import pytest

from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from hombi.core.senml import decode, resolve
from hombi.core.series import Reading
from hombi.core.series.export import FORMATS, HEADING, Exported

BERLIN = ZoneInfo("Europe/Berlin")
HUMIDITY = Exported("cellar-rack/humidity", KINDS["humidity"], {0: "%RH", 1: "/"}, BERLIN)
# On 25 October 2026 the clocks go back from 3 to 2: an hour comes twice.
TWICE = 1_792_891_800_000
READINGS = [
    Reading(TWICE - 3_600_000, 0, 81.5, 81.5),
    Reading(TWICE, 1, 0.825, 82.49999999999999),
    Reading(TWICE + 1, 0, 140.0, 140.0, Quality.OUT_OF_RANGE),
    Reading(TWICE + 2, 0, None, None, Quality.NO_VALUE),
]


def written(of: Exported, name: str, *pages: Sequence[Reading]) -> str:
    """A file made page by page, as it is streamed."""
    wanted, text, first = FORMATS[name], FORMATS[name].begin, True
    for page in pages:
        more = wanted.write(of, page, first)
        text, first = text + more, first and not more
    return text + wanted.end


def test_csv_has_house_time_and_every_reading_to_its_last_digit() -> None:
    text = written(HUMIDITY, "csv", READINGS[:2], READINGS[2:])
    assert text.splitlines()[0] == "time,value,unit,quality,reason,sent,sent_unit"
    assert text.count("\r\n") == 5
    rows = list(csv.DictReader(io.StringIO(text, newline="")))
    assert tuple(rows[0]) == HEADING
    assert [row["time"] for row in rows[:2]] == [
        "2026-10-25T02:30:00.000+02:00",
        "2026-10-25T02:30:00.000+01:00",
    ]
    assert float(rows[1]["value"]) == READINGS[1].value
    assert (rows[1]["sent"], rows[1]["sent_unit"]) == ("0.825", "/")
    assert (rows[2]["quality"], rows[2]["reason"]) == ("bad", "out of range")
    assert (rows[3]["value"], rows[3]["sent"]) == ("", "")


@pytest.mark.parametrize("cut", range(5))
def test_senml_is_one_pack_however_it_is_cut_and_the_hub_reads_it(cut: int) -> None:
    text = written(HUMIDITY, "senml", READINGS[:cut], READINGS[cut:])
    assert len(json.loads(text)) == 2, "the bad ones have no place in it"
    result, wrong = resolve(decode(text.encode()), TWICE)
    assert wrong == []
    assert [(one.name, one.unit, one.value) for one in result] == [
        ("cellar-rack/humidity", "%RH", 81.5),
        ("cellar-rack/humidity", "%RH", 82.49999999999999),
    ]
    assert [one.at_ms for one in result] == [TWICE - 3_600_000, TWICE]


def test_states_are_words_in_csv_and_true_or_false_in_senml() -> None:
    door = Exported("boathouse-door/contact", KINDS["contact"], {0: ""}, BERLIN)
    readings = [Reading(1_000, 0, 1.0, 1.0), Reading(2_000, 0, 0.0, 0.0)]
    rows = list(csv.DictReader(io.StringIO(written(door, "csv", readings), newline="")))
    assert [row["value"] for row in rows] == ["open", "closed"]
    assert [load["vb"] for load in json.loads(written(door, "senml", readings))] == [True, False]


def test_a_file_without_readings_is_whole() -> None:
    assert written(HUMIDITY, "csv", []) == ",".join(HEADING) + "\r\n"
    assert json.loads(written(HUMIDITY, "senml", [], [])) == []
