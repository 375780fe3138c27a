"""Node profiles: what they change, and what is said about a wrong one."""

from __future__ import annotations

from pathlib import Path

import pytest

from hombi.links.base import ProfileMistakes
from hombi.links.zigbee.points import standard_points
from hombi.links.zigbee.profiles import read_profile
from hombi.links.zigbee.shelf import OURS, Shelf

GOOD = """
[profile]
make = "Wicker Works"
model = "Cool box"

[[value]]
cluster = 0x0402
attribute = 0x0000
name = "inside"
addend = -0.5

[[value]]
cluster = 0x0405
attribute = 0x0000
hidden = true

[[value]]
cluster = 0xFC01
attribute = 0x0007
manufacturer = 0x1399
type = "u16"
name = "lid openings"
report = [0, 3600, 1]
"""


def test_values_are_renamed_rescaled_hidden_and_added() -> None:
    profile, toml = read_profile(GOOD)
    assert profile is not None, toml.mistakes
    points = {one.name: one for one in profile.apply(standard_points(1, [0x0402, 0x0405], {}))}
    assert points["inside"].value(2000) == pytest.approx(19.5)
    assert points["humidity"].hidden
    assert (points["lid openings"].manufacturer, points["lid openings"].cluster) == (0x1399, 0xFC01)


def test_the_houses_own_profile_goes_before_ours(tmp_path: Path) -> None:
    (tmp_path / "mine.toml").write_text(
        GOOD.replace("Wicker Works", "Kelp Row").replace("Cool box", "Soil S7")
    )
    shelf = Shelf(tmp_path)
    assert shelf.wrong == []
    assert shelf.find("Kelp Row", "Soil S7").tunnels == frozenset()
    assert Shelf(None).find("Kelp Row", "Soil S7").tunnels == {(1, 0xFC52)}
    assert shelf.find("Nobody", "Nothing").added == ()


def test_each_of_ours_is_in_order() -> None:
    assert Shelf(None).wrong == []
    assert len(list(OURS.glob("*.toml"))) >= 2


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (('make = "Wicker Works"\n', ""), "line 2, column 2: profile has no make"),
        (
            ("cluster = 0x0402", "clutser = 0x0402"),
            "line 7, column 1: clutser means nothing here; did you mean cluster?",
        ),
        (
            ('type = "u16"', 'type = "u17"'),
            "line 21, column 8: type is 'u17'; expected a type: bool",
        ),
        (("addend = -0.5", 'kind = "temprature"'), "line 10, column 8: kind is 'temprature'"),
        (
            ("addend = -0.5", 'kind = "temperature"\nunit = "lx"'),
            "line 11, column 8: lx measures illuminance",
        ),
        (
            ("report = [0, 3600, 1]", "report = 5"),
            "line 23, column 10: report is 5; expected [shortest s",
        ),
        (
            ("[[value]]\ncluster = 0x0405", "[[vlaue]]\ncluster = 0x0405"),
            "'vlaue' means nothing here; did you mean value?",
        ),
        (("hidden = true", "hidden = yes"), "this is not TOML"),
        (("[profile]", "[profil]"), "there is no [profile]"),
    ],
)
def test_a_mistake_is_named_with_its_place(change: tuple[str, str], said: str) -> None:
    profile, toml = read_profile(GOOD.replace(*change))
    assert profile is None
    assert any(said in str(mistake) for mistake in toml.mistakes), [str(m) for m in toml.mistakes]


def test_a_wrong_file_leaves_the_others(tmp_path: Path) -> None:
    (tmp_path / "bad.toml").write_text("[profile]\n")
    shelf = Shelf(tmp_path)
    assert shelf.find("Kelp Row", "Soil S7").added
    assert shelf.wrong == [
        f"{tmp_path}/bad.toml, line 1, column 2: profile has no make; add make = a "
        f'text, like "Soil moisture"',
        f'{tmp_path}/bad.toml, line 1, column 2: [profile] has no model; add model = "…"',
    ]


def test_a_profile_is_put_on_the_shelf_whole_or_not_at_all(tmp_path: Path) -> None:
    shelf = Shelf(tmp_path / "profiles")
    path, text = shelf.file_for("Wicker Works", "Cool box")
    assert (path.name, text) == ("wicker-works-cool-box.toml", "")
    for wrong, said in (
        (GOOD.replace("[profile]", "[profil]"), "there is no [profile]"),
        (
            GOOD.replace("Cool box", "Hot box"),
            "this is for Wicker Works Hot box, the node is a Wicker Works Cool box",
        ),
    ):
        with pytest.raises(ProfileMistakes, match="mistake") as caught:
            shelf.put("Wicker Works", "Cool box", wrong)
        assert said in {mistake.what for mistake in caught.value.mistakes}
    assert not path.exists()
    assert shelf.put("Wicker Works", "Cool box", GOOD) == path
    assert shelf.file_for("Wicker Works", "Cool box") == (path, GOOD)
    assert shelf.find("Wicker Works", "Cool box").added
    assert not shelf.changed()
    path.write_text(GOOD + "[[vlaue]]\n")
    assert shelf.changed()
    assert shelf.find("Wicker Works", "Cool box").added, (
        "a text with a mistake is ignored as a whole"
    )
    assert len(shelf.wrong) == 1
    path.unlink()
    assert shelf.changed()
    assert shelf.find("Wicker Works", "Cool box").added == ()
    with pytest.raises(ProfileMistakes, match="of what make and model"):
        shelf.file_for("", "")
