"""A comparison and an action of another package: a module and an entry point are all it
takes to have them in texts, in the schema, in forms and in the reference."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

NEAR = '''
"""`near`: the value is not farther than so much from another."""

from dataclasses import dataclass
from typing import ClassVar

from hombi.core.automation.comparisons.base import Comparison
from hombi.core.automation.text import quantity
from hombi.core.values import show_limit, show_value


@dataclass(frozen=True, slots=True)
class Near(Comparison):
    limit: float
    reach: float
    until: ClassVar[None] = None

    word = "near"
    means = "no farther than this from a value"
    examples = ("20 °C",)
    so_while = "within a degree of it"

    @classmethod
    def parse(cls, toml, path, table, kind):
        limit = quantity(toml, (*path, "near"), table["near"], kind)
        return None if limit is None else cls(limit, 1.0)

    def starts_with(self, value):
        return abs(value - self.limit) <= self.reach

    def ends_with(self, value):
        return not self.starts_with(value)

    def sentence(self, kind):
        return f"near {show_limit(self.limit, kind)}"

    def seen(self, value, kind):
        return f"{show_value(value, kind)} is {self.sentence(kind)}"

    def span(self):
        return self.limit - self.reach, self.limit + self.reach
'''
FLASH = '''
"""`flash`: a switch goes on, and off again after a second."""

from typing import ClassVar

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.actions.switch import SwitchTo
from hombi.core.automation.text import only_keys, text


class Flash(ActionWord, frozen=True):
    entity: str
    for_ms: int = 1_000

    word: ClassVar[str] = "flash"
    keys = {"flash": describing.text("flash this", "cellar-mister/switch")}
    does: ClassVar[str] = "flashes a switch"

    @classmethod
    def parse(cls, toml, path, table, facts):
        only_keys(toml, path, table, set(cls.keys))
        return cls(text(toml, path, table, "flash", required=True))

    def effect(self, fields):
        return SwitchTo(self.entity, 1.0)

    def back(self, now):
        return 0.0

    def sentence(self, name):
        return f"flash {name(self.entity)}"
'''
TEXT = """\
name = "Just right"

[watch]
entity = "loft-beam/temperature"
near = "20 °C"

[only]
when = [ { entity = "loft-beam/temperature", near = "20 °C" } ]

[[starts]]
flash = "cellar-mister/switch"
"""
TRIED = f"""
from hombi.core.automation import parse, reference, schema
from hombi.core.automation.fields import fields_of
from hombi.core.automation.conflicts import warned
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import KINDS
from tests.core.automation.world import House

text = '''{TEXT}'''
facts = HouseFacts({{
    "loft-beam/temperature": EntityFacts(KINDS["temperature"], writable=False),
    "cellar-mister/switch": EntityFacts(KINDS["switch"], writable=True),
}})
parsed = parse(text, facts)
assert parsed.mistakes == (), parsed.mistakes
print(parsed.program.sentence({{}}))
house = House(parsed.program)
for minute, value in enumerate((18.0, 20.4, 23.0)):
    done = house.says(minute, "loft-beam/temperature", value)
    print(value, house.state.phase.value, [effect.spoken(str) for effect in done])
print([why.text for why in house.edges])
top = schema()["properties"]
print(top["watch"]["properties"]["near"]["examples"], top["starts"]["items"]["properties"]["flash"])
print([field.label for field in fields_of(text)])
print("near = " in reference.comparisons(), "flash = " in reference.actions())
apart = text.replace('near = "20 °C" }}', 'near = "30 °C" }}')
print(warned(parse(apart, facts).program, {{}}, facts)[0].what)
print(parse(text.replace('near = "20 °C"', 'near = "20 %"', 1), facts).mistakes[0])
"""


def test_a_comparison_and_an_action_from_outside_are_words_like_any_other(tmp_path: Path) -> None:
    (tmp_path / "mill_words_near.py").write_text(NEAR)
    (tmp_path / "mill_words_flash.py").write_text(FLASH)
    about = tmp_path / "mill_words-1.dist-info"
    about.mkdir()
    (about / "METADATA").write_text("Metadata-Version: 2.1\nName: mill-words\nVersion: 1\n")
    (about / "entry_points.txt").write_text(
        "[hombi.comparisons]\nnear = mill_words_near:Near\nover = mill_words_near:Near\n"
        "gone = mill_words_gone:Gone\n[hombi.actions]\nflash = mill_words_flash:Flash\n"
    )
    path = os.pathsep.join((str(tmp_path), str(Path(__file__).parents[3])))
    done = subprocess.run(
        [sys.executable, "-c", TRIED],
        env={**os.environ, "PYTHONPATH": path},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.splitlines() == [
        "When loft-beam/temperature is near 20 °C, only while loft-beam/temperature is near "
        "20 °C: flash cellar-mister/switch.",
        "18.0 idle []",
        "20.4 on ['cellar-mister/switch on']",
        "23.0 idle []",
        "['20.4 °C is near 20 °C', '23.0 °C, back past 20 °C, after 1 min']",
        "['20 °C'] {'type': 'string', 'description': 'flash this', 'examples': "
        "['cellar-mister/switch']}",
        "['Name', 'loft-beam/temperature near', 'Held for', 'Back for', 'Only between']",
        "True True",
        "it can never start: loft-beam/temperature cannot be all of that at once",
        "line 5, column 8: '20 %' does not fit a temperature: % measures ratio, but °C "
        "(temperature) is wanted",
    ]
    # What cannot be used is said, and keeps no other word from its use.
    assert "the word gone of hombi.comparisons cannot be loaded" in done.stderr
    assert "the entry point over of hombi.comparisons is not a word of this name" in done.stderr
