from __future__ import annotations

import pytest

from hombi.links.zigbee import interview, radio, whereabouts


@pytest.fixture(autouse=True)
def as_before(monkeypatch: pytest.MonkeyPatch) -> None:
    """What a test makes quicker is as it was after it."""
    monkeypatch.setattr(interview, "PAUSE_S", interview.PAUSE_S)
    monkeypatch.setattr(radio, "ANSWER_S", radio.ANSWER_S)
    monkeypatch.setattr(whereabouts, "ANSWER_S", 1.0)
