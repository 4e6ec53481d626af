"""Benchmarks as ratios, measured side by side in one run: ./run bench [operations|bake|arrive|page|sliders|enlarge|eye|lights|pathtraced|pieces|relief|response|shading|tiling|verdicts|walk] [--side N].

Absolute times tell about the machine; ratios tell about the program.
"""

from __future__ import annotations

import argparse

from bench import (
    arrive,
    bake,
    enlarge,
    eye,
    lights,
    operations,
    page,
    pathtraced,
    pieces,
    relief,
    response,
    shading,
    tiling,
    verdicts,
    walk,
)

PARTS = {
    "operations": operations.run,
    "pathtraced": pathtraced.run,
    "bake": bake.run,
    "arrive": arrive.run,
    "page": page.run,
    "sliders": page.sliders,
    "enlarge": enlarge.run,
    "eye": eye.run,
    "lights": lights.run,
    "pieces": pieces.run,
    "relief": relief.run,
    "response": response.run,
    "shading": shading.run,
    "tiling": tiling.run,
    "verdicts": verdicts.run,
    "walk": walk.run,
}


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench")
    parser.add_argument("parts", nargs="*", choices=[*PARTS, []], help="all when none is named")
    parser.add_argument(
        "--side", type=int, default=0, help="pixels a side; 768 for operations and 4096 for the bake by default"
    )
    options = parser.parse_args()
    for part in options.parts or PARTS:
        PARTS[part](options.side)


if __name__ == "__main__":
    main()
