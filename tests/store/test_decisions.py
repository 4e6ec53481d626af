"""What took long to decide, kept on the disk: the same after it was read, never anything else."""

import dataclasses
import json
import os
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID, BY_LAYER
from amber_thicket.core.settings import Record
from amber_thicket.core.tile.join import Arranged
from amber_thicket.errors import Cancelled
from amber_thicket.store import decisions
from amber_thicket.store.decisions import DecisionCache
from tests.support import ArraySource, linear_photograph

ALL = "amber_thicket.core.memory._WORTH_KEEPING"
SMALL = {"square.size.width": 256, "square.size.height": 256}
# What decides something in Even, Relief and Response beside what does by default.
EVENED = {
    "even.raking.amount": 50.0,
    "even.shadow.amount": 20.0,
    "even.highlight.amount": 20.0,
    "even.glare.amount": 50.0,
    "even.blotches.dark": 50.0,
    "even.drift.amount": 50.0,
    "relief.cues.red": 10.0,
}


class Noting(DecisionCache):
    """One that notes what it was given and what it could not write."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self.given: dict[str, Any] = {}
        self.read_back = 0

    def read(self, key: str) -> Any:
        found = super().read(key)
        self.read_back += found is not None
        return found

    def write(self, key: str, value: Any) -> None:
        self.given[key] = value
        super().write(key, value)


def evaluated(memory: Memory, changes: dict[str, Any]) -> Evaluation:
    source = ArraySource(linear_photograph("brick")[:280, :280], "brick")
    return Evaluation(Recipe().with_changes({**SMALL, **changes}), source, memory)


class KeptTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def alike(self, one: Any, other: Any) -> None:
        self.assertIs(type(one), type(other))
        if isinstance(one, np.ndarray | np.generic):
            self.assertEqual(one.dtype, other.dtype)
            np.testing.assert_array_equal(one, other)
        elif dataclasses.is_dataclass(one):
            for field in dataclasses.fields(one):
                self.alike(getattr(one, field.name), getattr(other, field.name))
        elif isinstance(one, tuple | list):
            self.assertEqual(len(one), len(other))
            for a, b in zip(one, other, strict=True):
                self.alike(a, b)
        elif isinstance(one, dict):
            self.assertEqual(list(one), list(other))
            for name in one:
                self.alike(one[name], other[name])
        else:
            self.assertEqual(one, other)

    def test_every_decision_comes_back_as_it_was(self) -> None:
        cache = Noting(self.folder)
        with mock.patch(ALL, 0.0):
            for method in ("blend", "cut", "lattice", "regrow", "stochastic"):
                changes = {"tile.join.method": method, **(EVENED if method == "cut" else {})}
                if method == "cut":
                    changes["tile.tileset.count"] = 2
                one = evaluated(Memory(200_000_000, persistent=cache), changes)
                for role in ("base_color", "height", "normal", "roughness"):
                    one.layer(role, (256, 256))
        kinds = {type(value).__name__ for value in cache.given.values()}
        self.assertGreaterEqual(kinds, {"PiecePlan", "Mixture", "BlendPlan", "ndarray"})
        self.assertGreater(len(cache.given), 20)
        for key, value in cache.given.items():
            with self.subTest(kind=type(value).__name__):
                if value is not None:
                    self.alike(DecisionCache(self.folder).read(key), value)

    def test_nobody_decides_again_what_another_one_did(self) -> None:
        changes = {"tile.join.method": "joints"}
        first_cache = Noting(self.folder)
        with mock.patch(ALL, 0.0):
            first = evaluated(Memory(200_000_000, persistent=first_cache), changes).layer("joined", (256, 256))
        cache = Noting(self.folder)
        refusing = dataclasses.replace(BY_ID["tile.join"], decide=_refuses)
        with mock.patch.dict(BY_LAYER, {"joined": refusing}), mock.patch.dict(BY_ID, {"tile.join": refusing}):
            again = evaluated(Memory(200_000_000, persistent=cache), changes).layer("joined", (256, 256))
            with self.assertRaises(AssertionError):
                evaluated(Memory(200_000_000), changes).layer("joined", (256, 256))
        np.testing.assert_array_equal(first.pixels, again.pixels)
        self.assertGreaterEqual(cache.read_back, 1)
        plan = next(value for value in first_cache.given.values() if isinstance(value, Arranged))
        self.assertGreater(len(plan.made), 3)

    def test_what_is_quick_is_not_kept(self) -> None:
        cache = Noting(self.folder)
        memory = Memory(1000, persistent=cache)
        self.assertEqual(memory.get_persistent("quick", lambda: 7), 7)
        with mock.patch("amber_thicket.core.memory.time.perf_counter", side_effect=[0.0, 0.24]):
            self.assertEqual(memory.get_persistent("less slow", lambda: 8), 8)
        with mock.patch("amber_thicket.core.memory.time.perf_counter", side_effect=[0.0, 0.26]):
            self.assertEqual(memory.get_persistent("slow", lambda: 8), 8)
        self.assertEqual(cache.given, {"slow": 8})
        self.assertEqual(Memory(1000, persistent=cache).get_persistent("slow", lambda: 9), 8)

    def test_what_is_called_off_is_not_kept(self) -> None:
        def called_off() -> int:
            raise Cancelled("Called off.")

        cache = Noting(self.folder)
        with mock.patch(ALL, 0.0), self.assertRaises(Cancelled):
            Memory(1000, persistent=cache).get_persistent("plan", called_off)
        self.assertEqual(cache.given, {})

    def test_a_damaged_file_is_decided_anew(self) -> None:
        cache = DecisionCache(self.folder)
        cache.write("plan", (1.5, np.arange(4000)))
        (path,) = self.folder.rglob("*.npz")
        whole = path.read_bytes()
        for damaged in (whole[:200], b"", b"not a file of this kind", whole.replace(b'"tuple"', b'"tepid"')):
            path.write_bytes(damaged)
            with self.assertLogs("amber_thicket.store.decisions", "WARNING"):
                self.assertIsNone(cache.read("plan"))
            self.assertFalse(path.exists())
        cache.write("plan", (1.5, np.arange(4000)))
        self.assertEqual(cache.read("plan")[0], 1.5)

    def test_no_class_but_the_cores_is_made(self) -> None:
        cache = DecisionCache(self.folder)
        cache.write("plan", Raster(np.zeros((2, 2), np.float32)))
        (path,) = self.folder.rglob("*.npz")
        for name in (
            "subprocess:Popen",
            "amber_thicket.store.decisions:DecisionCache",
            "amber_thicket.core.graph:hashlib.sha256",
        ):
            told = json.dumps({"key": "plan", "value": {"record": name, "fields": {}}}).encode()
            with path.open("wb") as file:
                np.savez(file, told=np.frombuffer(told, np.uint8))
            with self.subTest(name), self.assertLogs("amber_thicket.store.decisions", "WARNING"):
                self.assertIsNone(cache.read("plan"))
        for odd in (object(), np.array([object()]), {1: object()}, Record()):
            with self.subTest(type(odd)), self.assertLogs("amber_thicket.store.decisions", "WARNING"):
                cache.write("odd", odd)
            self.assertIsNone(cache.read("odd"))

    def test_another_program_decides_for_itself(self) -> None:
        cache = DecisionCache(self.folder)
        cache.write("plan", 5)
        self.assertEqual(cache.read("plan"), 5)
        with mock.patch.object(decisions, "_program", return_value="another"):
            self.assertIsNone(cache.read("plan"))

    def test_the_longest_unused_leave_for_lack_of_room(self) -> None:
        cache = DecisionCache(self.folder, most=250_000)
        for number in range(3):
            cache.write(f"plan {number}", np.zeros(10_000))
            for path in self.folder.rglob("*.npz"):
                os.utime(path, (path.stat().st_atime, path.stat().st_mtime - 100))
        self.assertIsNotNone(cache.read("plan 0"))
        cache.write("plan 3", np.zeros(10_000))
        kept = [cache.read(f"plan {number}") is not None for number in range(4)]
        self.assertEqual(kept, [True, False, True, True])

    def test_only_what_is_small_is_kept_and_where_there_is_room(self) -> None:
        cache = DecisionCache(self.folder)
        large = np.broadcast_to(np.float32(0), (15_000_100,))
        cache.write("large", large)
        self.assertIsNone(cache.read("large"))
        for free, kept in ((990_000_000, False), (1_010_000_000, True)):
            with mock.patch.object(decisions, "free_bytes", return_value=free):
                cache.write("plan", 5)
            self.assertEqual(cache.read("plan"), 5 if kept else None)

    def test_it_is_read_where_nothing_can_be_written(self) -> None:
        cache = DecisionCache(self.folder)
        cache.write("plan", 5)
        with mock.patch.object(decisions.os, "utime", side_effect=PermissionError(13, "Permission denied")):
            self.assertEqual(cache.read("plan"), 5)
        self.assertEqual(cache.read("plan"), 5)

    def test_a_full_disk_loses_nothing(self) -> None:
        cache = DecisionCache(self.folder)
        with mock.patch.object(decisions, "free_bytes", return_value=10_000_000):
            cache.write("plan", np.zeros(10))
        self.assertIsNone(cache.read("plan"))
        failing = mock.patch.object(decisions, "write_whole", side_effect=OSError(28, "No space left"))
        with failing, self.assertLogs("amber_thicket.store.decisions", "WARNING"):
            cache.write("plan", np.zeros(10))
        self.assertEqual([path.name for path in self.folder.rglob("*.*")], [])


def _refuses(*inputs: Any, **settings: Any) -> Any:
    raise AssertionError("decided anew")
