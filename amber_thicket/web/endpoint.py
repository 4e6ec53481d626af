"""Routes that say what they take and give: query, body and answer are models, checked both ways.

The description of the interface (openapi.py) and the page's types (typescript.py) are made of what is said here.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, wraps
from typing import Any, TypeVar

from flask import Blueprint, Flask, Response, request
from pydantic import BaseModel, ConfigDict, TypeAdapter, ValidationError

from amber_thicket.errors import BadSetting

Shape = TypeVar("Shape", bound=BaseModel)
JSON = "application/json"


class Body(BaseModel):
    """A request's body: nothing unknown in it, and every number a number."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Query(BaseModel):
    """What stands behind the "?" of an address; what is unknown is ignored."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)


class NoQuery(Query):
    """Nothing is asked for."""


@dataclass(frozen=True)
class Contract:
    """What a route takes and gives. answer: the shape of its JSON. media: kinds of answers that are no JSON. upload:
    the body is a file. statuses: of good answers."""

    answer: Any = None
    media: tuple[str, ...] = ()
    body: type[Body] | None = None
    query: type[Query] = NoQuery
    upload: bool = False
    statuses: tuple[int, ...] = (200,)


@cache
def _adapter(shape: Any) -> TypeAdapter[Any]:
    return TypeAdapter(shape)


def as_json(shape: Any, value: Any) -> bytes:
    """A value as JSON of a shape. Raises ValidationError where it is of another one."""
    adapter = _adapter(shape)
    return adapter.dump_json(adapter.validate_python(value), by_alias=True, exclude_unset=True)


def endpoint(
    at: Blueprint | Flask, method: str, rule: str, **contract: Any
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Registers a view. It is handed its checked `query` and `body` by name where the contract names them; what it
    returns is checked against `answer`, unless it is a response already. contract: as Contract."""
    agreed = Contract(**contract)

    def register(view: Callable[..., Any]) -> Callable[..., Any]:
        @wraps(view)
        def called(**arguments: Any) -> Response:
            if agreed.query is not NoQuery:
                arguments["query"] = checked(agreed.query, request.args.to_dict())
            if agreed.body:
                arguments["body"] = checked(agreed.body, _json())
            result = view(**arguments)
            if isinstance(result, Response):
                return result
            return Response(as_json(agreed.answer, result), mimetype=JSON)

        called.contract = agreed  # type: ignore[attr-defined]
        at.add_url_rule(rule, view.__name__, called, methods=[method])
        return called

    return register


def checked(shape: type[Shape], data: Any) -> Shape:
    """Data of a request in a shape. Raises BadSetting naming the field."""
    try:
        return shape.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "body"
        message = first["msg"].removeprefix("Value error, ").rstrip(".")
        raise BadSetting(f"{where}: {message}.", remedy="Correct the request.", setting=where) from None


def _json() -> Any:
    """The request's JSON, or None where it is none. NaN and Infinity are no JSON (RFC 8259, section 6)."""
    if not request.is_json:
        return None
    try:
        return json.loads(request.get_data(), parse_constant=_no_number)
    except (ValueError, RecursionError):
        return None


def _no_number(word: str) -> None:
    raise ValueError(f"{word} is no number")
