from __future__ import annotations

from pathlib import Path

import pytest

from hombi.core.kinds import KINDS, Kind, kind_called
from hombi.core.units import units_for

TABLE = (Path(__file__).parents[2] / "docs" / "kinds.md").read_text().splitlines()


def row(kind: Kind) -> list[str]:
    others = [unit for unit in units_for(kind.unit) if unit != kind.unit]
    units = ", ".join([kind.unit, *others]) if kind.unit else "none"
    believed = f"{kind.low:g} to {kind.high:g} {kind.unit}".rstrip()
    if kind.words is not None:
        units = " or ".join(kind.words)
    if kind.brings:
        units = ", or ".join(filter(None, ("words of its own", ", ".join(kind.words or ()))))
    if kind.name == "turn":
        units = "% to the right, or to the left"
    return [
        f"`{kind.name}`",
        kind.title,
        units,
        "" if kind.words is not None else believed,
        ", ".join(kind.called),
    ]


def test_the_document_has_them_all_as_they_are() -> None:
    told = [
        [cell.strip() for cell in line.strip("|").split("|")]
        for line in TABLE
        if "| `" in line or line.startswith("| `")
    ]
    assert told == [row(kind) for kind in KINDS.values()]


def test_no_word_means_two_kinds_of_one_sort() -> None:
    words = [(word, kind.words is None) for kind in KINDS.values() for word in kind.called]
    assert len(words) == len(set(words))


@pytest.mark.parametrize(
    ("word", "two_states", "kind"),
    [
        ("motion", True, "occupancy"),
        ("batt", False, "battery"),
        ("rainfall", False, "rain"),
        ("RH", False, "humidity"),
        ("soil", False, "moisture"),
        ("power_state", True, "switch"),
        ("motion", False, None),
        ("nonsense", False, None),
        ("wet", True, "leak"),
        ("wet", False, "moisture"),
    ],
)
def test_nodes_call_kinds_by_other_words(word: str, two_states: bool, kind: str | None) -> None:
    result = kind_called(word, two_states=two_states)
    assert (result.name if result else None) == kind
