"""`hombi house pull | push | diff`: the whole house as text files in a folder, for who
keeps it under version control or moves parts of it."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from hombi.cli.drawing import as_json, bold, err, mistakes, out
from hombi.cli.exits import SAID_NO
from hombi.cli.house_files.parts import PARTS, Difference, differences
from hombi.cli.house_files.shapes import Absent, FileError
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub
from hombi.client import Hub, HubProblem

app = noun("The house as text files: rooms, names, steps, computed values, automations, pages.")
Folder = Annotated[Path, typer.Argument(file_okay=False, help="The folder.")]


@app.command()
def pull(folder: Folder, json: Json = False) -> None:
    """Write the house into a folder. A file that says the same stays as it is, with its
    comments."""
    changed: list[str] = []
    left: list[str] = []
    with hub() as h, _said():
        for part in PARTS:
            kept = part.kept(h)
            there = part.found(folder)
            texts = part.files(kept)
            if part.shape is not None:
                texts = {} if there == kept else {part.file: texts.get(part.file, "")}
            elif there is not None:
                left += [f"{part.file}/{one}.toml" for one in there if one not in kept]
            for name, text in texts.items():
                path = folder / name
                if not text and not path.exists():
                    continue
                if not path.exists() or path.read_bytes() != text.encode():
                    path.parent.mkdir(parents=True, exist_ok=True)
                    path.write_bytes(text.encode())
                    changed.append(name)
    if json:
        as_json([{"written": changed, "only_in_folder": left}])
        return
    for name in changed:
        out.print(bold(name), "is written")
    for name in left:
        out.print(bold(name), "is in the folder only; delete it, or push it")
    if not (changed or left):
        out.print("Nothing to do: they are the same.")


@app.command()
def diff(folder: Folder, json: Json = False) -> None:
    """Show how the house in a folder differs from the hub's. What the folder has no
    file of is left out."""
    with hub() as h, _said():
        result = list(differences(h, folder))
    if json:
        as_json(_counted(result))
        return
    same = True
    for difference in result:
        before, after = (
            difference.part.files(difference.kept),
            difference.part.files(difference.wanted),
        )
        for name in sorted(before.keys() | after.keys()):
            old, new = (texts.get(name, "").splitlines(keepends=True) for texts in (before, after))
            for line in difflib.unified_diff(old, new, f"hub/{name}", f"folder/{name}"):
                same = False
                print(line, end="" if line.endswith("\n") else "\n")
    if same:
        out.print("They are the same.")


@app.command()
def push(
    folder: Folder,
    remove: Annotated[
        bool, typer.Option("--remove", help="Also remove what the folder does not have any more.")
    ] = False,
    json: Json = False,
) -> None:
    """Give the hub the house of a folder. All files are read first; with a mistake in
    one, nothing is changed. A node is never added: it must be paired."""
    done: list[str] = []
    with hub() as h, _said():
        result = list(differences(h, folder))
        _check(h, result, folder)
        problems: list[str] = []
        absent: set[str] = set()
        for difference in reversed(result) if remove else ():
            _each(difference.gone, partial(_removed, h, difference), done, problems, absent)
        for difference in result:
            _each(
                [*difference.new, *difference.changed],
                partial(_put, h, difference),
                done,
                problems,
                absent,
            )
            difference.part.settle(h, difference.wanted)
    if absent:
        named = ", ".join(sorted(absent))
        problems.insert(0, f"not in this house yet: {named}; pair them, and push again")
    if json:
        as_json([{"done": done, "problems": problems}])
    else:
        for line in done:
            out.print(line, soft_wrap=True)
        if not (done or problems):
            out.print("Nothing to do: they are the same.")
    for line in problems:
        err.print(line, style="red", soft_wrap=True)
    if problems:
        raise typer.Exit(SAID_NO)


@contextmanager
def _said() -> Iterator[None]:
    try:
        yield
    except FileError as error:
        err.print(str(error), style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO) from error


def _check(h: Hub, found: list[Difference], folder: Path) -> None:
    """Say every mistake of the texts. Where the same push brings what they may name,
    each is checked when its turn comes."""
    brings = any(difference.new for difference in found if difference.part.what != "automation")
    wrong = False
    for difference in found if not brings else ():
        for name in [*difference.new, *difference.changed]:
            if said := difference.part.sound(h, difference.wanted[name]):
                wrong = True
                mistakes(said, str(folder / difference.part.file / f"{name}.toml"))
    if wrong:
        raise FileError("Nothing was changed.")


def _each(
    names: Sequence[str],
    do: Callable[[str], str],
    done: list[str],
    problems: list[str],
    absent: set[str],
) -> None:
    """Do this for each, and again for those that waited for another of them. What the
    hub refuses keeps nobody else back; `absent` gets the nodes that are not here."""
    while names:
        refused = {}
        for name in names:
            try:
                done += [line] if (line := do(name)) else []
            except Absent:
                absent.add(name.partition("/")[0])
            except (FileError, HubProblem) as error:
                refused[name] = f"{name}: {error}"
        if len(refused) == len(names):
            problems += refused.values()
            return
        names = list(refused)


def _put(h: Hub, difference: Difference, name: str) -> str:
    part = difference.part
    if name in difference.kept:
        part.change(h, name, difference.kept[name], difference.wanted[name])
        return f"{part.what} {name} is changed"
    made = part.add(h, name, difference.wanted[name])
    return f"{part.what} {name} is added" + (f", as {made}" if made != name else "")


def _removed(h: Hub, difference: Difference, name: str) -> str:
    own = getattr(difference.kept[name], "computed", True)  # a node's value goes with its node
    if difference.part.remove is None or not own:
        return ""
    difference.part.remove(h, name)
    return f"{difference.part.what} {name} is removed"


def _counted(found: list[Difference]) -> list[dict[str, object]]:
    return [
        {
            "part": difference.part.what,
            "changed": difference.changed,
            "only_in_folder": difference.new,
            "only_in_hub": difference.gone,
        }
        for difference in found
    ]
