"""The registry: parts are made with what they ask for, and one that cannot take new
settings up keeps no other from it."""

from __future__ import annotations

from pathlib import Path

import pytest

from hombi.hub.kernel import Context, Feature
from hombi.hub.kernel.registry import Registry
from hombi.hub.settings import reload
from hombi.hub.settings.config import Config
from tests.hub.parts import ManualClock, rig
from tests.memory import MemoryRecords


class Sluice(Feature):
    name = "sluice"


class Wheel(Feature):
    name = "wheel"

    def __init__(self, context: Context, sluice: Sluice, teeth: int = 12) -> None:
        super().__init__(context)
        self.sluice, self.teeth = sluice, teeth


class Egg(Feature):
    def __init__(self, context: Context, hen: Hen) -> None:
        super().__init__(context)


class Hen(Feature):
    def __init__(self, context: Context, egg: Egg) -> None:
        super().__init__(context)


class Loft(Feature):
    def __init__(self, context: Context, owl: Path) -> None:
        super().__init__(context)


@pytest.fixture
def registry() -> Registry:
    result = Registry()
    result.put(Context.fresh(ManualClock(), MemoryRecords()))
    return result


def test_a_part_is_made_once_after_what_it_needs(registry: Registry) -> None:
    wheel = registry.get(Wheel)
    assert (wheel.sluice, wheel.teeth) == (registry.get(Sluice), 12)
    assert registry.features == [wheel.sluice, wheel]


def test_what_cannot_be_made_is_named_with_who_needs_it(registry: Registry) -> None:
    with pytest.raises(LookupError, match="features need each other: Egg → Hen → Egg"):
        registry.get(Egg)
    with pytest.raises(LookupError, match="nothing makes Loft → Path"):
        registry.get(Loft)
    registry.put(Path("/loft"), Path)
    assert registry.get(Loft) is registry.get(Loft)


async def test_a_part_that_cannot_take_settings_up_is_named_and_tried_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig(data=tmp_path) as r:
        in_the_way = True
        given: list[tuple[float, float]] = []

        async def reconfigured(new: Config, old: Config) -> None:
            given.append((new.answer_s, old.answer_s))
            if in_the_way:
                raise OSError("the sluice is shut")

        monkeypatch.setattr(r.hub.rollups, "reconfigured", reconfigured)
        text = '[actuation]\nanswer_within = "2 s"\n[house]\ntime_zone = "Asia/Tokyo"\n'
        (tmp_path / "hombi.toml").write_text(text + "[https]\nuse = false\n")
        await r.hub.reload.take_up()
        assert r.hub.reload.problem == "rollups: the sluice is shut"
        assert any("the sluice is shut" in need.text for need in r.hub.needs())
        assert r.hub.actuation.answer_s == 2.0, "all others have taken them up"
        assert str(r.hub.automations.zone) == "Asia/Tokyo"
        in_the_way = False
        monkeypatch.setattr(reload, "LOOK_EVERY_S", 0.001)
        monkeypatch.setattr(reload, "AGAIN_AFTER_LOOKS", 1)
        assert r.hub.reload._tries_again
        await r.hub.reload.take_up()
        assert r.hub.reload.problem == ""
        assert not r.hub.reload._tries_again
        assert given == [(2.0, 0.25), (2.0, 0.25)], "what was refused is given as it was"
        # Refused, and written back as it was: all others go back too.
        in_the_way = True
        (tmp_path / "hombi.toml").write_text(text.replace("2 s", "3 s") + "[https]\nuse = false\n")
        await r.hub.reload.take_up()
        assert r.hub.actuation.answer_s == 3.0
        in_the_way = False
        (tmp_path / "hombi.toml").write_text(text + "[https]\nuse = false\n")
        await r.hub.reload.take_up()
        assert (r.hub.actuation.answer_s, r.hub.reload.problem) == (2.0, "")
