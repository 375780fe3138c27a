"""`make bench`: all figures, or those named, as a table in docs/benchmarks.md's
form."""

from __future__ import annotations

import sys

from bench.figures import ALL


def main(names: list[str]) -> int:
    held = True
    print("| what | measured | wanted | |\n|---|---|---|---|")
    for name in names or ALL:
        for what, measured, wanted, holds in ALL[name]():
            held &= holds
            print(
                f"| {what} | {measured} | {wanted} | {'holds' if holds else '**does not hold**'} |",
                flush=True,
            )
    return 0 if held else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
