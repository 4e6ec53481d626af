"""The web application: create_app(config) wires services and routes together."""

from __future__ import annotations

import atexit
import logging
import re
from collections.abc import Sequence
from dataclasses import asdict
from functools import partial
from pathlib import Path
from typing import Any

from flask import Flask, Response, jsonify, request, send_from_directory
from peewee import SqliteDatabase
from werkzeug.routing import IntegerConverter

from amber_thicket import __version__
from amber_thicket.core.memory import Memory
from amber_thicket.core.operation import STAGES
from amber_thicket.core.pack.formats import FORMATS
from amber_thicket.core.pack.profiles import CONTENT_LABELS, PROFILES, has_colour
from amber_thicket.core.registry import SHAPES, STAGE_LAYERS, catalogue
from amber_thicket.core.relief.surfaces import STARTS
from amber_thicket.core.response.covers import DEPOSITS
from amber_thicket.core.response.kinds import described
from amber_thicket.core.roles import COMPARED, EVERY, Role
from amber_thicket.core.settings import describe
from amber_thicket.errors import NotFound
from amber_thicket.formats.apart import use_helpers
from amber_thicket.formats.limits import MAX_BYTES
from amber_thicket.jobs.manager import JobManager, worker_command
from amber_thicket.jobs.queue import open_queue
from amber_thicket.service import answers
from amber_thicket.service.batches import apply_result
from amber_thicket.service.library import Library
from amber_thicket.service.tokens import owner_of_token
from amber_thicket.service.watched import WatchedFolder
from amber_thicket.store.blobs import open_blobs
from amber_thicket.store.database import DEMO_DONE, hold_open, open_database
from amber_thicket.store.decisions import DecisionCache
from amber_thicket.store.disk import Disk
from amber_thicket.store.lock import FolderLock
from amber_thicket.store.models import Job, stop_using, use
from amber_thicket.web import (
    audit,
    batches,
    by_eye,
    cameras,
    demo_making,
    errors,
    generate,
    guard,
    health,
    incoming,
    lights,
    materials,
    merging,
    packs,
    pictures,
    profiles,
    scans,
    sheets,
    snapshots,
    space,
    stills,
    walking,
    watching,
)
from amber_thicket.web import jobs as jobs_routes
from amber_thicket.web import library as library_routes
from amber_thicket.web import registration as placing
from amber_thicket.web.config import Config
from amber_thicket.web.demo_making import DemoMaking
from amber_thicket.web.endpoint import endpoint
from amber_thicket.web.events import Events
from amber_thicket.web.guard import Guard
from amber_thicket.web.housekeeping import Housekeeping
from amber_thicket.web.metrics import Metrics
from amber_thicket.web.openapi import description
from amber_thicket.web.services import Services
from amber_thicket.web.watching import Watching

log = logging.getLogger(__name__)
# A capture is looked at reduced; the whole of a large one is read again where it is needed.
_LARGEST_PASSING = 100_000_000
PAGE = Path(__file__).parent / "page"
_USING = "amber_thicket.using"


def create_app(config: Config, *, log_options: Sequence[str] = ()) -> Flask:
    """The application on one data folder, which it holds for itself, with its jobs followed and its worker started.

    log_options: how the worker logs. Raises FolderTrouble, ServiceAway; nothing is left running then.
    """
    lock = FolderLock(config.folder).acquire("server", address=f"{config.host}:{config.port}")
    try:
        return _created(config, lock, list(log_options))
    except BaseException:
        lock.release()
        raise


def _note_use(keeping: Housekeeping) -> None:
    """Whoever watches, or listens for what happens, works on nothing."""
    if not request.path.startswith(("/healthz", "/metrics", "/api/events")):
        keeping.note_use()


def _follow_up(library: Library, events: Events, job: Job) -> None:
    """What a job that is done changes in the library. Whatever goes wrong here stops no other job."""
    try:
        material = apply_result(library, job)
        if material:
            events.announce("material", {"id": material, "revision": library.get(material).revision})
    except Exception:
        log.exception("what job %s came to was not kept", job.id)


def _created(config: Config, lock: FolderLock, log_options: list[str]) -> Flask:
    disk = Disk(config.folder)
    # What is in the library can be looked at on a full disk, if there is a little room to work in.
    disk.let_go_when_full()
    database = open_database(config.folder)
    held = hold_open(config.folder)
    blobs = open_blobs(config.folder, config.blobs)
    # Workers on other machines may be writing there just now.
    blobs.sweep(3600.0 if config.queue_url else 0.0)
    if config.decode_apart:
        use_helpers().warm()
    memory = Memory(config.memory, largest_passing=_LARGEST_PASSING, persistent=DecisionCache(config.folder))
    library = Library(database, blobs, memory)
    events = Events(most_streams=config.streams)
    queue = open_queue(config.folder, config.queue_url, immediate=config.immediate)
    command = worker_command(config.folder, config.queue_url, log_options) if config.worker else None
    jobs = JobManager(
        config.folder, database, queue, events.announce, worker_command=command, queue_url=config.queue_url
    )
    jobs.on_done = partial(_follow_up, library, events)
    door = Guard(config, owner_of_token)
    keeping = Housekeeping(
        library, disk, days=config.keep_days, most_bytes=config.keep_bytes, idle_seconds=config.idle_seconds
    )
    metrics = Metrics()

    app = Flask(__name__, static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = MAX_BYTES
    app.url_map.converters["int"] = SmallNumber
    services = Services(config, library, jobs, events, door, disk, lock, keeping, metrics, held)
    if config.demo and not (config.folder / DEMO_DONE).exists():
        services.demo_making = DemoMaking(config.folder, events)
    if config.watch:
        watched = WatchedFolder(config.watch, config.folder / "watched.json")
        services.watching = Watching(watched, library, jobs, events, batched=config.watch_batch)
    app.extensions["thicket"] = services
    _connect(app, database)
    metrics.watch(app, services)
    app.before_request(partial(_note_use, keeping))
    guard.guard(app, door)
    errors.handle_errors(app)
    for blueprint in (
        audit.blueprint,
        batches.blueprint,
        generate.blueprint,
        health.blueprint,
        lights.blueprint,
        placing.blueprint,
        incoming.blueprint,
        library_routes.blueprint,
        cameras.blueprint,
        merging.blueprint,
        walking.blueprint,
        scans.blueprint,
        by_eye.blueprint,
        sheets.blueprint,
        snapshots.blueprint,
        stills.blueprint,
        materials.blueprint,
        pictures.blueprint,
        packs.blueprint,
        profiles.blueprint,
        jobs_routes.blueprint,
        space.blueprint,
        watching.blueprint,
        demo_making.blueprint,
    ):
        app.register_blueprint(blueprint)
    _about(app, config)
    jobs.start()
    keeping.start()
    if services.watching:
        services.watching.start()
    if services.demo_making:
        services.demo_making.start()
    atexit.register(services.close)
    return app


class SmallNumber(IntegerConverter):
    """Numbers in addresses: those that could name something. Longer ones lead nowhere, which is a 404."""

    regex = r"\d{1,9}"


def _connect(app: Flask, database: SqliteDatabase) -> None:
    """One database connection a request."""

    @app.before_request
    def opened() -> None:
        # With the request itself: one inside another shares everything else with it.
        request.environ[_USING] = use(database)
        database.connect(reuse_if_open=True)

    @app.teardown_request
    def closed(_error: BaseException | None) -> None:
        if not database.is_closed():
            database.close()
        token = request.environ.pop(_USING, None)
        if token is not None:
            stop_using(token)


def declarations(demo: bool = False) -> dict[str, Any]:
    """What the page is built from: settings, stages, roles, formats and profiles, as /api/about answers."""
    return {
        "version": __version__,
        "demo": demo,
        "stages": [{"id": stage, "layer": STAGE_LAYERS[stage]} for stage in STAGES],
        "operations": catalogue(),
        "roles": [_role(role) for role in EVERY.values()],
        "shapes": {name: describe(model) for name, model in SHAPES.items()},
        "kinds": described(),
        "deposits": [{"label": label, "changes": changes} for label, changes in DEPOSITS],
        "surfaces": [asdict(start) for start in STARTS],
        "contents": [{"id": id, "label": label, "whole": has_colour(id)} for id, label in CONTENT_LABELS.items()],
        "formats": [asdict(format) for format in FORMATS.values()],
        "profiles": list(PROFILES.values()),
    }


def _about(app: Flask, config: Config) -> None:
    """What the page is built from: settings, stages, roles; and the page itself."""

    @endpoint(app, "GET", "/api/about", answer=answers.About)
    def about() -> Any:
        """Settings, stages, roles, formats and profiles: what the page is built from."""
        return declarations(config.demo)

    @app.get("/api/openapi.json")
    def openapi() -> Response:
        return jsonify(description(app))

    @app.get("/")
    @app.get("/<path:name>")
    def page(name: str = "") -> Response:
        if not _PAGES.fullmatch(name):
            return _asset(name)
        if not (PAGE / "index.html").is_file():
            raise NotFound("The page is not built.", remedy="Run ./run setup.")
        return send_from_directory(PAGE, "index.html", max_age=0)


def _role(role: Role) -> dict[str, Any]:
    """What the page knows of a map role."""
    zone = role.zone and {**asdict(role.zone), "path": f"{role.finished}.in_zones", "shape": role.shape}
    uniform = role.uniform and f"response.{role.id}.{'colour' if role.channels == 3 else 'level'}"
    return {
        "id": role.id,
        "label": role.label,
        "short": role.short or role.label,
        "channels": role.channels,
        "compared": role.id in COMPARED,
        "made": role.made,
        "brought": role.brought,
        "shot": role.shot,
        "uniform": uniform,
        "strokes": f"{role.finished}.strokes" if role.finished else None,
        "zone": zone,
        "lit": role.lit,
    }


# The places of the page; frontend/src/app/router.ts knows the same.
_STAGE = "|".join(STAGES)
_PAGES = re.compile(rf"|audit|words|space|batch/\d{{1,9}}|m/[\w-]{{1,64}}(/({_STAGE}))?|guide(/[a-z_]+)?")


def _asset(name: str) -> Response:
    """A file of the page. Raises NotFound for what is none."""
    found = len(name) < 255 and "\0" not in name and (PAGE / name).is_file()
    if not found:
        raise NotFound("There is nothing at this address.", remedy="The library is at /.")
    kept = 31_536_000 if name.startswith("assets/") else 0
    return send_from_directory(PAGE, name, max_age=kept)
