"""The command line: same core, same pixels as the page."""

from __future__ import annotations

import argparse
import json
import logging
import logging.handlers
import os
import secrets
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from amber_thicket import __version__, admin, pipelines
from amber_thicket.blocks import keep_blocks, limit_blas_threads, loading, results_budget
from amber_thicket.errors import BadSetting, FolderTrouble, ThicketError

if TYPE_CHECKING:
    from amber_thicket.api import Material

_PORT = 8760


def data_folder(name: str) -> Path:
    """The default data folder of this user."""
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(base) / "amber-thicket" / name


def parser() -> argparse.ArgumentParser:
    """All commands and their options."""
    top = argparse.ArgumentParser(prog="amber-thicket", description="Photographs in; checked, tileable map sets out.")
    top.add_argument("--version", action="version", version=__version__)
    top.epilog = "COMMAND --help tells of each; amber-thicket.toml sets defaults (see the guide, Pipelines)."
    commands = top.add_subparsers(dest="command", required=True)

    bake = commands.add_parser(
        "bake",
        help="make a map set from one photograph, or from existing maps",
        epilog="examples: amber-thicket bake wall.jpg --out maps --size 2048\n"
        "          cat wall.jpg | amber-thicket bake - --name wall --out maps --recipe wall_manifest.json",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    bake.add_argument(
        "source",
        type=Path,
        nargs="+",
        help="a photograph, or all maps of one surface (files, or the folder they are in); - for standard input",
    )
    _packing(bake)
    bake.add_argument(
        "--suggested",
        choices=("sure", "all", "none"),
        default="none",
        help="take what the program suggests: corners, the method of tiling",
    )
    bake.add_argument(
        "--recipe", type=Path, help="a recipe file (JSON), or the manifest of a pack; - for standard input"
    )
    bake.add_argument("--json", action="store_true", help="print the manifest")

    lights = commands.add_parser("light-set", help="make maps from photographs under a ring of lamps, in order")
    lights.add_argument("files", type=Path, nargs="+", help="3 to 32 photographs, in the order of their lamps")
    _packing(lights)
    lights.add_argument("--first-bearing", type=float, metavar="D", help="of the first lamp; 0 is right, 90 is up")
    lights.add_argument("--direction", choices=("cw", "ccw"), help="how the lamps follow each other")
    lights.add_argument("--elevation", type=float, metavar="D", help="of the lamps above the surface; 45 when left out")
    lights.add_argument("--json", action="store_true", help="print what was found, and the manifest")

    walk = commands.add_parser("walk-by", help="make maps from handheld photographs of one surface")
    walk.add_argument("files", type=Path, nargs="+", help="2 to 12 photographs; all lies on the first")
    _packing(walk)
    walk.add_argument("--width-mm", type=float, metavar="W", help="how wide the sample is in reality")
    walk.add_argument("--json", action="store_true", help="print what was found, and the manifest")

    scan = commands.add_parser("scan", help="make maps from a scanned mesh, a point cloud or a depth map")
    scan.add_argument(
        "file", type=Path, help="OBJ, PLY, STL, GLB, LAS, LAZ, a zip of one; or a 16-bit or float picture"
    )
    _packing(scan)
    scan.add_argument("--unit", choices=("mm", "cm", "m"), default="", help="of its numbers, where it does not say")
    scan.add_argument("--turned-over", action="store_true", help="seen from the other side; a depth map: bright is far")
    scan.add_argument("--patch", metavar="L,T,R,B", help="rectangle, as shares of what is there; found when left out")
    scan.add_argument("--plane-through", nargs=3, metavar="X,Y", help="three places in the plane; found when left out")
    scan.add_argument("--scan-width", type=int, metavar="PX", help="px across the patch; what it is worth if left out")
    scan.add_argument("--width-mm", type=float, default=0.0, metavar="W", help="how wide all of it is in reality")
    scan.add_argument("--json", action="store_true", help="print what was found, and the manifest")

    batch = commands.add_parser(
        "batch",
        help="make map sets of whole folders, with a report",
        description="Groups files into surfaces as the library does, takes what is sure of what is suggested, bakes, "
        "checks, and goes on after a failure. Exit codes: 0 all well, 1 some need a hand, 2 some could not be made.",
    )
    batch.add_argument("sources", type=Path, nargs="+", metavar="FOLDER|FILE", help="folders, and pictures")
    batch.add_argument("--out", type=Path, required=True, help="folder for the results, one folder a surface")
    batch.add_argument("--recipe", type=Path, help="a recipe file (JSON) that photographs and map sets begin with")
    batch.add_argument("--start", metavar="NAME", help="a start of the library they begin with, by its name")
    _data(batch)
    batch.add_argument(
        "--profile", action="append", default=[], help="profile of the packs; may be given several times"
    )
    batch.add_argument("--sizes", default="", metavar="PX,PX", help="sides in px, as 4096,2048")
    batch.add_argument("--set", dest="changes", action="append", default=[], metavar="STAGE.OPERATION.SETTING=VALUE")
    batch.add_argument("--suggested", choices=("sure", "all", "none"), default="sure", help="what is taken unasked")
    batch.add_argument("--jobs", type=int, default=1, metavar="N", help="surfaces made at a time")
    batch.add_argument("--resume", action="store_true", help="leave what is made already of the same files and wishes")
    batch.add_argument("--report", action="append", choices=("html", "json", "junit"), help="html when left out")
    batch.add_argument("--quiet", action="store_true", help="tell nothing while it goes on")

    settings = commands.add_parser("settings", help="list every operation and setting")
    settings.add_argument("--json", action="store_true")
    settings.add_argument("--schema", action="store_true", help="the JSON Schema of recipes")

    for name, text in (("serve", "start the program"), ("demo", "start it with the demo library")):
        _serving(commands.add_parser(name, help=text))

    worker = commands.add_parser("worker", help="work on queued jobs")
    _data(worker)
    worker.add_argument("--queue", help="redis://… of the server whose jobs are done")
    worker.add_argument("--parent", type=int, help=argparse.SUPPRESS)
    _logging(worker)

    pipelines.add_commands(commands, _data)
    admin.add_commands(commands, _data)
    return top


def _serving(serve: argparse.ArgumentParser) -> None:
    _data(serve)
    serve.add_argument("--host", default="127.0.0.1", help="address to listen on; 0.0.0.0 for all of this machine")
    serve.add_argument("--port", type=int, default=_PORT)
    serve.add_argument(
        "--host-name", action="append", default=[], metavar="NAME",
        help="a name it answers to, beside this machine's own; demands a token. May be given several times",
    )  # fmt: skip
    serve.add_argument("--proxy", metavar="ADDRESS", help="address of a reverse proxy whose X-Forwarded-… is believed")
    serve.add_argument("--queue", help="redis://… to share work over several machines")
    serve.add_argument("--blobs", default="", help="s3://bucket/prefix for stored files, as servers share them")
    serve.add_argument("--no-worker", action="store_true", help="start no worker of its own")
    serve.add_argument("--keep-days", type=float, default=30.0, metavar="N", help="how long results of packs are kept")
    serve.add_argument("--keep-gb", type=float, default=50.0, metavar="N", help="and how many gigabytes of them")
    serve.add_argument("--watch", type=Path, metavar="DIR", help="a folder whose pictures become materials")
    serve.add_argument("--watch-batch", action="store_true", help="and are settled, checked and packed at once")
    serve.add_argument(
        "--memory", type=int, metavar="MB", help="results kept in memory (an eighth of the machine's, at most 8000)"
    )
    serve.add_argument(
        "--idle-minutes", type=float, default=15.0, metavar="N", help="results are let go when nobody works for so long"
    )
    serve.add_argument("--make-only", action="store_true", help=argparse.SUPPRESS)
    _logging(serve)


def _data(command: argparse.ArgumentParser) -> None:
    command.add_argument("--data", type=Path, metavar="DIR", help="data folder; the user's own when left out")


def _logging(command: argparse.ArgumentParser) -> None:
    command.add_argument("--log-level", choices=("debug", "info", "warning", "error"), default="warning")
    command.add_argument("--log-file", type=Path, metavar="FILE", help="where lines go; the terminal when left out")


def _packing(command: argparse.ArgumentParser) -> None:
    """What every command that packs a set can be told."""
    command.add_argument("--out", type=Path, required=True, help="folder for the files; made when missing")
    command.add_argument("--size", help="pixels, as 1024 or 2048x1024")
    command.add_argument("--profile", help="profile of the pack; see settings")
    command.add_argument("--set", dest="changes", action="append", default=[], metavar="STAGE.OPERATION.SETTING=VALUE")
    command.add_argument("--name", help="start of the file names; the first file's name when left out")
    command.add_argument("--quiet", action="store_true", help="tell nothing while it goes on")


def main(arguments: list[str] | None = None) -> int:
    """Returns the exit code: 0 well, 1 when the check blocks, 2 for errors; of audit 0 clean, 1 attention, 2 blocked,
    3 for errors."""
    arguments = sys.argv[1:] if arguments is None else arguments
    limit_blas_threads()
    # An audit's 2 says that something is blocked.
    failed = 3 if arguments[:1] == ["audit"] else 2
    try:
        options = _parsed(arguments)
    except ThicketError as error:
        print(f"{error.message} {error.remedy}".strip(), file=sys.stderr)
        return failed
    keep_blocks()
    try:
        start_logging(getattr(options, "log_level", "warning"), getattr(options, "log_file", None))
    except OSError as error:
        print(f"{options.log_file} cannot be written ({error.strerror}). Choose another --log-file.", file=sys.stderr)
        return 2
    command = {
        "bake": _bake,
        "light-set": _light_set,
        "walk-by": _walk_by,
        "scan": _scan,
        "batch": _batch,
        "settings": _settings,
        "serve": _serve,
        "demo": _serve,
        "worker": _worker,
        **pipelines.COMMANDS,
        **admin.COMMANDS,
    }
    try:
        code = command[options.command](options)
        sys.stdout.flush()
        return code
    except BrokenPipeError:
        # Who read along has seen enough, as in `settings | head`; Python would complain of it once more when it ends.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except FolderTrouble as error:
        print(f"{error.message} {error.remedy}".strip(), file=sys.stderr)
        return error.exit_code
    except ThicketError as error:
        print(f"{error.message} {error.remedy}".strip(), file=sys.stderr)
    except OSError as error:
        # A path that cannot be written, a disk that is full: whoever gave the command can do something about it.
        where = f"{error.filename}: " if error.filename else ""
        print(f"{where}{error.strerror or error}. Choose another place, or make room.", file=sys.stderr)
    except MemoryError:
        print("There is not enough memory for this size. Make it smaller, or one at a time.", file=sys.stderr)
    except KeyboardInterrupt:
        print("Called off.", file=sys.stderr)
        return 130
    return failed


def _parsed(arguments: list[str]) -> argparse.Namespace:
    """The options of a command line, with the defaults that amber-thicket.toml sets. Raises BadSetting."""
    top = parser()
    commands = next(action for action in top._actions if isinstance(action, argparse._SubParsersAction))
    for name, values in pipelines.defaults_of(commands.choices, Path.cwd()).items():
        pipelines.set_defaults(commands.choices[name], name, values)
    return top.parse_args(arguments)


def _value(text: str) -> Any:
    """A setting's value from the command line: JSON where it is JSON, otherwise the text itself."""
    try:
        return json.loads(text)
    except ValueError:
        return text


def changes_from(options: argparse.Namespace) -> dict[str, Any]:
    """Settings named by options. Raises BadSetting naming what cannot be read."""
    from amber_thicket.core.registry import BY_ID

    changes: dict[str, Any] = {}
    if options.size:
        width, _, height = options.size.lower().partition("x")
        if not width.isdigit() or (height and not height.isdigit()):
            raise BadSetting(f"--size cannot be {options.size!r}.", remedy="Give 1024 or 2048x1024.")
        changes |= {"square.size.width": int(width), "square.size.height": int(height or width)}
    if options.profile:
        changes["pack.files.profile"] = options.profile
    for text in options.changes:
        path, equals, value = text.partition("=")
        if not equals:
            raise BadSetting(f"--set needs NAME=VALUE, not {text!r}.", remedy="As in --set tile.join.method=none.")
        operation, _, name = path.rpartition(".")
        field = BY_ID[operation].settings.model_fields.get(name) if operation in BY_ID else None
        # Choices such as "16" are words even where they look like numbers.
        words = field is not None and isinstance(field.default, str)
        changes[path] = value if words else _value(value)
    return changes


def _bake(options: argparse.Namespace) -> int:
    from amber_thicket import api

    recipe = pipelines.read_text(options.recipe, "recipe") if options.recipe else None
    changes = changes_from(options)
    material = api.open_maps(pipelines.with_standard_input(options.source), changes, recipe=recipe)
    if len(material.evaluation.files) == 1:
        material = material.suggested(options.suggested, changes)
    for note in material.notes if not options.quiet else ():
        print(note, file=sys.stderr)
    return _written(material, options)


def _written(material: Material, options: argparse.Namespace) -> int:
    """Bake into the folder; the exit code."""
    from amber_thicket import api

    tell: Callable[[Path], None] = (lambda path: None) if options.json or options.quiet else print
    manifest = api.bake(material, options.out, name=options.name, on_file=tell, report=_progress(options.quiet))
    if options.json:
        found = {options.command.replace("-", "_"): material.found} if material.found else {}
        print(json.dumps(found | manifest, indent=2))
    blocked = [found for found in manifest["checks"] if found["level"] == "blocked"]
    for found in blocked:
        print(f"blocked: {found['rule']} {found['map'] or ''}: {found['measured']} ({found['limit']})", file=sys.stderr)
    return 1 if blocked else 0


def _progress(quiet: bool) -> Callable[[float, str], None]:
    """Tells how far something is, on one line of a terminal's standard error; nothing where nobody watches."""
    if quiet or not sys.stderr.isatty():
        return lambda share, what: None

    def told(share: float, what: str) -> None:
        end = "\n" if share >= 1 else ""
        print(f"\r\033[K{share:4.0%} {what}", end=end, file=sys.stderr, flush=True)

    return told


def _light_set(options: argparse.Namespace) -> int:
    from amber_thicket import api

    material = api.light_set(
        options.files,
        changes_from(options),
        first_bearing=options.first_bearing,
        direction=options.direction,
        elevation=options.elevation,
    )
    if not options.json:
        print("\n".join(material.found["told"]))
    return _written(material, options)


def _walk_by(options: argparse.Namespace) -> int:
    from amber_thicket import api

    material = api.walk_by(options.files, changes_from(options), width_mm=options.width_mm)
    if not options.json:
        print("\n".join(material.found["told"]))
    return _written(material, options)


_REPORTS = {"html": "report.html", "json": "report.json", "junit": "report.xml"}


def _batch(options: argparse.Namespace) -> int:
    from amber_thicket import batch, batch_report

    options.size = ""
    try:
        sizes = tuple(int(part) for part in options.sizes.split(",") if part)
    except ValueError:
        raise BadSetting(f"--sizes cannot be {options.sizes!r}.", remedy="As in --sizes 4096,2048.") from None
    profiles, options.profile = tuple(options.profile), ""
    wanted = batch.Wanted(changes_from(options), _begun_with(options), profiles, sizes, options.suggested)
    groups = batch.grouped(options.sources)
    began, done = time.monotonic(), 0

    def told(outcome: Any, left: int) -> None:
        nonlocal done
        done += 1
        if not options.quiet:
            seconds = (time.monotonic() - began) / done * left
            rest = f" · about {max(1, round(seconds / 60))} min left" if left else ""
            print(
                f"{len(groups) - left}/{len(groups)} {outcome.name}: {outcome.state}{rest}", file=sys.stderr, flush=True
            )

    try:
        outcomes = batch.run(groups, wanted, options.out, jobs=options.jobs, resume=options.resume, told=told)
    except KeyboardInterrupt:
        print("Called off; what is made stays, and --resume goes on from there.", file=sys.stderr)
        return 130
    texts = {"html": batch_report.html_text, "json": batch_report.json_text, "junit": batch_report.junit_text}
    for kind in options.report or ["html"]:
        (options.out / _REPORTS[kind]).write_text(texts[kind](outcomes), encoding="utf-8")
        print(options.out / _REPORTS[kind])
    print(batch_report.counted(outcomes))
    states = {one.state for one in outcomes}
    return 2 if "failed" in states else 1 if "blocked" in states else 0


def _begun_with(options: argparse.Namespace) -> str:
    """The text of the recipe a batch begins with, "" for none. Raises UnreadableFile, NotFound, BadSetting."""
    if options.recipe and options.start:
        raise BadSetting("Give --recipe or --start, not both.")
    if options.start:
        from amber_thicket.service.starts import recipe_in

        return json.dumps(recipe_in(options.data or data_folder("library"), options.start))
    return pipelines.read_text(options.recipe, "recipe") if options.recipe else ""


def _numbers(option: str, text: str, count: int) -> tuple[float, ...]:
    """Numbers with commas between them. Raises BadSetting."""
    try:
        found = tuple(float(part) for part in text.split(","))
    except ValueError:
        found = ()
    if len(found) != count:
        raise BadSetting(f"{option} cannot be {text!r}.", remedy=f"Give {count} numbers with commas between them.")
    return found


def _scan(options: argparse.Namespace) -> int:
    from amber_thicket import api

    patch: Any = _numbers("--patch", options.patch, 4) if options.patch else None
    three: Any = [_numbers("--plane-through", text, 2) for text in options.plane_through or ()]
    material = api.scan(
        options.file,
        changes_from(options),
        unit=options.unit,
        turned_over=options.turned_over,
        patch=patch,
        plane_through=three,
        width_px=options.scan_width,
        width_mm=options.width_mm,
    )
    if not options.json:
        print("\n".join(material.found["told"]))
    return _written(material, options)


def _settings(options: argparse.Namespace) -> int:
    from amber_thicket.core.registry import catalogue

    rows = catalogue()
    if options.schema:
        from amber_thicket.core.recipe_schema import recipe_schema

        print(json.dumps(recipe_schema(), indent=2, ensure_ascii=False))
        return 0
    if options.json:
        print(json.dumps({"operations": rows}, indent=2, ensure_ascii=False))
        return 0
    for operation in rows:
        print(f"\n{operation['id']}: {operation['help']}")
        for row in operation["settings"]:
            allowed = ", ".join(str(c["value"]) for c in row["choices"])
            if row["min"] is not None:
                allowed = f"{row['min']:g} … {row['max']:g} {row['unit']}".strip()
            print(f"  {operation['id']}.{row['name']} = {row['default']!r}  ({allowed or row['kind']})  {row['help']}")
    return 0


def start_logging(level: str, file: Path | None) -> None:
    """Lines with the time, from a level on; to a file, which may be moved away while it is written, or the terminal."""
    to: logging.Handler = logging.handlers.WatchedFileHandler(file) if file else logging.StreamHandler()
    to.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.basicConfig(level=level.upper(), handlers=[to], force=True)
    # Their own lines at these levels are about themselves.
    for name in ("PIL", "numba", "tifffile", "huey", "peewee", "asyncio", "uvicorn"):
        logging.getLogger(name).setLevel(max(logging.WARNING, logging.getLogger().level))


def log_options(options: argparse.Namespace) -> list[str]:
    """How a worker of this process logs: as this process does."""
    return ["--log-level", options.log_level, *(["--log-file", str(options.log_file)] if options.log_file else [])]


def _serve(options: argparse.Namespace) -> int:
    demo = options.command == "demo"
    folder = options.data or data_folder("demo" if demo else "library")
    if demo and options.make_only:
        from amber_thicket.demo.library import make_demo

        make_demo(folder, lambda line: print(line, flush=True))
        return 0
    with loading():
        from amber_thicket.web.app import create_app
        from amber_thicket.web.config import Config
        from amber_thicket.web.server import listen, serve

    if options.watch and not options.watch.is_dir():
        raise BadSetting(f"There is no folder {options.watch} to watch.", remedy="Make it, or name another.")
    loopback = options.host in ("127.0.0.1", "localhost", "::1") and not options.host_name
    token = None if loopback else os.environ.get("AMBER_THICKET_TOKEN") or secrets.token_urlsafe(24)
    config = Config(
        folder,
        host=options.host,
        port=options.port,
        token=token,
        queue_url=options.queue,
        blobs=options.blobs,
        worker=not options.no_worker,
        demo=demo,
        hosts=tuple(options.host_name),
        proxy=options.proxy,
        keep_days=options.keep_days,
        keep_bytes=int(options.keep_gb * 1e9),
        memory=results_budget() if options.memory is None else options.memory * 1_000_000,
        idle_seconds=options.idle_minutes * 60,
        watch=options.watch,
        watch_batch=options.watch_batch,
        decode_apart=True,
    )
    listening = listen(config)
    # The port is known by now, where it was left to the system.
    config = replace(config, port=listening.getsockname()[1])
    app = create_app(config, log_options=log_options(options))
    host = f"[{config.host}]" if ":" in config.host else config.host
    told = f"Amber Thicket is at http://{host}:{config.port}/{f'?token={token}' if token else ''}"
    serve(app, config, listening, lambda: print(told, flush=True))
    return 0


def _worker(options: argparse.Namespace) -> int:
    with loading():
        from amber_thicket.jobs.worker import run_worker

    run_worker(options.data or data_folder("library"), options.queue, parent=options.parent)
    return 0


if __name__ == "__main__":
    sys.exit(main())
