"""Commands for those who run a server: tokens, room on the disk, backup, restore, doctor."""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from peewee import SqliteDatabase


def add_commands(commands: Any, add_data: Callable[[argparse.ArgumentParser], None]) -> None:
    """Make the commands known to the parser. add_data: adds the option that names the data folder."""
    token = commands.add_parser("token", help="access tokens of single people")
    what = token.add_subparsers(dest="what", required=True)
    for name, text in (("add", "give a person a token; it is shown this once"), ("revoke", "take it back")):
        one = what.add_parser(name, help=text)
        one.add_argument("name", help="whose it is")
        add_data(one)
    add_data(what.add_parser("list", help="who has one"))

    space = commands.add_parser("space", help="what takes the room of the data folder")
    add_data(space)
    space.add_argument("--json", action="store_true")
    space.add_argument("--collect", action="store_true", help="delete what nobody has used for a day")

    backup = commands.add_parser("backup", help="write the whole library into one file, also while it is in use")
    backup.add_argument("file", type=Path)
    add_data(backup)

    restore = commands.add_parser("restore", help="make a data folder of a backup")
    restore.add_argument("file", type=Path)
    add_data(restore)

    doctor = commands.add_parser("doctor", help="look the data folder over")
    add_data(doctor)
    doctor.add_argument("--repair", action="store_true", help="mend what can be mended; the program must not run")
    doctor.add_argument("--json", action="store_true")


def _folder(options: argparse.Namespace) -> Path:
    from amber_thicket.cli import data_folder

    return options.data or data_folder("library")


@contextmanager
def _database(folder: Path) -> Iterator[SqliteDatabase]:
    from amber_thicket.store.database import open_database
    from amber_thicket.store.models import using

    database = open_database(folder)
    with using(database):
        yield database
    database.close()


def _token(options: argparse.Namespace) -> int:
    from amber_thicket.service.tokens import add_token, list_tokens, revoke_token

    with _database(_folder(options)):
        if options.what == "add":
            print(add_token(options.name))
            print("Kept nowhere else; open the address of the program with ?token=… once.", file=sys.stderr)
        elif options.what == "revoke":
            revoke_token(options.name)
            print(f"The token of {options.name} opens nothing any more.")
        else:
            for row in list_tokens():
                print(f"{row['name']}  since {_day(row['created'])}, last used {_day(row['used'])}")
    return 0


def _day(seconds: float | None) -> str:
    return time.strftime("%Y-%m-%d", time.localtime(seconds)) if seconds else "never"


def size_text(size: float) -> str:
    """Bytes as people read them: 12.3 MB."""
    for unit in ("bytes", "kB", "MB", "GB"):
        if size < 1000 or unit == "GB":
            return f"{size:.0f} {unit}" if unit == "bytes" else f"{size:.1f} {unit}"
        size /= 1000
    return ""


def _space(options: argparse.Namespace) -> int:
    from amber_thicket.core.memory import Memory
    from amber_thicket.service.library import Library
    from amber_thicket.service.space import collect, space
    from amber_thicket.store.blobs import open_blobs

    folder = _folder(options)
    with _database(folder) as database:
        library = Library(database, open_blobs(folder), Memory(100_000_000))
        if options.collect:
            files, freed = collect(library)
            print(f"{files} files were deleted; {size_text(freed)} came back.", file=sys.stderr)
        told = space(library)
    if options.json:
        print(json.dumps(told, indent=2, ensure_ascii=False))
        return 0
    disk = told["disk"]
    print(f"{told['folder']}: {size_text(disk['free'])} of {size_text(disk['total'])} are free.")
    for part in told["parts"]:
        print(f"{size_text(part['bytes']):>10}  {part['label']} ({part['files']})")
    for row in told["materials"][:20]:
        print(f"{size_text(row['bytes']):>10}  {row['name']}{', put aside' if row['archived'] else ''}")
    return 0


def _progress(share: float, _what: str) -> None:
    if sys.stderr.isatty():
        print(f"\r{share:4.0%}", end="" if share < 1 else "\n", file=sys.stderr, flush=True)


def _backup(options: argparse.Namespace) -> int:
    from amber_thicket.service.backup import back_up

    manifest = back_up(_folder(options), options.file, _progress)
    print(f"{options.file}: {manifest['files']} files, {size_text(manifest['bytes'])}.")
    for row in manifest["left_out"]:
        print(f"left out, damaged or missing: {row['blob'][:12]}… of {', '.join(row['used_by'])}", file=sys.stderr)
    return 1 if manifest["left_out"] else 0


def _restore(options: argparse.Namespace) -> int:
    from amber_thicket.service.backup import restore

    folder = _folder(options)
    manifest = restore(options.file, folder, _progress)
    print(f"{folder}: as it was on {manifest['created']}, {manifest['files']} files.")
    return 0


def _doctor(options: argparse.Namespace) -> int:
    from amber_thicket.service.doctor import examine

    findings = examine(_folder(options), repair=options.repair)
    if options.json:
        print(json.dumps([finding.__dict__ for finding in findings], indent=2, ensure_ascii=False))
    else:
        for finding in findings:
            mended = " Mended." if finding.mended else ""
            print(f"{finding.level:<10} {finding.what}{mended} {finding.remedy if not finding.mended else ''}".rstrip())
    bad = [finding for finding in findings if finding.level == "damaged" and not finding.mended]
    return 1 if bad else 0


COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {
    "token": _token,
    "space": _space,
    "backup": _backup,
    "restore": _restore,
    "doctor": _doctor,
}
