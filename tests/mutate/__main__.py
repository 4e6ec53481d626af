"""Puts small faults into modules of the core, one at a time, and tells how many of them the tests notice.

`./run mutate` takes a sample of the faults of every listed module (always the same ones), `./run mutate figures recipe`
of those whose name has one of the words, `--each 40` another number of them. The faults are cosmic-ray's: other
arithmetic, other comparisons, other numbers, turned conditions. Each is put into a copy of the program, whose tests for
that module are run until the first one fails.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue
from typing import NamedTuple

from cosmic_ray.ast import ast_nodes, get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator

ROOT = Path(__file__).parents[2]
WANTED = 0.75
# What settings are declared to be.
DECLARED = "core.test_registry.RegistryTest.test_what_is_declared_stays"
# The tests of each module, quickest first.
MODULES: dict[str, tuple[str, ...]] = {
    "core/check/figures": ("core.test_figures",),
    "core/tile/repeat_artifacts": ("core.test_repeat_artifacts",),
    "core/tile/pieces": ("core.test_pieces",),
    "core/tile/broken_pieces": ("core.test_pieces",),
    "core/numeric/levels": ("core.test_numeric",),
    "core/numeric/quantiles": ("core.test_numeric",),
    "core/response/levels": ("core.test_response_levels", DECLARED),
    "core/relief/height": ("core.test_height", DECLARED),
    "core/relief/normal": ("core.test_normal", DECLARED),
    "core/relief/curvature": ("core.test_curvature", DECLARED),
    "core/recipe": ("core.test_recipe",),
    "core/settings": ("core.test_settings", "core.test_recipe"),
    "core/memory": ("core.test_memory",),
    "core/pack/profiles": ("core.test_profiles",),
    "core/files/file_plan": ("core.test_profiles",),
    "core/synthesis/tile_plan": ("core.test_tile_plan",),
}
# Faults that people make; replacing "+" by ">>" and the like fails at once and proves nothing.
_ARITHMETIC = ("Add_Sub", "Sub_Add", "Mul_Div", "Div_Mul", "Add_Mul", "Mul_Add", "Pow_Mul", "Mod_Div", "FloorDiv_Div")
_COMPARISONS = ("Lt_LtE", "LtE_Lt", "Gt_GtE", "GtE_Gt", "Lt_Gt", "Gt_Lt", "Eq_NotEq", "NotEq_Eq", "LtE_GtE", "GtE_LtE")
OPERATORS = (
    *(f"core/ReplaceBinaryOperator_{name}" for name in _ARITHMETIC),
    *(f"core/ReplaceComparisonOperator_{name}" for name in _COMPARISONS),
    "core/NumberReplacer",
    "core/ReplaceTrueWithFalse",
    "core/ReplaceFalseWithTrue",
    "core/ReplaceAndWithOr",
    "core/ReplaceOrWithAnd",
    "core/AddNot",
    "core/ReplaceUnaryOperator_Delete_USub",
    "core/ReplaceUnaryOperator_Delete_Not",
    "core/ReplaceBreakWithContinue",
    "core/ZeroIterationForLoop",
)  # fmt: skip


class Fault(NamedTuple):
    module: str
    operator: str
    occurrence: int


def faults(module: str) -> list[Fault]:
    """Every fault that can be put into a module."""
    tree = get_ast((ROOT / "amber_thicket" / f"{module}.py").read_text())
    found = []
    for name in OPERATORS:
        operator = get_operator(name)()
        positions = [node for node in ast_nodes(tree) for _ in operator.mutation_positions(node)]
        # The star of "by name from here on" is no product.
        found += [
            Fault(module, name, number)
            for number, node in enumerate(positions)
            if node.parent is None or node.parent.type != "parameters"
        ]
    return found


class Copies:
    """Copies of the program, one for each process that puts faults in."""

    def __init__(self, folder: Path, count: int) -> None:
        self._free: Queue[Path] = Queue()
        for number in range(count):
            copy = folder / str(number)
            copy.mkdir()
            for part in ("amber_thicket", "tests"):
                # With times and compiled kernels as they are; the built page is not needed.
                shutil.copytree(
                    ROOT / part, copy / part, copy_function=shutil.copy2, ignore=shutil.ignore_patterns("page")
                )
            self._free.put(copy)

    def try_out(self, fault: Fault) -> tuple[bool, str]:
        """(noticed, the line with the fault)."""
        copy = self._free.get()
        try:
            path = copy / "amber_thicket" / f"{fault.module}.py"
            code = path.read_text()
            changed = mutate_code(code, get_operator(fault.operator)(), fault.occurrence)
            if changed is None:
                return True, ""
            line = next((b for a, b in zip(code.splitlines(), changed.splitlines(), strict=False) if a != b), "")
            kept = path.stat()
            path.write_text(changed)
            try:
                return not self.passes(copy, fault.module), line.strip()
            finally:
                path.write_text(code)
                os.utime(path, ns=(kept.st_atime_ns, kept.st_mtime_ns))
        finally:
            self._free.put(copy)

    @staticmethod
    def passes(copy: Path, module: str) -> bool:
        tests = [f"tests.{name}" for name in MODULES[module]]
        try:
            done = subprocess.run(
                [sys.executable, "-m", "unittest", "-f", *tests],
                cwd=copy,
                capture_output=True,
                timeout=180,
                check=False,
            )
        except subprocess.TimeoutExpired:
            return False
        return done.returncode == 0


def main() -> int:
    parser = argparse.ArgumentParser(prog="run mutate", description=__doc__)
    parser.add_argument("words", nargs="*")
    parser.add_argument("--each", type=int, default=14)
    options = parser.parse_args()
    chosen = [name for name in MODULES if not options.words or any(word in name for word in options.words)]
    caught: dict[str, list[bool]] = {}
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        copies = Copies(Path(folder), os.cpu_count() or 1)
        for module in chosen:
            if not Copies.passes(Path(folder) / "0", module):
                print(f"{module}: its tests fail without any fault", flush=True)
                return 1
            everything = faults(module)
            sample = random.Random(module).sample(everything, min(options.each, len(everything)))
            began = time.monotonic()
            told = list(pool.map(copies.try_out, sample))
            caught[module] = [noticed for noticed, _ in told]
            print(
                f"{module}: {sum(caught[module])} of {len(told)} noticed ({len(everything)} there are, {time.monotonic() - began:.0f} s)",
                flush=True,
            )
            for fault, (noticed, line) in zip(sample, told, strict=True):
                if not noticed:
                    print(f"    not noticed: {fault.operator.removeprefix('core/')}: {line[:110]}", flush=True)
    every = [noticed for row in caught.values() for noticed in row]
    share = sum(every) / max(len(every), 1)
    print(f"{sum(every)} of {len(every)} faults noticed: {share:.0%} (wanted {WANTED:.0%})")
    return 0 if share >= WANTED else 1


if __name__ == "__main__":
    sys.exit(main())
