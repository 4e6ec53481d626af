"""Results in memory: what leaves first, what is counted, and what is shared."""

import threading
import unittest
from types import SimpleNamespace

import numpy as np

from amber_thicket.core.memory import Cancel, Memory, nbytes
from amber_thicket.errors import Cancelled


def sized(count: int) -> np.ndarray:
    return np.zeros(count, np.uint8)


def put(memory: Memory, **values: int) -> None:
    for key, count in values.items():
        memory.get(key, lambda count=count: sized(count))


def there(memory: Memory, keys: str) -> str:
    """Those of the keys whose value is still there."""
    found = []
    for key in keys:
        try:
            memory.get(key, lambda: 1 / 0)
            found.append(key)
        except ZeroDivisionError:
            pass
    return "".join(found)


class CountTest(unittest.TestCase):
    def test_bytes_of_values(self) -> None:
        self.assertEqual(nbytes(sized(10)), 10)
        self.assertEqual(nbytes((sized(10), sized(5))), 10 + 5 + 64)
        self.assertEqual(nbytes("anything"), 256)
        self.assertEqual(nbytes(SimpleNamespace(nbytes=7.0)), 7)

    def test_held_is_the_sum_and_falls_again(self) -> None:
        memory = Memory(1000)
        put(memory, a=300, b=200)
        self.assertEqual(memory.held, 500)
        memory.drop(["a", "nothing"])
        self.assertEqual(memory.held, 200)
        memory.clear()
        self.assertEqual(memory.held, 0)
        self.assertEqual(there(memory, "b"), "")

    def test_one_that_is_larger_than_all_is_not_kept(self) -> None:
        memory = Memory(1000)
        put(memory, a=1001)
        self.assertEqual((memory.held, there(memory, "a")), (0, ""))
        put(memory, b=1000)
        self.assertEqual((memory.held, there(memory, "b")), (1000, "b"))

    def test_the_same_pixels_under_two_keys_count_once(self) -> None:
        memory, pixels = Memory(1000), sized(600)
        for key in "ab":
            memory.get(key, lambda: SimpleNamespace(pixels=pixels, nbytes=pixels.nbytes))
        memory.get("view", lambda: pixels[10:])
        self.assertEqual(memory.held, 600)
        memory.drop("a")
        self.assertEqual(memory.held, 600)
        memory.drop(["b", "view"])
        self.assertEqual(memory.held, 0)


class LeavingTest(unittest.TestCase):
    def test_the_one_not_used_for_longest_leaves(self) -> None:
        memory = Memory(1000)
        put(memory, a=400, b=400)
        put(memory, a=400)
        put(memory, c=400)
        self.assertEqual(there(memory, "abc"), "ac")
        self.assertEqual(memory.held, 800)

    def test_exactly_full_is_not_too_full(self) -> None:
        memory = Memory(1000)
        put(memory, a=500, b=500)
        self.assertEqual(there(memory, "ab"), "ab")
        put(memory, c=1)
        self.assertEqual(there(memory, "abc"), "bc")

    def test_what_is_small_stays_while_large_things_can_leave(self) -> None:
        """Small is under a 256th of all: 1000 of 256,000."""
        memory = Memory(256_000)
        put(memory, s=1000, a=100_000, b=100_000, c=100_000)
        self.assertEqual(there(memory, "sabc"), "sbc")
        other = Memory(256_000)
        put(other, s=1001, a=100_000, b=100_000, c=100_000)
        self.assertEqual(there(other, "s"), "", "one byte more is large")

    def test_small_things_leave_once_they_are_half_of_all(self) -> None:
        memory = Memory(25_600)
        for number in range(128):
            memory.get(f"small{number}", lambda: sized(100))
        put(memory, large=12_700)
        self.assertEqual(memory.held, 25_500)
        memory.get("one more", lambda: sized(101))
        self.assertEqual(there(memory, ["small0", "small1", "large"]), "small1large")

    def test_the_limit_rises_and_never_falls(self) -> None:
        memory = Memory(1000)
        memory.at_least(2000)
        memory.at_least(500)
        put(memory, a=1500)
        self.assertEqual(there(memory, "a"), "a")

    def test_made_anew_it_takes_the_place_of_the_old_one(self) -> None:
        memory = Memory(1000)
        put(memory, a=400)
        memory._keep("a", sized(300))
        self.assertEqual(memory.held, 300)


class SharingTest(unittest.TestCase):
    def test_two_who_ask_at_once_share_one_computation(self) -> None:
        memory, gate, count, found = Memory(1000), threading.Event(), [], []

        def slow() -> str:
            count.append(1)
            gate.wait(5)
            return "made"

        threads = [threading.Thread(target=lambda: found.append(memory.get("k", slow))) for _ in range(4)]
        for thread in threads:
            thread.start()
        gate.set()
        for thread in threads:
            thread.join()
        self.assertEqual((found, len(count)), (["made"] * 4, 1))

    def test_an_error_goes_to_its_own_caller(self) -> None:
        memory = Memory(1000)
        with self.assertRaises(ZeroDivisionError):
            memory.get("k", lambda: 1 / 0)
        self.assertEqual(memory.get("k", lambda: "made"), "made")

    def test_who_waits_looks_whether_it_is_still_wanted(self) -> None:
        memory, gate, begun, cancel = Memory(1000), threading.Event(), threading.Event(), Cancel()

        def slow() -> str:
            begun.set()
            gate.wait(10)
            return "made"

        maker = threading.Thread(target=lambda: memory.get("k", slow))
        maker.start()
        begun.wait(5)
        cancel.check()
        cancel.cancel()
        with self.assertRaises(Cancelled):
            memory.get("k", lambda: "never", cancel.check)
        gate.set()
        maker.join()
        self.assertEqual(memory.get("k", lambda: "never"), "made")


if __name__ == "__main__":
    unittest.main()
