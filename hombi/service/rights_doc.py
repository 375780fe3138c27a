"""`python -m hombi.service.rights_doc FILE`: write the table of rights into the
document."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

MARK = "<!-- made from the policy -->\n"


def made(text: str) -> str:
    """The document with the table as the policy has it now. Django must be set up."""
    import hombi.service.urls  # noqa: F401, PLC0415 - all changes are known then
    from hombi.service.rights import table  # noqa: PLC0415

    head, _, _ = text.partition(MARK)
    return f"{head}{MARK}\n{table()}"


def main() -> None:
    """Write it."""
    os.environ.setdefault("HOMBI_DATA", tempfile.mkdtemp())
    os.environ["DJANGO_SETTINGS_MODULE"] = "hombi.service.settings"
    import django  # noqa: PLC0415

    django.setup()
    path = Path(sys.argv[1])
    path.write_text(made(path.read_text()))


if __name__ == "__main__":
    main()
