"""The texts in the documents are texts that the hub takes."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path

import jsonschema
import msgspec
import pytest

from hombi.core.automation import ACTIONS, COMPARISONS, parse, reference, schema
from hombi.core.house_facts import EntityFacts, HouseFacts, SceneFacts
from hombi.core.kinds import AT_HOME, KINDS
from hombi.core.sun import Position
from hombi.links.zigbee.profiles import read_profile

TOP = Path(__file__).parents[2]
HEAD = '[profile]\nmake = "Weirside"\nmodel = "Watch W1"\n'
WATCH = '\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\n'
STARTS = '\n[[starts]]\nnotify = "everyone"\ntitle = "x"\n'
_CLOSE_UP = re.search(
    r'```\n(name = "Close up".*?)```', (TOP / "docs/automations.md").read_text(), re.DOTALL
)
assert _CLOSE_UP is not None
CLOSE_UP = _CLOSE_UP[1]
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
        "workshop-eye/occupancy": EntityFacts(KINDS["occupancy"], writable=False),
        "loft-lamp/switch": EntityFacts(KINDS["switch"], writable=True),
        "workshop-remote/button-1": EntityFacts(
            KINDS["press"].with_words(["off", "on", "toggle"]), writable=False
        ),
        "loft-dial/dial": EntityFacts(KINDS["turn"], writable=False),
        "house/ada": EntityFacts(KINDS[AT_HOME], writable=True),
    },
    frozenset({"ada"}),
    {"evening": SceneFacts("Evening", ())},
    Position(53.1, 9.2),
    homes={"ada": "house/ada"},
    sequences={"close-up": CLOSE_UP},
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
    # And a text that the schema for editors takes.
    data = msgspec.json.decode(msgspec.json.encode(tomllib.loads(text)))
    jsonschema.validate(data, schema())


def test_the_schema_has_all_that_the_language_has() -> None:
    jsonschema.Draft202012Validator.check_schema(schema())
    action = schema()["properties"]["starts"]["items"]["properties"]
    assert set(ACTIONS) <= set(action)
    assert set(COMPARISONS) <= set(schema()["properties"]["watch"]["properties"])
    # As the console's tests have it; `make types` writes it.
    written = (TOP / "console/src/features/automations/language.json").read_text()
    assert msgspec.json.decode(written) == msgspec.json.decode(msgspec.json.encode(schema()))
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"name": "x", "watch": {"entty": "a/b"}}, schema())


def test_the_reference_has_all_words_as_they_describe_themselves() -> None:
    """`make reference` writes it."""
    document = (TOP / "docs/automations.md").read_text()
    assert reference.made(document) == document
    with pytest.raises(ValueError, match="no place for the comparisons"):
        reference.made("# Automations\n")


# What the hub measures of itself, as entities.
OWN_ENTITIES = {"hub/disk", "hub/links", "hub/certificate", "hub/clock"}
OF_THE_PROJECT = re.compile(
    r"`((?:hombi/)?(?:hub|core|links|service|client|cli|lab|wire|console|tests|bench|scripts)/[\w/.-]*)`"
)


@pytest.mark.parametrize("document", sorted(TOP.glob("*.md")) + sorted(TOP.glob("docs/**/*.md")))
def test_modules_and_pages_that_a_document_names_exist(document: Path) -> None:
    text = document.read_text()
    paths = set(OF_THE_PROJECT.findall(text)) - OWN_ENTITIES
    if document.name != "CHANGELOG.md":  # it speaks of what was, too
        missing = {p for p in paths if not ((TOP / p).exists() or (TOP / "hombi" / p).exists())}
        assert missing == set()
    for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", text):
        assert (document.parent / link).exists(), link


def test_what_works_names_tests_that_there_are() -> None:
    text = (TOP / "docs" / "what-works.md").read_text()
    named = dict(re.findall(r'^\[([a-z]-[a-z]+)\]: (\S+ "\w+")$', text, re.MULTILINE))
    assert len(named) > 15
    assert set(re.findall(r"\]\[([^\]]+)\]", text)) == named.keys()
    for place in named.values():
        file, test = place.split()
        assert f"def {test.strip(chr(34))}(" in (TOP / "docs" / file).resolve().read_text(), place
