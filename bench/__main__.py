"""`make bench`: all figures, or those named, as a table in docs/benchmarks.md's
form."""

from __future__ import annotations

import sys
import traceback
from typing import Annotated

import typer

from bench.figures import ALL


def main(
    rows: Annotated[
        list[str] | None, typer.Argument(help=f"Of: {', '.join(ALL)}. All of them unless named.")
    ] = None,
) -> None:
    """Measure, and print a row for each figure. Exits with 1 where one fails."""
    unknown = [name for name in rows or () if name not in ALL]
    if unknown:
        raise typer.BadParameter(f"there is no row {unknown[0]!r}; use {', '.join(ALL)}")
    held = True
    print("| what | measured | wanted | |\n|---|---|---|---|")
    for name in rows or ALL:
        try:
            for what, measured, wanted, holds in ALL[name]():
                held &= holds
                how = "holds" if holds else "**does not hold**"
                print(f"| {what} | {measured} | {wanted} | {how} |", flush=True)
        except Exception as error:
            held = False
            traceback.print_exc()
            print(f"| {name} | {type(error).__name__}: {error} | | **failed** |", flush=True)
    raise typer.Exit(0 if held else 1)


if __name__ == "__main__":
    sys.tracebacklimit = 5
    typer.run(main)
