"""Evaluation: content keys, one computation a key, what is computed again, cancellation, memory."""

import threading
import unittest
from unittest import mock

import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Cancel, Memory
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID
from amber_thicket.errors import Cancelled
from tests.support import ArraySource, linear_photograph, size_of

SIZE = (256, 256)


def made(memory: Memory, source: ArraySource, **changes: object) -> Evaluation:
    return Evaluation(Recipe().with_changes({k.replace("__", "."): v for k, v in changes.items()}), source, memory)


class KeyTest(unittest.TestCase):
    def setUp(self) -> None:
        self.source = ArraySource(linear_photograph("gravel"))
        self.memory = Memory(400_000_000)

    def test_only_what_follows_changes(self) -> None:
        same = {"squared", "evened", "base_color", "metallic"}
        # Roughness is rough in recesses, unless it is read from tone alone.
        self.assert_same(same)
        self.assert_same({*same, "roughness"}, response__roughness__reads="tone")

    def assert_same(self, same: set[str], **more: object) -> None:
        before = made(self.memory, self.source, **size_of(256), **more)
        after = made(self.memory, self.source, **size_of(256), **more, relief__height__invert=True)
        for layer in (
            "squared",
            "evened",
            "base_color",
            "height",
            "normal",
            "ambient_occlusion",
            "roughness",
            "metallic",
        ):
            self.assertEqual(before.key(layer, SIZE) == after.key(layer, SIZE), layer in same, layer)

    def test_same_key_same_pixels(self) -> None:
        one = made(self.memory, self.source, **size_of(256)).layer("height", SIZE).pixels
        fresh = made(Memory(400_000_000), self.source, **size_of(256)).layer("height", SIZE).pixels
        np.testing.assert_array_equal(one, fresh)

    def test_idle_operations_pass_through(self) -> None:
        ready = made(self.memory, self.source, **size_of(256), even__light__amount=0)
        self.assertEqual(ready.key("evened", SIZE), ready.key("squared", SIZE))

    def test_a_brighter_picture_is_joined_and_filled_where_it_was(self) -> None:
        spot = {"x": 0.3, "y": 0.4, "radius": 0.05, "from_x": 0.7, "from_y": 0.7}
        more = {**size_of(256), "tile__repair__spots": [spot]}
        plain = made(self.memory, self.source, **more)
        bright = made(self.memory, self.source, **more, even__original__exposure=0.7)
        self.assertNotEqual(plain.key("evened", SIZE), bright.key("evened", SIZE))
        self.assertEqual(plain.plan_key(), bright.plan_key())
        for name in ("tile.join", "tile.repair"):
            self.assertIs(bright.decided(BY_ID[name]), plain.decided(BY_ID[name]))
        # All that follows is linear: the tile is the same, brighter.
        both = [one.layer("tiled", SIZE).pixels for one in (plain, bright)]
        np.testing.assert_allclose(both[1], both[0] * 2**0.7, rtol=2e-4, atol=1e-5)
        # Colours that are left out were picked as they were seen.
        colours = {"tile__join__excluded_colours": ["#806040"]}
        picked = [made(self.memory, self.source, **more, **colours, even__original__exposure=e) for e in (0.0, 0.7)]
        self.assertNotEqual(*(one.plan_key() for one in picked))

    def test_two_askers_one_computation(self) -> None:
        memory, count, gate = Memory(1000), [], threading.Event()

        def compute() -> bytes:
            count.append(1)
            gate.wait(5)
            return b"x"

        threads = [threading.Thread(target=memory.get, args=("k", compute)) for _ in range(4)]
        for thread in threads:
            thread.start()
        gate.set()
        for thread in threads:
            thread.join()
        self.assertEqual(len(count), 1)

    def test_who_is_called_off_does_not_go_on_waiting(self) -> None:
        memory, gate, begun, cancel = Memory(1000), threading.Event(), threading.Event(), Cancel()

        def slow() -> bytes:
            begun.set()
            gate.wait(20)
            return b"x"

        first = threading.Thread(target=memory.get, args=("k", slow))
        first.start()
        begun.wait(10)
        cancel.cancel()
        with self.assertRaises(Cancelled):
            memory.get("k", slow, cancel.check)
        self.assertFalse(gate.is_set(), "the other one is still at it")
        gate.set()
        first.join(10)
        self.assertEqual(memory.get("k", slow), b"x")

    def test_memory_stays_within_its_bytes(self) -> None:
        memory = Memory(10_000)
        for number in range(50):
            memory.get(str(number), lambda: np.zeros(500, np.float32))
        self.assertLessEqual(memory._held, 10_000)
        self.assertGreater(len(memory._values), 2)

    def test_what_is_dropped_is_made_again(self) -> None:
        memory, made = Memory(1_000_000), []
        for key in ("a", "b", "c"):
            memory.get(key, lambda key=key: made.append(key) or np.zeros(50_000, np.float32))
        memory.drop(["a", "c", "never"])
        for key in ("a", "b", "c"):
            memory.get(key, lambda key=key: made.append(key) or np.zeros(50_000, np.float32))
        self.assertEqual(made, ["a", "b", "c", "a", "c"])
        # Nothing left by mistake counts: all that fits still fits.
        for number in range(40):
            memory.get(str(number), lambda: np.zeros(50_000, np.float32))
        self.assertEqual(memory.get("39", lambda: None).nbytes, 200_000)

    def test_known_keys_may_be_asked_for_while_more_are_made(self) -> None:
        """A second view of a state that a drag has passed may still be under way when its layers are let go."""
        state = made(Memory(50_000_000), ArraySource(linear_photograph("gravel")), **size_of(256))
        state.layer("base_color", SIZE)
        settles = state._settles

        def asked_beside(operation: object) -> bool:
            state._decided_keys[f"another {len(state._decided_keys)}"] = "key"
            state._keys[f"another {len(state._keys)}", state.sizes(SIZE)] = "key"
            return settles(operation)

        with mock.patch.object(state, "_settles", asked_beside):
            known = state.known_keys()
        self.assertIn(state.key("base_color", SIZE), known)
        self.assertIn(state._decided_key(BY_ID["tile.join"]), known)

    def test_error_reaches_its_caller_and_is_not_kept(self) -> None:
        memory = Memory(1000)
        with self.assertRaises(ZeroDivisionError):
            memory.get("k", lambda: 1 / 0)
        self.assertEqual(memory.get("k", lambda: 7), 7)

    def test_cancelled_work_stops(self) -> None:
        cancel = Cancel()
        cancel.cancel()
        ready = Evaluation(
            Recipe().with_changes({"square.size.width": 256, "square.size.height": 256}),
            self.source,
            self.memory,
            cancel,
        )
        with self.assertRaises(Cancelled):
            ready.layer("normal", SIZE)


class OddInputTest(unittest.TestCase):
    """QUALITY §4: works or says why; no crash, no NaN in any map."""

    def test_odd_pictures_make_finite_maps(self) -> None:
        rng = np.random.default_rng(0)
        for name, pixels in {
            "one colour": np.full((64, 64, 3), 0.2, np.float32),
            "black": np.zeros((64, 64, 3), np.float32),
            "noise": rng.random((200, 300, 3), np.float32),
            "long": rng.random((16, 400, 3), np.float32),
            "one pixel": np.full((1, 1, 3), 0.5, np.float32),
            "very bright": np.full((64, 64, 3), 40, np.float32) * rng.random((64, 64, 1), np.float32),
        }.items():
            for method in ("none", "cut", "lattice"):
                with self.subTest(name=name, method=method):
                    ready = made(
                        Memory(300_000_000), ArraySource(pixels, name), **size_of(256), tile__join__method=method
                    )
                    for role in ("base_color", "height", "normal", "roughness", "ambient_occlusion"):
                        values = ready.layer(role, SIZE).pixels
                        self.assertTrue(np.isfinite(values).all(), role)
                        self.assertEqual(values.shape[:2], SIZE, role)
