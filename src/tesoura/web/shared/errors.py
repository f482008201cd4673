"""Errors: pages for people, problem+json for programs, both telling what to do."""

from __future__ import annotations

import json
from contextlib import suppress
from typing import cast

from flask import Flask, Response, current_app, jsonify, redirect, render_template, request
from flask_wtf.csrf import CSRFError
from werkzeug.exceptions import HTTPException, MethodNotAllowed, NotFound
from werkzeug.routing import RequestRedirect

from tesoura.errors import DataFolderError, Gone, Invalid, InvalidPiece, NotYours, SourceError
from tesoura.uploads.files import too_large
from tesoura.web.access.views import is_stranger
from tesoura.web.shared.sized_request import kind_sent

PROBLEM = "application/problem+json"
FOR_PROGRAMS = ("/api/", "/in/")
_SAID = {
    400: ("Bad request", "Go back, check what you entered and send it again."),
    404: ("Page not found", "It may have been deleted, or the address is misspelled."),
    405: ("Not possible at this address", "Use the buttons on the pages."),
    413: ("Too large", "At most 1 MB can be sent at once. Send it in parts."),
    500: ("An error in Tesoura", "Saved data is safe. Try again; details are in the terminal."),
}


def problem_document(status: int, title: str, detail: str, **more: object) -> dict[str, object]:
    """The members of an RFC 9457 answer."""
    return {"type": "about:blank", "title": title, "status": status, "detail": detail, **more}


def problem(status: int, title: str, detail: str, **more: object) -> Response:
    """An RFC 9457 answer."""
    response = jsonify(problem_document(status, title, detail, **more))
    response.status_code, response.mimetype = status, PROBLEM
    return response


def register(app: Flask) -> None:
    """Answer every error in the form its reader expects."""
    app.register_error_handler(HTTPException, _http)
    app.register_error_handler(CSRFError, _csrf)
    app.register_error_handler(DataFolderError, _store)
    app.register_error_handler(NotYours, lambda error: _answer(403, "Not allowed", str(error)))
    app.register_error_handler(Invalid, lambda error: _answer(422, "Can't be used", _told(error)))
    app.register_error_handler(SourceError, lambda error: _answer(503, "Not done", str(error)))
    app.register_error_handler(Gone, lambda error: _answer(404, "No longer there", str(error)))


def _answer(status: int, title: str, detail: str) -> Response:
    if request.path.startswith(FOR_PROGRAMS) or request.accept_mimetypes.best == "application/json":
        return problem(status, title, detail)
    template = "pages/gone.html" if request.path.startswith("/o/") else "errors/page.html"
    if template == "errors/page.html" and is_stranger():
        template = "errors/stranger.html"
    return Response(render_template(template, status=status, title=title, detail=detail), status)


def _told(error: Invalid) -> str:
    told = " ".join(dict.fromkeys(error.wrong.values())) if isinstance(error, InvalidPiece) else str(error)
    return f"{told} Go back and correct it. Nothing was changed."


def _http(error: HTTPException) -> Response:
    if error.code is None or error.code < 400:
        return Response(error.get_response().get_data(), error.code or 500, dict(error.get_headers()))
    for_people = not request.path.startswith((*FOR_PROGRAMS, "/o/")) and request.accept_mimetypes.accept_html
    if error.code == 405 and request.method == "GET" and for_people and not is_stranger():
        return _to_page(request.path)
    title, detail = _SAID.get(error.code, (error.name, error.description or "Try again."))
    if error.code == 413 and (kind := kind_sent(request.path)):
        detail = too_large(kind, request.content_length or 0)
        if request.path.startswith("/media/"):
            return Response(json.dumps({"wrong": detail}), 413, mimetype="application/json")
    if error.code == 405 and request.path.startswith("/in/"):
        detail = "This is the private address of a feed. Send a POST."
    if error.code == 405 and request.path.startswith("/api/"):
        detail = f"{request.path} doesn't accept {request.method}. See /api/openapi.json for the methods."
    if error.code == 404 and request.path.startswith("/api/"):
        detail = "See /api/openapi.json for all addresses."
    return _answer(error.code, title, detail)


def _to_page(path: str) -> Response:
    """Go to the page of the form that posts to this address: the nearest address above it that has one."""
    adapter = current_app.create_url_adapter(request)
    while adapter and path:
        path = path.rpartition("/")[0]
        for page in (path, f"{path}/"):
            with suppress(NotFound, MethodNotAllowed, RequestRedirect):
                adapter.match(page, method="GET")
                return cast(Response, redirect(page))
    return cast(Response, redirect("/"))


def _csrf(_: CSRFError) -> Response:
    return _answer(400, "This page is outdated", "Reload it and send it again. Nothing was changed.")


def _store(error: DataFolderError) -> Response:
    return _answer(507, "Not saved", str(error))
