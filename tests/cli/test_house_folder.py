"""The whole house as text files: out of one hub, into another, and back."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import make_service
from tests.house import CLIMATE, PLUG, Service, description, let_in

DRY = (
    '# The rinds crack.\nname = "Too dry"\n[watch]\nentity = "cellar-rack/humidity"\n'
    'under = "82 %"\n[[starts]]\nrun = "misting"\n'
)
MISTING = 'name = "Misting"\n[[steps]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
FILES = {
    "automations/too-dry.toml", "dashboards.toml", "nodes.toml", "rooms.toml",
    "sequences/misting.toml", "values.toml",
}  # fmt: skip


def _hub(data: Path, empty_database: Path) -> Service:
    """A hub with two nodes, as they come."""
    data.mkdir()
    shutil.copy(empty_database, data)
    result = make_service(data).start()
    result.sign_in_first()
    let_in(result, description("Cellar rack", **CLIMATE))
    let_in(result, description("Cellar mister", **PLUG))
    return result


@pytest.fixture(scope="module")
def mill(tmp_path_factory: pytest.TempPathFactory, empty_database: Path) -> Iterator[Service]:
    """One that a person has made theirs."""
    result = _hub(tmp_path_factory.mktemp("one") / "hub", empty_database)
    with result.hub() as hub:
        hub.floors.add("Under the roof")
        hub.rooms.add("Drying room", "Under the roof")
        hub.rooms.add("Loft", "Under the roof")
        hub.nodes.move("cellar-rack", "drying-room")
        hub.entities.rename("cellar-rack/humidity", "Moisture")
        hub.entities.see("cellar-rack/temperature", unit="°F", decimals=2, keep="30 d")
        hub.conditioning.set("cellar-rack/humidity", [{"step": "linear", "offset": 1.5, "gain": 1}])
        dew = hub.computed.make(
            "dew-point", ["cellar-rack/temperature", "cellar-rack/humidity"], room="drying-room"
        )
        hub.computed.make("mean", [dew.entity, "cellar-rack/temperature"], room="loft", title="Odd")
        hub.entities.hide("cellar-mister/power")
        hub.sequences.put(MISTING)
        hub.automations.add(DRY)
        hub.dashboards.add("Cheese", [])
    yield result
    result.kill()


@pytest.fixture(scope="module")
def pulled(mill: Service, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("files") / "mill"
    done = mill.hombi("house", "pull", str(folder))
    assert done.returncode == 0, done.stderr
    return folder


def _files(folder: Path) -> dict[str, str]:
    return {
        str(one.relative_to(folder)): one.read_text() for one in folder.rglob("*") if one.is_file()
    }


def test_a_house_is_written_as_files_that_say_what_a_person_chose(
    mill: Service, pulled: Path
) -> None:
    files = _files(pulled)
    assert files.keys() == FILES
    assert files["automations/too-dry.toml"] == DRY
    assert '[drying-room]\nname = "Drying room"\nfloor = "Under' in files["rooms.toml"]
    assert 'unit = "°F"' in files["values.toml"]
    assert mill.hombi("house", "diff", str(pulled)).stdout == "They are the same.\n"
    # A comment stays where the file says the same.
    rooms = pulled / "rooms.toml"
    rooms.write_text("# ours\n" + rooms.read_text())
    assert "Nothing to do" in mill.hombi("house", "pull", str(pulled)).stdout
    assert "Nothing to do" in mill.hombi("house", "push", str(pulled)).stdout
    assert rooms.read_text().startswith("# ours")


def test_a_house_goes_into_another_hub_and_comes_out_the_same(
    pulled: Path, tmp_path: Path, empty_database: Path
) -> None:
    other = _hub(tmp_path / "other", empty_database)
    try:
        told = json.loads(other.hombi("house", "diff", str(pulled), "--json").stdout)
        assert {one["part"]: len(one["only_in_folder"]) for one in told} == {
            "room": 2, "node": 0, "value": 2, "sequence": 1, "automation": 1, "dashboard": 1,
        }  # fmt: skip
        done = other.hombi("house", "push", str(pulled))
        assert done.returncode == 0, done.stderr
        assert "automation too-dry is added" in done.stdout
        assert other.hombi("house", "diff", str(pulled)).stdout == "They are the same.\n"
        back = tmp_path / "back"
        assert other.hombi("house", "pull", str(back)).returncode == 0
        ours = {**_files(pulled), "rooms.toml": _files(back)["rooms.toml"]}  # its comment
        assert _files(back) == ours
        # Changed in the folder, and taken out of it.
        values = back / "values.toml"
        values.write_text(values.read_text().replace("offset = 1.5", "offset = 2.5"))
        (back / "automations" / "too-dry.toml").unlink()
        done = other.hombi("house", "push", str(back))
        assert done.stdout == "value cellar-rack/humidity is changed\n"
        done = other.hombi("house", "push", str(back), "--remove")
        assert done.stdout == "automation too-dry is removed\n"
        with other.hub() as hub:
            assert hub.conditioning.show("cellar-rack/humidity").steps[0]["offset"] == 2.5
            assert hub.automations.list() == []
    finally:
        other.kill()


@pytest.mark.parametrize(
    ("file", "text", "said"),
    [
        ("rooms.toml", "[loft\n", "rooms.toml: Expected ']'"),
        ("rooms.toml", "a = " + "[" * 20_000, "rooms.toml: it is nested too deep"),
        ("automations/too-dry.toml", "a = " + "[" * 15_000, "too-dry.toml"),
        ("rooms.toml", "[loft]\nname = 5\nfloor = 'x'\n", "rooms.toml: Expected `str`, got `int`"),
        ("values.toml", "['a/b']\nnmae = 'x'\n", "unknown field `nmae`"),
        ("nodes.toml", "[boat]\nname = 'Boat'\n", "not in this house yet: boat; pair them"),
        ("automations/too-dry.toml", "name = 'Too dry'\n", "too-dry.toml"),
        ("values.toml", "['a/b']\nname = 'x'\n", "not in this house yet: a; pair them"),
    ],
)
def test_what_cannot_be_taken_is_said_and_changes_nothing(
    mill: Service, tmp_path: Path, file: str, text: str, said: str
) -> None:
    before = tmp_path / "before"
    mill.hombi("house", "pull", str(before))
    path = tmp_path / "wrong" / file
    path.parent.mkdir(parents=True)
    path.write_text(text)
    done = mill.hombi("house", "push", str(tmp_path / "wrong"))
    assert done.returncode == 1
    assert said in done.stderr + done.stdout
    assert mill.hombi("house", "diff", str(before)).stdout == "They are the same.\n"


def test_what_the_hub_has_no_more_does_not_come_back_with_the_next_push(
    mill: Service, tmp_path: Path
) -> None:
    folder = tmp_path / "mill"
    mill.hombi("house", "pull", str(folder))
    with mill.hub() as hub:
        hub.dashboards.remove("cheese")
        text = hub.automations.get("too-dry").text
        hub.automations.remove("too-dry")
    try:
        done = mill.hombi("house", "pull", str(folder))
        assert "dashboards.toml is written" in done.stdout
        assert "automations/too-dry.toml is in the folder only" in done.stdout
        assert (folder / "dashboards.toml").read_text() == ""
        (folder / "automations" / "too-dry.toml").unlink()
        assert "Nothing to do" in mill.hombi("house", "push", str(folder)).stdout
    finally:
        with mill.hub() as hub:
            hub.automations.add(text)
            hub.dashboards.add("Cheese", [])


def test_a_folder_without_a_house_is_none(mill: Service, tmp_path: Path) -> None:
    done = mill.hombi("house", "push", str(tmp_path), "--remove")
    assert done.returncode == 1
    assert "has no file of a house" in done.stderr.replace("\n", " ")
