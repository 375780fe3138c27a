from __future__ import annotations

import pytest

from tests.links.door_rig import House


@pytest.fixture
def house() -> House:
    """A door with nobody at it yet."""
    return House()
