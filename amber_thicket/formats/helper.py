"""The helper process: reads strangers' files, one at a time, with as much memory as each may need and no more."""

from __future__ import annotations

import contextlib
import resource
import signal
import socket
import sys
from collections.abc import Iterator
from typing import Any

import numpy as np

from amber_thicket.errors import ThicketError, UnreadableFile
from amber_thicket.formats import decode as decoding
from amber_thicket.formats import limits, wire
from amber_thicket.formats.decode import Decoded, Develop, decode
from amber_thicket.formats.wire import Frame, receive, send

# Bytes for headers and small pictures, and how often a decoded picture may lie in memory at once: as the library holds
# it, as an array, and as it is handed over.
_LEAST, _COPIES = 500_000_000, 3.5
_MOST = 6_000_000_000


def _allow(decoded: int) -> None:
    """Let this process take what a picture of so many bytes may need, beside what it has."""
    wanted = _taken() + _LEAST + int(_COPIES * decoded)
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    resource.setrlimit(resource.RLIMIT_AS, (min(wanted, hard) if hard != resource.RLIM_INFINITY else wanted, hard))


def _taken() -> int:
    with open("/proc/self/statm") as file:
        return int(file.read().split()[0]) * resource.getpagesize()


def main(line: socket.socket) -> None:
    """Answer until the other side is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    limits.announce = _allow
    decoding.new_array = wire.new_array
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_AS, (resource.RLIM_INFINITY, _taken() + _MOST))
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    while frame := receive(line):
        wire.forget_arrays()
        _allow(0)
        try:
            # Each frame but the last says that more will come.
            waiting: tuple[dict[str, Any], list[Any]] | None = None
            for answer in _answers(frame):
                if waiting:
                    send(line, {**waiting[0], "more": True}, waiting[1])
                waiting = answer
            send(line, *(waiting or ({"end": True}, [])))
        except ThicketError as error:
            send(line, {"error": _told(error)}, [])
        except MemoryError:
            name = frame.head["arguments"]["name"]
            refusal = UnreadableFile(
                f"{name} needs far more memory than a picture of its size.", remedy="Save it again.", file=name
            )
            send(line, {"error": _told(refusal)}, [])


def _told(error: ThicketError) -> dict[str, Any]:
    return {
        "class": type(error).__name__,
        "message": error.message,
        "remedy": error.remedy,
        "details": error.details,
    }


def _answers(frame: Frame) -> Iterator[tuple[dict[str, Any], list[Any]]]:
    data, asked = frame.arrays[0].tobytes(), frame.head["arguments"]
    if frame.head["what"] == "entries":
        from amber_thicket.formats.unzip import read_entries

        for path, content in read_entries(data, asked["name"]):
            if isinstance(content, UnreadableFile):
                yield {"path": path, "refused": content.message}, []
            else:
                yield {"path": path}, [np.frombuffer(content, np.uint8)]
        yield {"end": True}, []
    elif frame.head["what"] == "radiance":
        from amber_thicket.formats.radiance import read_radiance

        yield _parts(read_radiance(data, asked["name"]))
    elif frame.head["what"] == "scan":
        from amber_thicket.formats.scan import read_scan, unpack_beside

        beside = unpack_beside(frame.arrays[1].tobytes()) if len(frame.arrays) > 1 else {}
        scan = read_scan(data, asked["name"], beside)
        head = {"metres": scan.metres, "notes": list(scan.notes)}
        yield head, [scan.points, scan.faces, scan.colours, scan.texture]
    else:
        develop = Develop(asked["white"], asked["highlights"])
        yield _parts(decode(data, asked["name"], asked["kind"], as_stored=asked["as_stored"], develop=develop))


def _parts(found: Decoded) -> tuple[dict[str, Any], list[Any]]:
    head = {"light": found.light, "bits": found.bits, "turn": list(found.turn), "notes": found.notes}
    head["shot"] = found.shot
    return head, [found.codes] if found.alpha is None else [found.codes, found.alpha]


if __name__ == "__main__":
    # The other side may be gone at any moment; so is this one then.
    with contextlib.suppress(BrokenPipeError, ConnectionError):
        main(socket.socket(fileno=int(sys.argv[1])))
