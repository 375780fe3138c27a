from __future__ import annotations

from pathlib import Path

from hombi.core.changelog import Release, releases


def test_each_heading_is_a_release_and_each_point_a_line_however_it_is_wrapped() -> None:
    text = (
        "# Changelog\n\nOf no release.\n\n## 0.2.0\n\nThe second\none.\n\n- A point with `code`\n"
        "  over two lines.\n- Another on *A page* - with a dash, 2 * 3.\n\n## 0.1.0\n"
    )
    assert releases(text) == [
        Release(
            "0.2.0",
            (
                "The second one.",
                "A point with code over two lines.",
                "Another on A page - with a dash, 2 * 3.",
            ),
        ),
        Release("0.1.0", ()),
    ]
    assert releases("") == []


def test_the_projects_own_is_understood() -> None:
    result = releases((Path(__file__).parents[2] / "CHANGELOG.md").read_text())
    assert [one.name for one in result][-2:] == ["0.2.0", "0.1.0"]
    assert all(one.lines for one in result)
    assert not [line for one in result for line in one.lines if "\n" in line or line[0] == "-"]
