"""Commands for pipelines: audits that a build reads, packs of library materials, completion of the command line."""

from __future__ import annotations

import argparse
import atexit
import json
import shutil
import sys
import tempfile
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from amber_thicket.errors import BadSetting, NotFound, ThicketError, UnreadableFile

_AUDIT_CODES = {"blocked": 2, "attention": 1, "unknown": 1}


def add_commands(commands: Any, data: Any) -> None:
    """The parsers of these commands. data: adds the option for the data folder."""
    audit = commands.add_parser(
        "audit",
        help="say what maps made elsewhere are and what is wrong with them",
        description="Exit codes: 0 clean, 1 attention, 2 blocked, 3 it could not be done.",
        epilog="examples: amber-thicket audit maps/ --report sarif --out audit.sarif\n"
        "          amber-thicket audit set.zip --repair mended/",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    audit.add_argument("path", type=Path, nargs="+", help="files, a folder, or a zip; - for standard input")
    audit.add_argument("--profile", default="separate_y_plus", help="what the receiver wants; see settings")
    audit.add_argument(
        "--config", type=Path, metavar="FILE", help="policy; amber-thicket.toml above the files if left out"
    )
    audit.add_argument("--no-own-rules", action="store_true", help="leave rules of installed packages out")
    audit.add_argument("--report", choices=("text", "json", "junit", "sarif"), help="text when left out")
    audit.add_argument("--json", action="store_true", help="as --report json")
    audit.add_argument("--out", type=Path, metavar="FILE", help="where the report goes; - or nothing: standard output")
    audit.add_argument("--repair", type=Path, metavar="DIR", help="folder for a repaired set; made when missing")

    pack = commands.add_parser(
        "pack",
        help="write map sets of materials of the library",
        epilog="examples: amber-thicket pack 'Harbour wall' --out maps\n"
        "          amber-thicket pack --tag roof --state passed --out maps",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    pack.add_argument("names", nargs="*", metavar="NAME", help="materials by their names")
    pack.add_argument("--tag", action="append", default=[], help="all with this tag; several: all of them")
    pack.add_argument("--collection", default="", help="all of a collection")
    pack.add_argument("--state", default="", choices=("as_shot", "open", "to_settle", "passed", "packed"))
    pack.add_argument("--out", type=Path, required=True, help="folder for the sets, one folder a material")
    pack.add_argument("--quiet", action="store_true", help="tell nothing while it goes on")
    data(pack)

    completion = commands.add_parser(
        "completion",
        help="print what makes a shell complete these commands",
        epilog="example: amber-thicket completion bash > ~/.local/share/bash-completion/completions/amber-thicket",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    completion.add_argument("shell", choices=("bash", "zsh", "fish"))


def read_text(path: Path, what: str) -> str:
    """A text file, "-" for standard input. Raises UnreadableFile. what: it is, for the message."""
    try:
        return sys.stdin.read() if str(path) == "-" else path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        reason = getattr(error, "strerror", None) or "it is no text"
        raise UnreadableFile(f"The {what} {path} cannot be read ({reason}).", remedy="Check the path.") from None


def with_standard_input(paths: Sequence[Path]) -> list[Path]:
    """Paths with a file of what comes in for "-". Raises UnreadableFile where nothing comes."""
    found = []
    for path in paths:
        if str(path) != "-":
            found.append(path)
            continue
        folder = Path(tempfile.mkdtemp(prefix="amber-thicket-"))
        atexit.register(shutil.rmtree, folder, ignore_errors=True)
        data = sys.stdin.buffer.read()
        if not data:
            raise UnreadableFile("Nothing came in by standard input.", remedy="As in: cat photo.jpg | … bake -")
        (folder / "stdin").write_bytes(data)
        found.append(folder / "stdin")
    return found


def write_out(text: str, out: Path | None) -> None:
    """A report to a file, or to standard output. Raises OSError."""
    if out is None or str(out) == "-":
        sys.stdout.write(text)
    else:
        out.write_text(text, encoding="utf-8")


def audit(options: argparse.Namespace) -> int:
    from amber_thicket import api, audit_report
    from amber_thicket.audit_rules import AuditPolicy, find_policy, read_policy

    paths = with_standard_input(options.path)
    config = options.config or find_policy(paths[0])
    policy = read_policy(config) if config else AuditPolicy()
    if options.repair:
        report = api.repair(*paths, into=options.repair, profile=policy.profile or options.profile)
    else:
        report = api.audit(*paths, profile=options.profile, policy=policy, own=not options.no_own_rules)
    kind = options.report or ("json" if options.json else "text")
    texts = {
        "json": lambda told: json.dumps(told, indent=2, ensure_ascii=False) + "\n",
        "junit": audit_report.junit_text,
        "sarif": audit_report.sarif_text,
        "text": _report_text,
    }
    write_out(texts[kind](report), options.out)
    return _AUDIT_CODES.get(report["level"], 0)


def _report_text(report: dict[str, Any]) -> str:
    lines = []
    for one in report["sets"]:
        lines.append(f"{one['name']}: {one['level']}")
        for file in one["files"]:
            width, height = file["size"]
            depth = "float" if file["floating"] else f"{file['bits']} bit"
            lines.append(
                f"  {file['file']}: {file['role'] or 'not known'}, {width} × {height}, {depth}, {file['encoding']}"
            )
            for finding in file["findings"]:
                mend = f" Repair: {finding['repair']}" if finding["repair"] else ""
                lines.append(f"    {finding['level']}: {finding['what']}{mend}")
        lines += [f"  {finding['level']}: {finding['what']}" for finding in one["findings"]]
    lines += [f"{row['file']}: left out. {row['why']}" for row in report["refused"]]
    return "\n".join(lines) + "\n"


def pack(options: argparse.Namespace) -> int:
    """Sets of library materials; the exit code is 1 where a check blocks, 2 where one could not be written."""
    from amber_thicket.cli import data_folder
    from amber_thicket.core.files.file_plan import stem_of
    from amber_thicket.core.memory import Memory
    from amber_thicket.service.bake import pack as packed
    from amber_thicket.service.library import Library
    from amber_thicket.store import cards
    from amber_thicket.store.blobs import open_blobs
    from amber_thicket.store.database import FILE, open_database
    from amber_thicket.store.decisions import DecisionCache
    from amber_thicket.store.models import using

    folder = options.data or data_folder("library")
    if not (folder / FILE).is_file():
        raise NotFound(f"There is no library in {folder}.", remedy="Name its folder with --data.")
    if not (options.names or options.tag or options.collection or options.state):
        raise BadSetting("No material is named.", remedy="Give names, --tag, --collection or --state.")
    library = Library(
        open_database(folder), open_blobs(folder), Memory(1_400_000_000, persistent=DecisionCache(folder))
    )
    code = 0
    with using(library.database):
        for id in _meant(library, options):
            material = library.get(id)
            recipe = library.recipe(material)
            target = options.out / stem_of(recipe, material.name)
            try:
                target.mkdir(parents=True, exist_ok=True)
                for written in packed(library.evaluation(material), material.name, lambda share, what: None):
                    (target / written.name).write_bytes(written.data)
                    if written.name.endswith("_manifest.json"):
                        levels = {row["level"] for row in json.loads(written.data)["checks"]}
                        code = max(code, 1 if "blocked" in levels else 0)
            except ThicketError as error:
                print(f"{material.name}: {error.message} {error.remedy}".strip(), file=sys.stderr)
                code = 2
                continue
            cards.note_packed(id, material.head or 0)
            if not options.quiet:
                print(f"{material.name}: {target}", file=sys.stderr)
    return code


def _meant(library: Any, options: argparse.Namespace) -> list[str]:
    """Ids of the materials that are named. Raises NotFound."""
    from amber_thicket.store import cards
    from amber_thicket.store.models import Material

    query = cards.LibraryQuery(tags=tuple(options.tag), collection=options.collection, state=options.state)
    found = cards.ids(library.database, query, "oldest")
    if not options.names:
        if not found:
            raise NotFound("No material of the library is like that.", remedy="See its tags and states in the page.")
        return found
    named: list[str] = []
    for name in options.names:
        own = [row.id for row in Material.select().where((Material.name == name) & ~Material.archived)]
        own = [id for id in own if id in found]
        if not own:
            raise NotFound(f"There is no material “{name}” in the library.", remedy="Names are as the page shows them.")
        named += own
    return named


def completion(options: argparse.Namespace) -> int:
    from amber_thicket.cli import parser

    sys.stdout.write(_SCRIPTS[options.shell](_words(parser())))
    return 0


Words = dict[str, tuple[str, list[tuple[str, str]]]]


def _words(top: argparse.ArgumentParser) -> Words:
    """Commands with what they are for and their options, each with its help."""
    commands = next(action for action in top._actions if isinstance(action, argparse._SubParsersAction))
    helps = {choice.dest: choice.help or "" for choice in commands._choices_actions}
    found: Words = {}
    for name, command in commands.choices.items():
        options = [
            (option, "" if action.help == argparse.SUPPRESS else action.help or "")
            for action in command._actions if action.help != argparse.SUPPRESS
            for option in action.option_strings if option.startswith("--")
        ]  # fmt: skip
        found[name] = helps.get(name, ""), options
    return found


def _bash(words: Words) -> str:
    cases = "\n".join(
        f"    {name}) options='{' '.join(option for option, _ in options)}' ;;" for name, (_, options) in words.items()
    )
    return f"""_amber_thicket() {{
  local word="${{COMP_WORDS[COMP_CWORD]}}" options=''
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=( $(compgen -W '{" ".join(words)}' -- "$word") )
    return
  fi
  case "${{COMP_WORDS[1]}}" in
{cases}
  esac
  case "$word" in
    -*) COMPREPLY=( $(compgen -W "$options" -- "$word") ) ;;
    *) COMPREPLY=( $(compgen -f -- "$word") ) ;;
  esac
}}
complete -o filenames -F _amber_thicket amber-thicket
"""


def _plain(text: str) -> str:
    """Help fit to stand in quotes of a shell."""
    return "".join(c for c in text.replace("%%", "%") if c not in "'\"[]:`$\\")


def _zsh(words: Words) -> str:
    commands = "\n".join(f"    '{name}:{_plain(help)}'" for name, (help, _) in words.items())
    cases = "\n".join(
        f"    {name}) _arguments {' '.join(_zsh_option(*option) for option in options)} '*:file:_files' ;;"
        for name, (_, options) in words.items()
    )
    return f"""#compdef amber-thicket
_amber_thicket() {{
  local -a commands=(
{commands}
  )
  if (( CURRENT == 2 )); then
    _describe command commands
    return
  fi
  local command=$words[2]
  shift words
  (( CURRENT-- ))
  case $command in
{cases}
  esac
}}
compdef _amber_thicket amber-thicket
"""


def _zsh_option(option: str, help: str) -> str:
    return f"'{option}[{_plain(help)}]'"


def _fish(words: Words) -> str:
    lines = ["complete -c amber-thicket -f -n __fish_use_subcommand"]
    for name, (help, options) in words.items():
        lines.append(f"complete -c amber-thicket -n __fish_use_subcommand -a {name} -d '{_plain(help)}'")
        lines += [
            f"complete -c amber-thicket -n '__fish_seen_subcommand_from {name}' -l {option[2:]} -d '{_plain(text)}'"
            for option, text in options
        ]
    return "\n".join(lines) + "\n"


_SCRIPTS = {"bash": _bash, "zsh": _zsh, "fish": _fish}
COMMANDS = {"audit": audit, "pack": pack, "completion": completion}


def defaults_of(names: Iterable[str], start: Path) -> dict[str, dict[str, Any]]:
    """What amber-thicket.toml sets for commands: tables named after them, in the nearest file from a folder upward.
    Raises BadSetting."""
    from amber_thicket.audit_rules import find_policy, read_toml

    path = find_policy(start)
    if path is None:
        return {}
    known = set(names)
    tables = read_toml(path)
    for name, table in tables.items():
        if name not in known or not isinstance(table, dict):
            raise BadSetting(
                f"{path}: there is no command “{name}”.", remedy=f"Tables are: {', '.join(sorted(known))}."
            )
    return {name: table for name, table in tables.items() if name != "audit"}


def set_defaults(command: argparse.ArgumentParser, name: str, values: dict[str, Any]) -> None:
    """Other defaults for a command's options. Raises BadSetting naming what is wrong."""
    options = {action.dest: action for action in command._actions if action.option_strings and action.dest != "help"}
    for key, value in values.items():
        action = options.get(key.replace("-", "_"))
        if action is None:
            known = ", ".join(sorted(dest.replace("_", "-") for dest in options))
            raise BadSetting(f"amber-thicket.toml: [{name}] has no “{key}”.", remedy=f"Known: {known}.")
        try:
            taken = [_taken(action, one) for one in value] if isinstance(value, list) else _taken(action, value)
        except (TypeError, ValueError):
            told = f"amber-thicket.toml: [{name}] {key} cannot be {value!r}."
            raise BadSetting(told, remedy=f"It is: {action.help}.") from None
        action.required = False
        command.set_defaults(**{action.dest: taken})


def _taken(action: argparse.Action, value: Any) -> Any:
    """A value as an option takes it from the command line. Raises TypeError, ValueError."""
    if action.nargs == 0:
        if not isinstance(value, bool):
            raise TypeError
        return value
    made = action.type(value) if callable(action.type) else value
    if action.choices is not None and made not in action.choices:
        raise ValueError
    return made
