"""docs/live.md says what the events of the live stream hold."""

from __future__ import annotations

import re
from pathlib import Path

from hombi.wire.live import NEWS

DOCUMENT = Path(__file__).parents[2] / "docs" / "live.md"


def test_each_kind_of_event_is_there_with_its_fields() -> None:
    rows = re.findall(r"^\| `(\w+)` \|([^|]*)\| [^|]+ \|$", DOCUMENT.read_text(), re.MULTILINE)
    said = {kind: tuple(re.findall(r"`(\w+)`", fields)) for kind, fields in rows}
    assert said == {kind: shape.__struct_fields__ for kind, shape in NEWS.items()}
