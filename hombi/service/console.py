"""The console's files. Any address that is no file is the console's own: it gets the page, which knows the way."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase

from hombi.service.api.problems import problem

FILES = Path(__file__).resolve().parent / "console_files"
mimetypes.add_type("application/manifest+json", ".webmanifest")


def console(request: HttpRequest, path: str) -> HttpResponseBase:
    """A file of the console, or its page."""
    if path == "api" or path.startswith("api/"):
        detail = f"there is no /{path}; /api/docs shows what there is"
        return JsonResponse(problem(404, detail), status=404, content_type="application/problem+json")
    found = (FILES / path).resolve()
    if not (found.is_relative_to(FILES) and found.is_file()):
        if Path(path).suffix:
            return HttpResponse("there is no such file\n", status=404, content_type="text/plain")
        found = FILES / "index.html"
    if not found.is_file():
        return HttpResponse("the console is not built; run `make setup`\n", status=503, content_type="text/plain")
    response = HttpResponse(found.read_bytes(), content_type=mimetypes.guess_type(found.name)[0])
    # Built files carry a hash of their content in their name; the page and the service worker must always be fresh.
    response["Cache-Control"] = "public, max-age=31536000, immutable" if path.startswith("assets/") else "no-cache"
    return response
