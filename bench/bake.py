"""The whole bake against its codecs alone: decoding the source and encoding the same files."""

from __future__ import annotations

import resource
import subprocess
import sys
import time

import cv2

from amber_thicket.blocks import keep_blocks
from amber_thicket.core.files.encode import asked_for, stored
from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.recipe import Recipe
from amber_thicket.formats.picture import read_picture
from amber_thicket.formats.write import encoded
from amber_thicket.service.bake import pack
from amber_thicket.service.sources import StoredSource, describe
from bench.timing import table
from tests.support import encoded as file_bytes
from tests.support import photograph

ROUNDS = 3


def _source(side: int) -> bytes:
    return file_bytes(cv2.resize(photograph("gravel"), (side, side), interpolation=cv2.INTER_CUBIC), "JPEG", quality=95)


def _measure(side: int, profile: str) -> tuple[float, float]:
    """Seconds of the bake and of the codecs alone: the best of some rounds of both, one after the other."""
    data = _source(side)
    changes = {"square.size.width": side, "square.size.height": side, "pack.files.profile": profile}
    recipe = Recipe().with_changes(changes)
    info = describe(read_picture(data, "gravel.jpg"), "0" * 64, len(data), "gravel.jpg")
    warm = recipe.with_changes({"square.size.width": 512, "square.size.height": 512})
    bakes, codecs = [], []
    for chosen in (warm, *[recipe] * ROUNDS):
        memory = Memory(1_400_000_000)
        ready = Evaluation(chosen, StoredSource(info, lambda: data, memory), memory)
        began = time.perf_counter()
        for _ in pack(ready, "gravel", lambda _share, _text: None):
            pass
        bakes.append(time.perf_counter() - began)
        if chosen is not warm:
            codecs.append(_codecs(ready, data, side))
    return min(bakes[1:]), min(codecs)


def _codecs(ready: Evaluation, data: bytes, side: int) -> float:
    files = [
        (f, stored(f, {r: ready.layer(r, (side, side)).pixels for r in asked_for(f)}))
        for f in planned(ready.recipe, "gravel").files
    ]
    began = time.perf_counter()
    read_picture(data, "gravel.jpg")
    for file, codes in files:
        encoded(codes, format=file.format, encoding=file.encoding)
    return time.perf_counter() - began


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
    taken = _measure(int(sys.argv[1]), sys.argv[2])
    print(*taken, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)
