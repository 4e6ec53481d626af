"""Whether the program is well, for those who watch it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import Blueprint, Response
from prometheus_client import CONTENT_TYPE_LATEST

from amber_thicket.errors import ThicketError
from amber_thicket.service import answers
from amber_thicket.store.models import Material
from amber_thicket.web.endpoint import JSON, as_json, endpoint
from amber_thicket.web.services import services

blueprint = Blueprint("health", __name__)
# Below so much room the disk counts as full soon.
_LITTLE = 100_000_000


def _database() -> str:
    Material.select(Material.id).limit(1).execute()
    return "ok"


def _queue() -> str:
    services().jobs.check()
    return "ok"


def _worker() -> str:
    alive = services().jobs.worker_is_alive
    return "elsewhere" if alive is None else "ok" if alive else "starting again"


def _disk() -> str:
    disk = services().disk
    return "full" if disk.is_full else "ok" if disk.free > _LITTLE else "nearly full"


_PARTS: dict[str, Callable[[], str]] = {"database": _database, "queue": _queue, "worker": _worker, "disk": _disk}
_WELL = ("ok", "elsewhere")


@endpoint(blueprint, "GET", "/healthz", answer=answers.Health, statuses=(200, 503))
def health() -> Response:
    """200 when everything is well, 503 otherwise, with a word on each part."""
    told: dict[str, Any] = {}
    for name, ask in _PARTS.items():
        try:
            told[name] = ask()
        except ThicketError as error:
            told[name] = error.message
        except Exception as error:
            told[name] = f"failed ({type(error).__name__})"
    well = all(word in _WELL for word in told.values())
    body = as_json(answers.Health, {"status": "ok" if well else "attention", **told})
    return Response(body, 200 if well else 503, mimetype=JSON)


@endpoint(blueprint, "GET", "/metrics", media=(CONTENT_TYPE_LATEST,))
def metrics() -> Response:
    return Response(services().metrics.text(), content_type=CONTENT_TYPE_LATEST)
