"""How operations hang together: chains, tags, and what every layer is made for. All of it is settled at import."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from amber_thicket.core.operation import Operation
from amber_thicket.core.roles import ROLES

PREVIOUS = "previous"


def chain(first: str, *operations: Operation, makes: str) -> tuple[Operation, ...]:
    """Operations that each go on with what the one before them made: what reads "previous" is a link.

    first: the layer the first link reads. makes: what the last link makes; links in between that name no layer make
    "stage_operation". Operations between them that are no links stay as they are. Raises RuntimeError where there is no
    link, or the last one makes something else.
    """
    links = [one for one in operations if PREVIOUS in one.reads]
    if not links or links[-1].writes not in ("", makes):
        raise RuntimeError(f"the chain that makes “{makes}” does not end in it")
    made, before = [], first
    for operation in operations:
        if PREVIOUS in operation.reads:
            reads = tuple(before if name == PREVIOUS else name for name in operation.reads)
            writes = makes if operation is links[-1] else operation.writes or f"{operation.stage}_{operation.name}"
            operation = replace(operation, reads=reads, writes=writes)
            before = writes
        made.append(operation)
    return tuple(made)


def linked(operations: Sequence[Operation], *, shown: Iterable[str]) -> tuple[Operation, ...]:
    """Operations with the tags they ask for resolved, in the order they run.

    shown: layers that are looked at, though no operation reads them. Raises RuntimeError where two share an id, a link
    stands outside of a chain, a tag means nothing, or a layer is made that nobody reads, looks at or packs.
    """
    if len({one.id for one in operations}) != len(operations):
        raise RuntimeError("two operations share an id")
    read = {name.split(".")[0] for one in operations for name in one.reads} | set(ROLES) | set(shown)
    for one in operations:
        if PREVIOUS in one.reads:
            raise RuntimeError(f"{one.id} goes on with another operation, but stands in no chain")
        if one.writes and one.writes not in read:
            raise RuntimeError(f"{one.id} makes “{one.writes}”, which nobody reads")
    return tuple(replace(one, also=_asked(one, operations)) for one in operations)


def _asked(operation: Operation, operations: Sequence[Operation]) -> tuple[str, ...]:
    found: list[str] = []
    for name in operation.also:
        tagged = [one.id for one in operations if name[1:] in one.tags] if name.startswith("#") else [name]
        if not tagged:
            raise RuntimeError(f"{operation.id} asks for the tag “{name[1:]}”, which no operation has")
        found += tagged
    return tuple(found)
