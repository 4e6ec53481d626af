"""Benchmarks as ratios, measured side by side in one run: ./run bench [operations|bake|arrive|colour|page|sliders|enlarge|eye|library|lights|lit|machines|memory|newcomer|pathtraced|pieces|relief|response|scan|shading|tiling|verdicts|walk] [--side N].

Absolute times tell about the machine; ratios tell about the program. At the end stands what became slower than in the last
release (released.json); --release keeps the figures of this run there, times in units of a fixed piece of work.
"""

from __future__ import annotations

import argparse

from bench import (
    arrive,
    bake,
    enlarge,
    eye,
    library,
    lights,
    lit,
    machines,
    memory,
    newcomer,
    operations,
    page,
    pathtraced,
    pieces,
    relief,
    response,
    scan,
    shading,
    tiling,
    verdicts,
    walk,
    walk_colour,
)
from bench.timing import compare


def every_relief(side: int) -> None:
    """Every way to a height: from one photograph, by choosing with the eye, from a walk-by, from a scan."""
    for part in (relief, eye, walk, walk_colour, scan):
        part.run(side)


PARTS = {
    "operations": operations.run,
    "pathtraced": pathtraced.run,
    "bake": bake.run,
    "arrive": arrive.run,
    "page": page.run,
    "sliders": page.sliders,
    "enlarge": enlarge.run,
    "eye": eye.run,
    "library": library.run,
    "lights": lights.run,
    "lit": lit.run,
    "machines": machines.run,
    "memory": memory.run,
    "newcomer": newcomer.run,
    "pieces": pieces.run,
    "relief": every_relief,
    "scan": scan.run,
    "response": response.run,
    "shading": shading.run,
    "tiling": tiling.run,
    "verdicts": verdicts.run,
    "walk": walk.run,
    "colour": walk_colour.run,
}


def short(_side: int) -> None:
    """What runs beside the tests, in about a minute, as information."""
    operations.run(0)


PARTS["short"] = short


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench")
    parser.add_argument("parts", nargs="*", choices=[*PARTS, []], help="all when none is named")
    parser.add_argument(
        "--side", type=int, default=0, help="pixels a side; 768 for operations and 4096 for the bake by default"
    )
    parser.add_argument("--release", action="store_true", help="keep the figures as those of a release")
    options = parser.parse_args()
    # What every_relief() runs is not run twice.
    for part in options.parts or [name for name in PARTS if name not in ("eye", "walk", "scan", "short")]:
        PARTS[part](options.side)
    compare(release=options.release)


if __name__ == "__main__":
    main()
