"""What all views have in common: who asks, and where the live stream stands."""

from __future__ import annotations

from typing import Any, TypeVar

from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.hub.errors import Invalid
from hombi.hub.kernel import Actor, Change
from hombi.service.bridge import change, hub
from hombi.wire import UnsetType

T = TypeVar("T")
POSITION = "Hombi-Live"


class View(APIView):
    """A view. Each answer says in a header where the live stream stood before it was
    made: who follows from there misses nothing, and hears nothing twice."""

    _position = ""

    def initial(self, request: Request, *args: Any, **kwargs: Any) -> None:
        self._position = hub().context.live.here
        super().initial(request, *args, **kwargs)

    def finalize_response(
        self, request: Request, response: Response, *args: Any, **kwargs: Any
    ) -> Response:
        answer = super().finalize_response(request, response, *args, **kwargs)
        if self._position:
            answer[POSITION] = self._position
        return answer


def actor(request: Request) -> Actor:
    """Who makes the changes of this request."""
    return Actor.person(str(request.user.username))


def done(request: Request, made: Change[Any, Any], status: int = 204) -> Response:
    """Make a change, and answer without a body."""
    change(actor(request), made, lambda *_: None)
    return Response(status=status)


def given(value: T | UnsetType) -> T | None:
    """A field that need not be given; None when it is not."""
    return None if isinstance(value, UnsetType) else value


def whole_number(request: Request, name: str, otherwise: int) -> int:
    """A query parameter as a whole number. Raises Invalid."""
    text = request.query_params.get(name)
    if text is None or text == "":
        return otherwise
    try:
        number = int(text)
    except ValueError as error:
        raise Invalid(f"{name}={text} is not a whole number") from error
    if not 0 <= number < 2**53:
        raise Invalid(f"{name}={text} is out of range")
    return number


def yes(request: Request, name: str) -> bool:
    """A query parameter as a yes or no; no unless it is given."""
    return request.query_params.get(name, "") in ("true", "1", "yes")
