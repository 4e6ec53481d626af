"""What an asset repository asks of its map sets beyond the audit itself: a file of policy, and rules of its own.

amber-thicket.toml lies in the repository, above what is audited:

    [audit]
    profile = "separate_y_plus"
    names = "[a-z0-9_]+\\.(png|exr)"      # every file's name, as a whole
    [audit.rules]                          # "off", or the level a rule's findings are to have
    "set.complete" = "blocked"
    "jpeg.height" = "off"
    [audit.limits]
    side_least = 1024
    side_most = 4096
    power_of_two = true
    megabytes_most = 64
    bits_least = { height = 16, normal = 8 }

Own rules are functions that packages offer under the entry point group "amber_thicket.audit_rules": each is handed a
set and yields what it found.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from importlib import metadata
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from amber_thicket.core.pack.profiles import PROFILES
from amber_thicket.errors import BadSetting, ThicketError

FILE = "amber-thicket.toml"
GROUP = "amber_thicket.audit_rules"
Level = Literal["note", "attention", "blocked"]
_ORDER = ("pass", "note", "unknown", "attention", "blocked")


class _PolicyPart(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Limits(_PolicyPart):
    """side_least, side_most: px of the shorter and the longer side. power_of_two: both are. megabytes_most: of a file.
    bits_least: by role."""

    side_least: int = Field(default=0, ge=0)
    side_most: int = Field(default=0, ge=0)
    power_of_two: bool = False
    megabytes_most: float = Field(default=0.0, ge=0)
    bits_least: dict[str, int] = Field(default_factory=dict)


class AuditPolicy(_PolicyPart):
    """profile: what the receiver wants; "" for the command line's. names: a regular expression. rules: by their id."""

    profile: str = ""
    names: str = ""
    rules: dict[str, Literal["off", "note", "attention", "blocked"]] = Field(default_factory=dict)
    limits: Limits = Limits()

    @field_validator("profile")
    @classmethod
    def _is_profile(cls, profile: str) -> str:
        if profile and profile not in PROFILES:
            raise ValueError(f"there is no profile “{profile}”; known: {', '.join(PROFILES)}")
        return profile

    @field_validator("names")
    @classmethod
    def _is_pattern(cls, names: str) -> str:
        try:
            re.compile(names)
        except re.error as error:
            raise ValueError(f"it is no regular expression: {error}") from None
        return names


@dataclass(frozen=True)
class OwnFinding:
    """What an own rule found. file: base name, "" for the set. why: what goes wrong where it is left as it is."""

    what: str
    level: Level = "attention"
    file: str = ""
    why: str = ""


@dataclass(frozen=True)
class AuditedSet:
    """A set as own rules see it. files: each with file, path, role, size, bits, floating, format, encoding, and what
    the audit found. contents: bytes of each by its base name; amber_thicket.api.read_file() makes pixels of them."""

    name: str
    files: tuple[Mapping[str, Any], ...]
    contents: Mapping[str, bytes] = field(repr=False, default_factory=dict)


OwnRule = Callable[[AuditedSet], Iterable[OwnFinding]]


def find_policy(start: Path) -> Path | None:
    """The file of policy in a folder, or in the nearest one above it."""
    start = start.resolve()
    for folder in (start if start.is_dir() else start.parent, *start.parents):
        if (folder / FILE).is_file():
            return folder / FILE
    return None


def read_toml(path: Path) -> dict[str, Any]:
    """The tables of a file. Raises BadSetting where it cannot be read."""
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise BadSetting(f"{path} cannot be opened ({error.strerror}).", remedy="Check the path.") from None
    except ValueError as error:
        raise BadSetting(f"{path} is no TOML: {error}.", remedy="Correct the file.") from None


def read_policy(path: Path) -> AuditPolicy:
    """Raises BadSetting saying where the file is wrong."""
    data = read_toml(path)
    try:
        return AuditPolicy.model_validate(data.get("audit", {}))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(("audit", *(str(part) for part in first["loc"])))
        message = first["msg"].removeprefix("Value error, ")
        raise BadSetting(f"{path}: {where}: {message}.", remedy="Correct the file.", setting=where) from None


def own_rules() -> dict[str, OwnRule]:
    """Rules that installed packages offer, by id: "package.rule". Raises ThicketError where one cannot be loaded."""
    found: dict[str, OwnRule] = {}
    for entry in sorted(metadata.entry_points(group=GROUP), key=lambda one: one.name):
        try:
            found[entry.name] = entry.load()
        except Exception as error:
            raise ThicketError(
                f"The rule {entry.name} cannot be loaded ({type(error).__name__}: {error}).",
                remedy=f"Mend or uninstall {entry.dist.name if entry.dist else entry.value}.",
            ) from None
    return found


def judge(
    report: dict[str, Any], policy: AuditPolicy, contents: Mapping[str, bytes], rules: Mapping[str, OwnRule]
) -> None:
    """Adds to a report what policy and own rules find, and gives findings the levels of the policy. contents: by
    blob."""
    for one in report["sets"]:
        extra = [*_of_names(one, policy), *_of_limits(one, policy.limits, contents), *_of_own(one, contents, rules)]
        for finding in extra:
            own = next((file["findings"] for file in one["files"] if file["file"] == finding["file"]), one["findings"])
            own.append(finding)
        for holder in (one, *one["files"]):
            asked = [finding for finding in holder["findings"] if policy.rules.get(finding["rule"]) != "off"]
            holder["findings"] = [_relevelled(finding, policy) for finding in asked]
        levels = [finding["level"] for holder in (one, *one["files"]) for finding in holder["findings"]]
        one["level"] = max(levels, key=_ORDER.index, default="pass")
        if one["level"] == "note":
            one["level"] = "pass"
    report["level"] = max((one["level"] for one in report["sets"]), key=_ORDER.index, default="pass")


def _relevelled(finding: dict[str, Any], policy: AuditPolicy) -> dict[str, Any]:
    level = policy.rules.get(finding["rule"])
    # What is well, or cannot be told, is no finding to be made graver.
    return {**finding, "level": level} if level and finding["level"] not in ("pass", "unknown") else finding


def _told(rule: str, found: OwnFinding) -> dict[str, Any]:
    return {
        "id": f"{rule}/{found.file}", "weak": False, "rule": rule, "level": found.level, "what": found.what,
        "why": found.why, "file": found.file, "sure": 1.0, "repair": "", "changes": {}, "values": {},
    }  # fmt: skip


def _of_names(one: Mapping[str, Any], policy: AuditPolicy) -> Iterator[dict[str, Any]]:
    if not policy.names:
        return
    for file in one["files"]:
        if not re.fullmatch(policy.names, file["file"]):
            what = f"Its name is not of the pattern {policy.names}."
            yield _told("policy.name", OwnFinding(what, "attention", file["file"]))


def _of_limits(one: Mapping[str, Any], limits: Limits, contents: Mapping[str, bytes]) -> Iterator[dict[str, Any]]:
    for file in one["files"]:
        (width, height), name = file["size"], file["file"]

        def found(rule: str, what: str, name: str = name) -> dict[str, Any]:
            return _told(rule, OwnFinding(what, "attention", name))

        if limits.side_least and min(width, height) < limits.side_least:
            yield found("policy.side_least", f"{width} × {height} px; the limit is {limits.side_least} px and more.")
        if limits.side_most and max(width, height) > limits.side_most:
            yield found("policy.side_most", f"{width} × {height} px; the limit is {limits.side_most} px at the most.")
        if limits.power_of_two and (width & (width - 1) or height & (height - 1)):
            yield found("policy.power_of_two", f"{width} × {height} px are no powers of two.")
        megabytes = len(contents.get(file["blob"], b"")) / 1e6
        if limits.megabytes_most and megabytes > limits.megabytes_most:
            yield found("policy.megabytes_most", f"{megabytes:.1f} MB; the limit is {limits.megabytes_most:g}.")
        for role in {file["role"], *file["channels"].values()} & set(limits.bits_least):
            if file["bits"] < limits.bits_least[role]:
                wanted = limits.bits_least[role]
                yield found("policy.bits_least", f"{file['bits']} bit; the limit of {role} is {wanted} and more.")


def _of_own(
    one: Mapping[str, Any], contents: Mapping[str, bytes], rules: Mapping[str, OwnRule]
) -> Iterator[dict[str, Any]]:
    own = {file["file"]: contents.get(file["blob"], b"") for file in one["files"]}
    subject = AuditedSet(one["name"], tuple(one["files"]), own)
    for id, rule in rules.items():
        try:
            for found in rule(subject):
                yield _told(id, found)
        except Exception as error:
            why = f"{type(error).__name__}: {error}"
            yield {**_told(id, OwnFinding(f"The rule itself failed: {why}")), "level": "unknown"}
