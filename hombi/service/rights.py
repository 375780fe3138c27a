"""The table of what who may do, made from the policy itself; docs/rights.md has it."""

from __future__ import annotations

from typing import Any

from hombi.hub.kernel import ROLES, Change, Right, Role
from hombi.hub.kernel.policy import LIMITS

MARK = {True: "yes", False: ""}


def all_changes() -> list[type[Change[Any, Any]]]:
    """Every change that there is, by name."""
    return sorted(Change.__subclasses__(), key=lambda kind: kind.__name__)


def table() -> str:
    """Markdown: each right with the roles that have it, and each change with its
    right."""
    roles = [role.value for role in Role]
    lines = [f"| may … | {' | '.join(roles)} | a token that reads | that switches |"]
    lines.append("|---" * (len(roles) + 3) + "|")
    for right in Right:
        cells = [MARK[role in ROLES[right]] for role in Role]
        cells += [MARK[right in LIMITS[limit]] for limit in list(LIMITS)[:2]]
        lines.append(f"| {right} | {' | '.join(cells)} |")
    lines += ["", "| change | what it is | needs the right to |", "|---|---|---|"]
    for kind in all_changes():
        about = " ".join((kind.__doc__ or "").split()).split(". ")[0].rstrip(".")
        lines.append(f"| {kind.__name__} | {about} | {kind.right} |")
    return "\n".join(lines) + "\n"
