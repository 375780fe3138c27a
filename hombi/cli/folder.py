"""`hombi automation pull | push | diff`: the texts as files in a folder, for those who
keep them under version control."""

from __future__ import annotations

import difflib
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import typer

from hombi.cli.drawing import as_json, bold, err, mistakes, out
from hombi.cli.exits import SAID_NO
from hombi.cli.run import Json, hub
from hombi.cli.texts import read_text
from hombi.client import Hub

Folder = Annotated[
    Path, typer.Argument(file_okay=False, help="The folder; a text is NAME.toml in it.")
]


@dataclass(frozen=True, slots=True)
class _Both:
    """The texts by name: in the hub, and in the folder."""

    kept: dict[str, str]
    files: dict[str, str]

    @property
    def changed(self) -> list[str]:
        """Those that are in both, and differ."""
        return sorted(n for n in self.kept.keys() & self.files if self.kept[n] != self.files[n])

    @property
    def only_files(self) -> list[str]:
        return sorted(self.files.keys() - self.kept)

    @property
    def only_kept(self) -> list[str]:
        return sorted(self.kept.keys() - self.files)


def _both(h: Hub, folder: Path) -> _Both:
    kept = {automation.automation: automation.text for automation in h.automations.list()}
    return _Both(kept, {path.stem: read_text(path) for path in sorted(folder.glob("*.toml"))})


def pull(folder: Folder, json: Json = False) -> None:
    """Write all texts into a folder, word for word. Other files stay as they are."""
    with hub() as h:
        both = _both(h, folder)
    folder.mkdir(parents=True, exist_ok=True)
    written = [*both.only_kept, *both.changed]
    for name in written:
        (folder / f"{name}.toml").write_bytes(both.kept[name].encode())
    _told("written", written, json=json)


def diff(folder: Folder, json: Json = False) -> None:
    """Show how the texts in a folder differ from those of the hub."""
    with hub() as h:
        both = _both(h, folder)
    if json:
        as_json([{"changed": both.changed, "only_in_folder": both.only_files,
                  "only_in_hub": both.only_kept}])  # fmt: skip
        return
    for name in both.changed:
        before, after = (
            text.splitlines(keepends=True) for text in (both.kept[name], both.files[name])
        )
        for line in difflib.unified_diff(before, after, f"hub/{name}", f"folder/{name}"):
            print(line, end="" if line.endswith("\n") else "\n")
    for name in both.only_files:
        out.print(bold(name), "is in the folder only")
    for name in both.only_kept:
        out.print(bold(name), "is in the hub only")
    if not (both.changed or both.only_files or both.only_kept):
        out.print("They are the same.")


def push(
    folder: Folder,
    remove: Annotated[
        bool, typer.Option("--remove", help="Also remove automations that have no file.")
    ] = False,
    json: Json = False,
) -> None:
    """Give the hub the texts of a folder. All are checked first; with a mistake in one,
    nothing is changed."""
    with hub() as h:
        both = _both(h, folder)
        wanted = [*both.only_files, *both.changed]
        wrong = False
        for name in wanted:
            checked = h.automations.check(both.files[name])
            if not checked.ok:
                wrong = True
                mistakes(checked.mistakes, str(folder / f"{name}.toml"))
        if wrong:
            err.print("Nothing was changed.", style="red")
            raise typer.Exit(SAID_NO)
        for name in both.changed:
            h.automations.change(name, both.files[name])
        for name in both.only_files:
            made = h.automations.add(both.files[name]).automation
            if made != name:
                out.print(f"{name}.toml is now {made}; name the file so to change it later")
        for name in both.only_kept if remove else ():
            h.automations.remove(name)
    _told("taken over", wanted, json=json, removed=both.only_kept if remove else [])


def _told(what: str, names: list[str], *, json: bool, removed: list[str] | None = None) -> None:
    if json:
        as_json([{"changed": names, "removed": removed or []}])
        return
    for name in names:
        out.print(bold(name), f"is {what}")
    for name in removed or []:
        out.print(bold(name), "is removed")
    if not names and not removed:
        out.print("Nothing to do: they are the same.")
