"""What all views have in common: who asks, and where the live stream stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar, TypeVar

from django.http import HttpResponse
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.hub.errors import Invalid, NotFound
from hombi.hub.house import BY_NAME
from hombi.hub.kernel import Actor, Change, Right, allows
from hombi.service.accounts.who import actor_of, meant_by
from hombi.service.bridge import change, hub, read
from hombi.wire.base import UnsetType

T = TypeVar("T")
POSITION = "Hombi-Live"


class MayDo(BasePermission):
    """Whether who asks has the right that a view needs. What changes something needs
    the change's own right besides."""

    message = ""

    def has_permission(self, request: Request, view: Any) -> bool:
        if not request.user or not request.user.is_authenticated:
            return False
        if not isinstance(view, View):
            return True
        who = actor(request)
        needed = view.reads if request.method in SAFE_METHODS else view.does
        if not allows(who, needed):
            self.message = f"{who} may not {needed}"
            return False
        if who.scoped:
            _theirs(who, view.kwargs)  # which the view is called with
        return True


def _theirs(who: Actor, named: dict[str, Any]) -> None:
    """Have an address name what it means among what is theirs to see. Raises NotFound
    for all else: for them, it is not there."""
    if "name" in named:
        by_name = named.get("node", BY_NAME) == BY_NAME
        address = str(named["name"]) if by_name else f"{named['node']}/{named['name']}"
        result = read(lambda h: meant_by(h, who, address).address)
        if "node" in named:
            named["node"], _, named["name"] = result.partition("/")
        else:
            named["name"] = result
    if "dashboard" in named:
        shown = str(named["dashboard"])
        own = shown == who.dashboard or shown.removeprefix("room-") in who.rooms
        if not own:
            raise NotFound(f"no dashboard {shown}")


class View(APIView):
    """A view. Each answer says in a header where the live stream stood before it was
    made: who follows from there misses nothing, and hears nothing twice.

    `reads` is the right that reading needs, `does` that of everything else. Guests and
    walls have neither unless a view says otherwise: what they may ask is listed, not
    what they may not.
    """

    permission_classes: Sequence[type[BasePermission]] = (MayDo,)
    reads: ClassVar[Right] = Right.SEE
    does: ClassVar[Right] = Right.SEE
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
    result: Actor | None = getattr(request, "hombi_actor", None)
    if result is None:
        result = actor_of(request.user, request.auth)
        request.hombi_actor = result  # type: ignore[attr-defined]
    return result


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


def picture(media_type: str, content: bytes, cache: str) -> HttpResponse:
    """The answer with a picture of a camera's."""
    return HttpResponse(content, content_type=media_type, headers={"Cache-Control": cache})
