"""The whole bake against its codecs alone: decoding the source and encoding the same files."""

from __future__ import annotations

import resource
import subprocess
import sys
import time
from pathlib import Path

import cv2

from amber_thicket.blocks import keep_blocks, most_in_memory
from amber_thicket.core.files.encode import asked_for, stored
from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.recipe import Recipe
from amber_thicket.formats.picture import read_picture
from amber_thicket.formats.write import encoded
from amber_thicket.service.bake import RESULTS_BYTES, pack
from amber_thicket.service.sources import StoredSource, describe
from amber_thicket.store.spill import SpillFiles
from bench.timing import table
from tests.support import encoded as file_bytes
from tests.support import photograph

# Of the largest maps one will do: it takes minutes.
ROUNDS, _ONCE = 3, 16384
# Larger captures are enlarged.
_CAPTURED = 8192


def _source(side: int) -> bytes:
    return file_bytes(cv2.resize(photograph("gravel"), (side, side), interpolation=cv2.INTER_CUBIC), "JPEG", quality=95)


def _measure(side: int, profile: str) -> tuple[float, float, int]:
    """Seconds of the bake and of the codecs alone, the best of some rounds of both, one after the other; and the most
    memory the bake took, kB."""
    data = _source(min(side, _CAPTURED))
    changes = {"square.size.width": side, "square.size.height": side, "pack.files.profile": profile}
    recipe = Recipe().with_changes(changes)
    info = describe(read_picture(data, "gravel.jpg"), "0" * 64, len(data), "gravel.jpg")
    warm = recipe.with_changes({"square.size.width": 512, "square.size.height": 512})
    bakes, codecs, peak = [], [], 0
    for chosen in (warm, *[recipe] * (1 if side >= _ONCE else ROUNDS)):
        memory = Memory(RESULTS_BYTES, spill=SpillFiles(Path("/var/tmp")), most_in_memory=most_in_memory())
        ready = Evaluation(chosen, StoredSource(info, lambda: data, memory), memory)
        began = time.perf_counter()
        for written in pack(ready, "gravel", lambda _share, _text: None):
            del written
        bakes.append(time.perf_counter() - began)
        if chosen is not warm:
            peak = peak or resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
            codecs.append(_codecs(ready, data, side))
    return min(bakes[1:]), min(codecs), peak


def _codecs(ready: Evaluation, data: bytes, side: int) -> float:
    began = time.perf_counter()
    read_picture(data, "gravel.jpg")
    took = time.perf_counter() - began
    for file in planned(ready.recipe, "gravel").files:
        codes = stored(file, {role: ready.layer(role, (side, side)).pixels for role in asked_for(file)})
        began = time.perf_counter()
        encoded(codes, format=file.format, encoding=file.encoding)
        took += time.perf_counter() - began
    return took


def run(side: int) -> None:
    rows = []
    times: dict[tuple[str, int], float] = {}
    sizes = (side // 2, side) if side else (2048, 4096)
    for profile, size in ((profile, size) for profile in ("separate_y_plus", "gltf") for size in sizes):
        done = subprocess.run(
            [sys.executable, "-m", "bench.bake", str(size), profile], capture_output=True, text=True, check=True
        )
        bake, codecs, memory = (float(n) for n in done.stdout.split())
        times[profile, size] = bake
        growth = f"{bake / times[profile, size // 2]:.1f} ×" if (profile, size // 2) in times else "–"
        rows.append([profile, f"{size}²", f"{bake / codecs:.2f} ×", growth, f"{memory / 1e6:.2f} GB", f"{bake:.1f} s"])
    table(
        "Bake of all maps, read back: over codec time alone",
        ["profile", "size", "ratio", "over half the side", "peak memory", "here"],
        rows,
    )


if __name__ == "__main__":
    # As the program does when it starts.
    keep_blocks()
    print(*_measure(int(sys.argv[1]), sys.argv[2]))
