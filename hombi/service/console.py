"""The console's files. Any address that is not a file is the console's own: it gets the
page, which knows the way."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from django.contrib.staticfiles.views import serve
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.urls import resolve
from django.views.decorators.csrf import csrf_exempt

from hombi.service.api.problems import problem

FILES = Path(__file__).resolve().parent / "console_files"
# By this header the service worker knows the hub's page from the sign-in page of some
# network.
PAGE = "Hombi-Page"
mimetypes.add_type("application/manifest+json", ".webmanifest")


# it changes nothing; what is asked of it in vain is answered as such, not as a forgery
@csrf_exempt
def console(request: HttpRequest, path: str) -> HttpResponseBase:
    """A file of the console, or its page."""
    if path == "api" or path.startswith("api/"):
        known = path.rstrip("/") != path and _resolves(f"/{path.rstrip('/')}")
        hint = "leave the slash at its end out" if known else "/api/docs shows what there is"
        return _refused(404, f"there is no /{path}; {hint}")
    if request.method not in ("GET", "HEAD"):
        return _refused(405, "the console's pages are only read")
    result = _file(path)
    if result is None:
        if Path(path).suffix:
            return HttpResponse("there is no such file\n", status=404, content_type="text/plain")
        result = FILES / "index.html"
    if not result.is_file():
        return HttpResponse(
            "the console is not built; run `make setup`\n", status=503, content_type="text/plain"
        )
    response = HttpResponse(result.read_bytes(), content_type=mimetypes.guess_type(result.name)[0])
    # Built files carry a hash of their content in their name; the page and the service
    # worker must always be fresh.
    response["Cache-Control"] = (
        "public, max-age=31536000, immutable" if path.startswith("assets/") else "no-cache"
    )
    if result.name == "index.html":
        response[PAGE] = "console"
    return response


def _file(path: str) -> Path | None:
    try:
        result = (FILES / path).resolve()
        return result if result.is_relative_to(FILES) and result.is_file() else None
    except (OSError, ValueError):  # a name that no file can have
        return None


def _resolves(path: str) -> bool:
    return resolve(path).func is not console


def _refused(status: int, detail: str) -> JsonResponse:
    return JsonResponse(
        problem(status, detail), status=status, content_type="application/problem+json"
    )


def whole_file(request: HttpRequest, path: str) -> HttpResponse:
    """A file of the API's pages. It is read whole: Django streams it piece by piece,
    and warns in the terminal of each file that this costs a thread."""
    answer = serve(request, path, insecure=True)
    return HttpResponse(b"".join(answer), status=answer.status_code, headers=dict(answer.items()))
