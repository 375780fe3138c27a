"""Trusting the house: what a device needs before it takes the hub's certificate. Nobody
needs to be signed in for it, since all of it is public."""

from __future__ import annotations

from functools import lru_cache
from io import BytesIO

import segno
from django.http import HttpRequest, HttpResponse, JsonResponse
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.hub.trust.profile import configuration_profile
from hombi.service.addresses import house_address, secure_origin
from hombi.service.api.problems import problem
from hombi.service.api.schema import operation
from hombi.service.api.views import View
from hombi.service.bridge import hub
from hombi.wire.trust import Trust

# The forms in which devices take it, each with the type by which a browser hands it on.
FORMS = {
    "pem": "application/x-pem-file",
    "crt": "application/x-x509-ca-cert",
    "mobileconfig": "application/x-apple-aspen-config",
}


@lru_cache(maxsize=8)
def drawn(text: str) -> str:
    """A text as a QR code in SVG, black on white in any light."""
    picture = BytesIO()
    segno.make(text, error="m").save(
        picture, kind="svg", scale=4, border=4, dark="#000", light="#fff", xmldecl=False
    )
    return picture.getvalue().decode()


class TrustView(View):
    """How the house is trusted."""

    authentication_classes = ()
    permission_classes = (AllowAny,)

    @operation(gives=Trust, open_to_all=True)
    def get(self, request: Request) -> Response:
        """The authority, and where the console is over HTTPS."""
        trust, config = hub().trust, hub().config
        authority = trust.authority if not trust.owned else None
        page = f"{house_address(request)}/trust"
        ends = trust.certificate.not_valid_after_utc if trust.certificate is not None else None
        if authority is not None:
            trust.given()
            ends = authority.certificate.not_valid_after_utc
        return Response(
            Trust(
                house=config.house_name,
                own=trust.owned,
                name=authority.name if authority is not None else "",
                certificate=authority.pem().decode() if authority is not None else "",
                fingerprint=authority.fingerprint if authority is not None else "",
                until=round(ends.timestamp() * 1000) if ends is not None else None,
                page=page,
                secure=secure_origin(request) if trust.serving else "",
                problem=trust.shut or trust.problem,
                code=drawn(page),
            )
        )


def authority_file(request: HttpRequest, form: str) -> HttpResponse:
    """The authority's certificate, without its key."""
    hub().trust.given()
    authority = hub().trust.authority
    if authority is None:
        what = "this hub has no authority of its own: https.use is off, or it waits for the time"
        return JsonResponse(problem(404, what), status=404, content_type="application/problem+json")
    house = hub().config.house_name
    if form == "mobileconfig":
        content = configuration_profile(authority, house)
    else:
        content = authority.pem() if form == "pem" else authority.der()
    answer = HttpResponse(content, content_type=FORMS[form])
    answer["Content-Disposition"] = f'attachment; filename="hombi-house.{form}"'
    answer["Cache-Control"] = "no-cache"
    return answer
