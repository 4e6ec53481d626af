"""The web application: create_app(config) wires services and routes together."""

from __future__ import annotations

import atexit
import os
from dataclasses import asdict
from pathlib import Path

from flask import Flask, Response, jsonify, send_from_directory
from peewee import SqliteDatabase

from amber_thicket import __version__
from amber_thicket.core.memory import Memory
from amber_thicket.core.operation import STAGES
from amber_thicket.core.pack.profiles import CONTENTS, PROFILES, profile_json
from amber_thicket.core.registry import SHAPES, STAGE_LAYERS, catalogue
from amber_thicket.core.relief.surfaces import STARTS
from amber_thicket.core.response.covers import DEPOSITS
from amber_thicket.core.roles import EVERY
from amber_thicket.core.settings import describe
from amber_thicket.errors import NotFound
from amber_thicket.formats.limits import MAX_BYTES
from amber_thicket.jobs.desk import Desk, worker_command
from amber_thicket.jobs.queue import open_queue
from amber_thicket.service.library import Library
from amber_thicket.store.blobs import Blobs
from amber_thicket.store.database import open_database
from amber_thicket.web import (
    audit,
    errors,
    generate,
    guard,
    jobs,
    lights,
    materials,
    pictures,
    placing,
    sheets,
    snapshots,
)
from amber_thicket.web.config import Config
from amber_thicket.web.events import Events
from amber_thicket.web.services import Services

PAGE = Path(__file__).parent / "page"


def create_app(config: Config) -> Flask:
    """The application on one data folder, with its jobs followed and its worker started."""
    database = open_database(config.folder)
    library = Library(database, Blobs(config.folder / "blobs"), Memory(config.memory))
    events = Events()
    queue = open_queue(config.folder, config.queue_url, immediate=config.immediate)
    command = worker_command(config.folder, config.queue_url, os.getpid()) if config.worker else None
    desk = Desk(config.folder, queue, events.announce, worker_command=command)

    app = Flask(__name__, static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = MAX_BYTES
    app.extensions["thicket"] = Services(config, library, desk, events)
    _connect(app, database)
    guard.guard(app, config)
    errors.handle_errors(app)
    for blueprint in (
        audit.blueprint,
        generate.blueprint,
        lights.blueprint,
        placing.blueprint,
        sheets.blueprint,
        snapshots.blueprint,
        materials.blueprint,
        pictures.blueprint,
        jobs.blueprint,
    ):
        app.register_blueprint(blueprint)
    _about(app, config)
    desk.start()
    atexit.register(desk.stop)
    return app


def _connect(app: Flask, database: SqliteDatabase) -> None:
    """One database connection a request."""

    @app.before_request
    def opened() -> None:
        database.connect(reuse_if_open=True)

    @app.teardown_request
    def closed(_error: BaseException | None) -> None:
        if not database.is_closed():
            database.close()


def _about(app: Flask, config: Config) -> None:
    """What the page is built from: settings, stages, roles; and the page itself."""

    @app.get("/api/about")
    def about() -> Response:
        return jsonify(
            {
                "version": __version__,
                "demo": config.demo,
                "stages": [{"id": stage, "layer": STAGE_LAYERS[stage]} for stage in STAGES],
                "operations": catalogue(),
                "roles": [{"id": role.id, "label": role.label} for role in EVERY.values()],
                "shapes": {name: describe(model) for name, model in SHAPES.items()},
                "deposits": [{"label": label, "changes": changes} for label, changes in DEPOSITS],
                "surfaces": [asdict(start) for start in STARTS],
                "contents": list(CONTENTS),
                "profiles": [profile_json(profile) for profile in PROFILES.values()],
            }
        )

    @app.get("/")
    @app.get("/<path:name>")
    def page(name: str = "") -> Response:
        if name.startswith("api/"):
            raise NotFound("There is nothing at this address.")
        if name and (PAGE / name).is_file():
            kept = 31_536_000 if name.startswith("assets/") else 0
            return send_from_directory(PAGE, name, max_age=kept)
        if not (PAGE / "index.html").is_file():
            raise NotFound("The page is not built.", remedy="Run ./run setup.")
        return send_from_directory(PAGE, "index.html", max_age=0)
