"""The texts in the documents are texts that the hub takes."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from hombi.core.automation import parse
from hombi.core.house_facts import EntityFacts, HouseFacts, SceneFacts
from hombi.core.kinds import KINDS
from hombi.links.zigbee.profiles import read_profile

TOP = Path(__file__).parents[2]
HEAD = '[profile]\nmake = "Weirside"\nmodel = "Watch W1"\n'
WATCH = '\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\n'
STARTS = '\n[[starts]]\nnotify = "everyone"\ntitle = "x"\n'
FACTS = HouseFacts(
    {
        "cellar-rack/humidity": EntityFacts(KINDS["humidity"], writable=False),
        "cellar-mister/switch": EntityFacts(KINDS["switch"], writable=True),
        "loft-window/contact": EntityFacts(KINDS["contact"], writable=False),
        "drying-window/contact": EntityFacts(KINDS["contact"], writable=False),
        "drying-rack/humidity": EntityFacts(KINDS["humidity"], writable=False),
        "loft-lamp/level": EntityFacts(KINDS["level"], writable=True),
        "loft-beam/temperature": EntityFacts(KINDS["temperature"], writable=False),
        "terrace-mast/temperature": EntityFacts(KINDS["temperature"], writable=False),
        "workshop-plug/power": EntityFacts(KINDS["power"], writable=False),
    },
    frozenset({"ada"}),
    {"evening": SceneFacts("Evening", ())},
)


def texts(document: str) -> list[str]:
    return re.findall(r"```toml\n(.*?)```", (TOP / document).read_text(), re.DOTALL)


@pytest.mark.parametrize("text", texts("docs/node-profiles.md"))
def test_profiles_in_the_documents_are_sound(text: str) -> None:
    profile, toml = read_profile(text if "[profile]" in text else HEAD + text)
    assert [str(mistake) for mistake in toml.mistakes] == []
    assert profile is not None


@pytest.mark.parametrize("text", [*texts("docs/automations.md"), *texts("README.md")])
def test_automations_in_the_documents_are_sound(text: str) -> None:
    # An example of one part stands for itself; the rest is usual.
    text = text if "name =" in text else f'name = "Example"\n{text}'
    text += "" if "[watch]" in text else WATCH
    text += "" if "[[starts]]" in text else STARTS
    assert [str(mistake) for mistake in parse(text, FACTS).mistakes] == []
