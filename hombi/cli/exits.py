"""With what a command ends.

0 done · 1 the hub said no · 2 the command was written wrongly · 3 no hub answers · 4
not signed in · 5 a node did not answer
"""

from __future__ import annotations

SAID_NO, MISSPELT, UNREACHABLE, NOT_SIGNED_IN, UNANSWERED = 1, 2, 3, 4, 5
