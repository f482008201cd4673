"""The API described as OpenAPI 3.1, from the very models that check what is sent."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from pydantic.json_schema import models_json_schema

import tesoura
from tesoura.actions.action import Action
from tesoura.actions.registry import allowed
from tesoura.actions.roles import Role
from tesoura.actions.schema import parameters_schema
from tesoura.core.values import Freshness
from tesoura.web.api.models import MAX_EVENTS, CloudEvent, PlainEvent, SignalValue

_REF = "#/components/schemas/{model}"

_DONE = {
    "type": "object",
    "required": ["done", "undo"],
    "properties": {
        "done": {"type": "string"},
        "undo": {
            "type": ["object", "null"],
            "properties": {"action": {"type": "string"}, "parameters": {"type": "object"}},
        },
    },
}


def _json(schema: dict[str, Any]) -> dict[str, Any]:
    return {"content": {"application/json": {"schema": schema}}}


def _ref(name: str) -> dict[str, str]:
    return {"$ref": _REF.format(model=name)}


_CLIP: dict[str, Any] = {
    "type": "object",
    "properties": {
        "id": {"type": "integer"},
        "title": {"type": "string"},
        "at": {"type": "string", "format": "date-time"},
        "seconds": {"type": "number"},
        "instrument": {"type": ["string", "null"]},
        "width_px": {"type": "integer"},
        "height_px": {"type": "integer"},
        "size": {"type": "integer", "description": "bytes"},
        "starred": {"type": "boolean"},
        "file": {"type": "string", "description": "Address of the file"},
    },
}


def _parameter(name: str, words: str) -> dict[str, Any]:
    return {"name": name, "in": "query", "description": words, "schema": {"type": "string"}}


def _problem(description: str) -> dict[str, Any]:
    return {"description": description, "content": {"application/problem+json": {"schema": _ref("Problem")}}}


def _signal_schema() -> dict[str, Any]:
    return {
        "type": "object",
        "required": ["name", "value", "unit", "observed_at", "freshness"],
        "properties": {
            "name": {"type": "string", "examples": ["reach.members"]},
            "value": {"type": ["number", "string", "boolean", "null"]},
            "unit": {"type": "string"},
            "observed_at": {"type": ["string", "null"], "format": "date-time"},
            "freshness": {"enum": [state.value for state in Freshness]},
        },
    }


_PROBLEM = {
    "type": "object",
    "required": ["title", "status", "detail"],
    "properties": {
        "type": {"type": "string"},
        "title": {"type": "string"},
        "status": {"type": "integer"},
        "detail": {"type": "string"},
        "errors": {"type": "array", "items": {"type": "object"}},
    },
}
_COUNTS = {
    "type": "object",
    "required": ["accepted", "duplicates"],
    "properties": {"accepted": {"type": "integer"}, "duplicates": {"type": "integer"}},
}
_NAME = {"name": "name", "in": "path", "required": True, "schema": {"type": "string"}}


def _action(action: Action, refused: dict[str, Any]) -> dict[str, Any]:
    """Doing one action, made from the action itself."""
    return {
        "post": {
            "summary": action.title,
            "description": action.about,
            "requestBody": _json(parameters_schema(action)),
            "responses": {
                "200": {"description": "Done, with a description and the action that undoes it", **_json(_DONE)},
                "404": _problem("The object doesn't exist"),
                "422": _problem("Invalid parameters, or an action that isn't possible now"),
                **refused,
            },
        }
    }


@lru_cache(maxsize=1)
def describe() -> dict[str, Any]:
    """The whole description."""
    models = [(model, "validation") for model in (PlainEvent, CloudEvent, SignalValue)]
    _, schemas = models_json_schema(models, ref_template=_REF)  # type: ignore[arg-type]
    event = {"oneOf": [_ref("PlainEvent"), _ref("CloudEvent")]}
    refused = {"401": _problem("No key, or an invalid key"), "413": _problem("Over 1 MB")}
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Tesoura",
            "version": tesoura.__version__,
            "description": "Send events, set and read signals. Every error is a problem+json with advice.",
        },
        "security": [{"key": []}],
        "paths": {
            "/api/events": {
                "post": {
                    "summary": "Send an event",
                    "description": f"One event or a list of at most {MAX_EVENTS:,}; answered when they are on disk.",
                    "requestBody": _json({"oneOf": [event, {"type": "array", "items": event}]}),
                    "responses": {
                        "202": {"description": "Taken", **_json(_COUNTS)},
                        "400": _problem("Not JSON"),
                        "422": _problem("An invalid event; nothing was logged"),
                        **refused,
                    },
                }
            },
            "/api/clips": {
                "get": {
                    "summary": "Saved clips, newest first",
                    "responses": {
                        "200": {"description": "The clips", **_json({"type": "array", "items": _CLIP})},
                        **refused,
                    },
                },
                "post": {
                    "summary": "Add a clip",
                    "description": "The body is the file: MP4, WebM, MKV or MPEG-TS, at most ten minutes.",
                    "parameters": [
                        _parameter("title", "Title"),
                        _parameter("ends_at", "Time of the last frame, with its zone"),
                        _parameter("show", "The replay instrument that shows it at once"),
                    ],
                    "requestBody": {
                        "required": True,
                        "content": {"video/*": {"schema": {"type": "string", "format": "binary"}}},
                    },
                    "responses": {
                        "201": {"description": "Saved", **_json(_CLIP)},
                        "413": _problem("Reading it takes too long"),
                        "422": _problem("Not a usable clip; see the detail"),
                        **refused,
                    },
                },
            },
            "/api/signals": {
                "get": {
                    "summary": "All signals",
                    "responses": {
                        "200": {"description": "By name", **_json({"type": "array", "items": _ref("Signal")})},
                        "401": refused["401"],
                    },
                }
            },
            "/api/signals/{name}": {
                "parameters": [_NAME],
                "get": {
                    "summary": "One signal",
                    "responses": {
                        "200": {"description": "The current value", **_json(_ref("Signal"))},
                        "404": _problem("No such signal"),
                        "401": refused["401"],
                    },
                },
                "put": {
                    "summary": "Set a script signal",
                    "requestBody": _json(_ref("SignalValue")),
                    "responses": {
                        "200": {"description": "The current value", **_json(_ref("Signal"))},
                        "400": _problem("Not JSON"),
                        "409": _problem("Not a script signal"),
                        "422": _problem("Invalid value or name"),
                        **refused,
                    },
                },
            },
            "/api/hand/{name}": {
                "parameters": [_NAME],
                "put": {
                    "summary": "Set a hand-set value, or change it by steps",
                    "requestBody": _json(
                        {
                            "oneOf": [
                                {"type": "object", "required": ["value"], "properties": {"value": {}}},
                                {
                                    "type": "object",
                                    "required": ["step"],
                                    "properties": {"step": {"type": "integer", "description": "1 is up, -1 is down"}},
                                },
                            ]
                        }
                    ),
                    "responses": {
                        "200": {"description": "The current value", **_json(_ref("Signal"))},
                        "404": _problem("No hand-set value of this name"),
                        "422": _problem("A value outside its range"),
                        **refused,
                    },
                },
            },
            "/api/instruments": {
                "get": {
                    "summary": "All instruments with their values and commands",
                    "responses": {
                        "200": {"description": "By name", **_json({"type": "array", "items": {"type": "object"}})},
                        "401": refused["401"],
                    },
                }
            },
            "/api/instruments/{name}/records": {
                "parameters": [_NAME],
                "get": {
                    "summary": "The records of an instrument; ?kind= for one kind",
                    "responses": {
                        "200": {"description": "Newest first", **_json({"type": "array", "items": {"type": "object"}})},
                        "404": _problem("No such instrument"),
                        "401": refused["401"],
                    },
                },
            },
            "/api/signals/{name}/why": {
                "parameters": [_NAME],
                "get": {
                    "summary": "The origin of a signal's value: events, readings, inputs",
                    "responses": {
                        "200": {"description": "The current value", **_json({"type": "object"})},
                        "404": _problem("No such signal"),
                        "401": refused["401"],
                    },
                },
            },
            "/api/instruments/{name}/{command}": {
                "parameters": [_NAME, {**_NAME, "name": "command"}],
                "post": {
                    "summary": "Send a command with its parameters to an instrument",
                    "requestBody": _json({"type": "object"}),
                    "responses": {
                        "200": {"description": "The current value, and what was done", **_json({"type": "object"})},
                        "404": _problem("No such instrument"),
                        "422": _problem("A command that isn't possible now, or invalid parameters"),
                        **refused,
                    },
                },
            },
            "/api/cues": {
                "get": {
                    "summary": "All cues with status and description",
                    "responses": {
                        "200": {"description": "By name", **_json({"type": "array", "items": {"type": "object"}})},
                        "401": refused["401"],
                    },
                }
            },
            "/api/cues/{name}/press": {
                "parameters": [_NAME],
                "post": {
                    "summary": "Run a cue; its cooldown applies",
                    "requestBody": _json({"type": "object"}),
                    "responses": {
                        "200": {"description": "What it does, or why it doesn't run", **_json({"type": "object"})},
                        "404": _problem("No such cue"),
                        "422": _problem("Only `person` is accepted"),
                        **refused,
                    },
                },
            },
            "/api/actions": {
                "get": {
                    "summary": "The actions a program may perform, with parameters",
                    "responses": {
                        "200": {"description": "In order", **_json({"type": "array", "items": {"type": "object"}})},
                        "401": refused["401"],
                    },
                }
            },
            **{f"/api/actions/{action.name}": _action(action, refused) for action in allowed(Role.KEY)},
            "/healthz": {
                "get": {
                    "summary": "Health and feed status",
                    "security": [],
                    "responses": {"200": {"description": "It runs"}},
                }
            },
        },
        "components": {
            "securitySchemes": {"key": {"type": "http", "scheme": "bearer"}},
            "schemas": {**schemas["$defs"], "Signal": _signal_schema(), "Problem": _PROBLEM},
        },
    }
