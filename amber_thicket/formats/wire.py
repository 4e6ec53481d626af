"""Frames between a process and its helper: a JSON head through a socket, arrays in anonymous memory beside it."""

from __future__ import annotations

import json
import mmap
import os
import socket
import struct
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

_LENGTH = struct.Struct("<I")
_MOST_HEAD, _MOST_ARRAYS = 1 << 20, 4


@dataclass(frozen=True)
class Frame:
    """head: plain JSON values. arrays: of any shape and kind of number."""

    head: dict[str, Any]
    arrays: list[NDArray[Any]] = field(default_factory=list)


# Memory of arrays that were made to be sent, by the address they begin at. The helper alone makes such.
_rooms: dict[int, tuple[int, NDArray[Any]]] = {}


def new_array(shape: tuple[int, ...], kind: Any = np.uint8) -> NDArray[Any]:
    """An array in anonymous memory, which send() hands over as it is, until forget_arrays()."""
    memory, array = _in_memory(shape, kind)
    # The array is held too: its address must not become another's meanwhile.
    _rooms[_begins(array)] = memory, array
    return array


def forget_arrays() -> None:
    """Close the memory of arrays that were made to be sent and are not needed any more."""
    while _rooms:
        os.close(_rooms.popitem()[1][0])


def _in_memory(shape: tuple[int, ...], kind: Any) -> tuple[int, NDArray[Any]]:
    """(file descriptor, array) of new anonymous memory."""
    size = max(int(np.prod(shape)) * np.dtype(kind).itemsize, 1)
    memory = os.memfd_create("array")
    try:
        os.ftruncate(memory, size)
        return memory, np.ndarray(shape, kind, buffer=mmap.mmap(memory, size))
    except BaseException:
        os.close(memory)
        raise


def _begins(array: NDArray[Any]) -> int:
    return int(array.__array_interface__["data"][0])


def send(line: socket.socket, head: dict[str, Any], arrays: list[NDArray[Any]]) -> None:
    """Send a frame of up to four arrays. Raises OSError."""
    memories, own = [], []
    try:
        for array in arrays:
            memory, whole = _rooms.get(_begins(array), (-1, array))
            if memory < 0 or whole.nbytes != array.nbytes or not array.flags.c_contiguous:
                memory, copy = _in_memory(array.shape, array.dtype)
                own.append(memory)
                np.copyto(copy, array)
            memories.append(memory)
        shapes = [[array.dtype.str, list(array.shape)] for array in arrays]
        text = json.dumps({**head, "arrays": shapes}).encode()
        socket.send_fds(line, [_LENGTH.pack(len(text))], memories)
        line.sendall(text)
    finally:
        for memory in own:
            os.close(memory)


def receive(line: socket.socket) -> Frame | None:
    """The next frame; None when the other side is gone. Its arrays lie in the memory that came along. Raises
    OSError, EOFError."""
    start, memories, _, _ = socket.recv_fds(line, _LENGTH.size, _MOST_ARRAYS)
    try:
        if not start:
            return None
        (length,) = _LENGTH.unpack(start)
        head = json.loads(_exactly(line, min(length, _MOST_HEAD)))
        shapes = head.pop("arrays")
        arrays = [_array(memory, *shape) for memory, shape in zip(memories, shapes, strict=True)]
    finally:
        for memory in memories:
            os.close(memory)
    return Frame(head, arrays)


def _array(memory: int, kind: str, shape: list[int]) -> NDArray[Any]:
    return np.ndarray(tuple(shape), np.dtype(kind), buffer=mmap.mmap(memory, os.fstat(memory).st_size))


def _exactly(line: socket.socket, length: int) -> bytes:
    parts = bytearray()
    while len(parts) < length:
        part = line.recv(length - len(parts))
        if not part:
            raise EOFError
        parts += part
    return bytes(parts)
