"""What can go wrong with a call.

HubProblem                 the hub answered with a problem (RFC 9457)
├── Wrong          400 422 what was sent is wrong; `mistakes` may say where
├── NotSignedIn    401     no token, or one that is not known
├── NotAllowed     403
├── Missing        404
├── Conflict       409     it cannot be done now
└── TooMany        429 503 ask again later
HubUnreachable             no answer at all
"""

from __future__ import annotations

import msgspec

from hombi.wire.automations import Mistake


class HubProblem(Exception):
    """The hub answered with a problem."""

    def __init__(self, status: int, detail: str, mistakes: list[Mistake] | None = None) -> None:
        super().__init__(detail)
        self.status, self.detail, self.mistakes = status, detail, mistakes or []


class Wrong(HubProblem):
    """What was sent is wrong."""


class NotSignedIn(HubProblem):
    """No token, or one that is not known."""


class NotAllowed(HubProblem):
    """This person may not do that."""


class Missing(HubProblem):
    """What was named does not exist."""


class Conflict(HubProblem):
    """It cannot be done now."""


class TooMany(HubProblem):
    """Ask again later."""


class HubUnreachable(Exception):
    """No hub answers there."""


_BY_STATUS: dict[int, type[HubProblem]] = {
    400: Wrong,
    401: NotSignedIn,
    403: NotAllowed,
    404: Missing,
    409: Conflict,
    422: Wrong,
    429: TooMany,
    503: TooMany,
}


class _Problem(msgspec.Struct):
    detail: str
    mistakes: list[Mistake] = []


def problem(status: int, body: bytes) -> HubProblem:
    """The error that an answer of this status stands for."""
    try:
        answer = msgspec.json.decode(body, type=_Problem)
    except msgspec.DecodeError:
        answer = _Problem(f"the hub answered {status} without saying why")
    return _BY_STATUS.get(status, HubProblem)(status, answer.detail, answer.mistakes)


def untrusted(url: str, why: str) -> HubUnreachable:
    """The error for a certificate that this machine does not take."""
    return HubUnreachable(
        f"this machine does not trust the certificate at {url} ({why}); `hombi trust --take "
        "--hub HOST` has it trust the house"
    )


def unreachable(url: str, *, late: bool) -> HubUnreachable:
    """The error for a call that got no answer, or none in time."""
    what = "did not answer in time" if late else "cannot be reached"
    return HubUnreachable(
        f"the hub at {url} {what}; is it running? (`hombi serve`, or HOMBI_PORT for another port)"
    )
