"""The description of the HTTP interface: OpenAPI 3.1, made of what every route says of itself (endpoint.py).

Source: OpenAPI Specification 3.1.1, OpenAPI Initiative; its schemas are JSON Schema, draft 2020-12.
"""

from __future__ import annotations

import re
from functools import cache
from typing import Any

from flask import Flask
from pydantic import TypeAdapter
from werkzeug.routing import Rule

from amber_thicket import __version__
from amber_thicket.service import answers
from amber_thicket.web.endpoint import JSON, Contract, NoQuery

_COMPONENTS = "#/components/schemas/{model}"
_PARAMETER = re.compile(r"<(?:(\w+)(?:\(([^)]*)\))?:)?(\w+)>")


def description(app: Flask) -> dict[str, Any]:
    """The whole description of an application's routes."""
    schemas: dict[str, Any] = {}
    paths: dict[str, dict[str, Any]] = {}
    for rule in app.url_map.iter_rules():
        contract = contract_of(app, rule)
        for path in paths_of(rule) if contract else ():
            assert contract is not None
            paths.setdefault(path, {})[_method(rule)] = _operation(app, rule, path, contract, schemas)
    paths["/api/events"] = {"get": _stream(schemas)}
    _problem(schemas)
    return {
        "openapi": "3.1.1",
        "info": {
            "title": "Amber Thicket",
            "version": __version__,
            "description": "Photographs in; seamless, checked PBR map sets out. docs/guide/api.md walks a whole job.",
        },
        "security": [{"token": []}, {}],
        "paths": dict(sorted(paths.items())),
        "components": {
            "schemas": dict(sorted(schemas.items())),
            "securitySchemes": {"token": {"type": "http", "scheme": "bearer"}},
        },
    }


def contract_of(app: Flask, rule: Rule) -> Contract | None:
    """What a route says of itself; None for those of the page."""
    found: Contract | None = getattr(app.view_functions[rule.endpoint], "contract", None)
    return found


def schema_of(shape: Any, schemas: dict[str, Any], *, mode: Any) -> dict[str, Any]:
    """The schema of a shape; what it names goes into schemas. mode: "validation" of what comes in, "serialization" of
    what goes out."""
    found = dict(_schema(shape, mode))
    for name, schema in found.pop("$defs", {}).items():
        known = schemas.setdefault(name, schema)
        if known != schema and "required" not in known:
            schemas[name] = schema
    return found


@cache
def _schema(shape: Any, mode: Any) -> dict[str, Any]:
    """The schema of a shape with all it names, the same at every asking: no one may change it."""
    return TypeAdapter(shape).json_schema(ref_template=_COMPONENTS, mode=mode, by_alias=True)


def paths_of(rule: Rule) -> list[str]:
    """The paths of a route; one that takes one of several words is as many."""
    found = [rule.rule]
    for whole, converter, options in re.findall(r"(<(\w+)\(([^)]*)\):\w+>)", rule.rule):
        if converter == "any":
            found = [path.replace(whole, option.strip()) for path in found for option in options.split(",")]
    return [_PARAMETER.sub(r"{\3}", path) for path in found]


def _method(rule: Rule) -> str:
    return next(method for method in sorted(rule.methods or ()) if method not in ("HEAD", "OPTIONS")).lower()


def _operation(app: Flask, rule: Rule, path: str, contract: Contract, schemas: dict[str, Any]) -> dict[str, Any]:
    view = app.view_functions[rule.endpoint]
    summary, _, more = (view.__doc__ or "").strip().partition("\n\n")
    told: dict[str, Any] = {
        "operationId": _operation_id(rule, path),
        "tags": [rule.endpoint.partition(".")[0]],
        "parameters": [*_path_parameters(rule, path), *_query_parameters(contract, schemas)],
        "responses": _responses(contract, schemas),
    }
    if summary:
        told["summary"] = " ".join(summary.split())
    if more:
        told["description"] = " ".join(more.split())
    if contract.body:
        told["requestBody"] = {
            "required": True,
            "content": {JSON: {"schema": _named(contract.body, schemas, mode="validation")}},
        }
    elif contract.upload:
        told["requestBody"] = {"required": True, "content": {"application/octet-stream": {"schema": {}}}}
    return told


def _named(model: Any, schemas: dict[str, Any], *, mode: Any) -> dict[str, Any]:
    """A reference to a model, which is among the schemas by its name from now on."""
    schemas.setdefault(model.__name__, schema_of(model, schemas, mode=mode))
    return {"$ref": _COMPONENTS.format(model=model.__name__)}


def _operation_id(rule: Rule, path: str) -> str:
    several = len(paths_of(rule)) > 1
    return "_".join([_method(rule), *rule.endpoint.split("."), *([path.rsplit("/", 1)[1]] if several else [])])


def _path_parameters(rule: Rule, path: str) -> list[dict[str, Any]]:
    found = []
    for converter, _, name in _PARAMETER.findall(rule.rule):
        if f"{{{name}}}" not in path:
            continue
        schema: dict[str, Any] = {"type": "integer", "minimum": 0} if converter == "int" else {"type": "string"}
        found.append({"name": name, "in": "path", "required": True, "schema": schema})
    return found


def _query_parameters(contract: Contract, schemas: dict[str, Any]) -> list[dict[str, Any]]:
    if contract.query is NoQuery:
        return []
    found = schema_of(contract.query, schemas, mode="validation")
    return [
        {"name": name, "in": "query", "required": False, "schema": schema}
        for name, schema in found["properties"].items()
    ]


def _responses(contract: Contract, schemas: dict[str, Any]) -> dict[str, Any]:
    content: dict[str, Any] = {}
    if contract.answer is not None:
        plain = isinstance(contract.answer, type) and hasattr(contract.answer, "model_fields")
        shape = _named if plain else schema_of
        content[JSON] = {"schema": shape(contract.answer, schemas, mode="serialization")}
    content |= {media.partition(";")[0]: {"schema": {}} for media in contract.media}
    told: dict[str, Any] = {
        str(status): {"description": "As asked for.", "content": content} for status in contract.statuses
    }
    told["default"] = {
        "description": "What went wrong, and what to do.",
        "content": {"application/problem+json": {"schema": _problem(schemas)}},
    }
    return told


def _problem(schemas: dict[str, Any]) -> dict[str, Any]:
    return _named(answers.Problem, schemas, mode="serialization")


def _stream(schemas: dict[str, Any]) -> dict[str, Any]:
    """The event stream, which is no route of the application: web/server.py answers it on its event loop."""
    event = _named(answers.Event, schemas, mode="serialization")
    return {
        "operationId": "get_events",
        "tags": ["jobs"],
        "summary": "What happens, as server-sent events; each event is named for its kind and holds its data as JSON.",
        "parameters": [{"name": "Last-Event-ID", "in": "header", "required": False, "schema": {"type": "string"}}],
        "responses": {
            "200": {"description": "A stream that stays open.", "content": {"text/event-stream": {"schema": event}}}
        },
    }
