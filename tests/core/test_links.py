"""Chains, tags and layers: what hangs together wrongly fails when the program starts, not when somebody moves a slider."""

import unittest

from amber_thicket.core.links import chain, linked
from amber_thicket.core.operation import Operation
from amber_thicket.core.registry import CARRIED, OPERATIONS
from amber_thicket.core.settings import OperationSettings


def operation(id: str, *reads: str, writes: str = "", **more: object) -> Operation:
    return Operation(id, id, "What it does.", OperationSettings, reads=reads, writes=writes, **more)


class ChainTest(unittest.TestCase):
    def test_each_link_reads_what_the_one_before_it_makes(self) -> None:
        made = chain(
            "squared",
            operation("even.a", "previous"),
            operation("even.aside", "squared", writes="sun"),
            operation("even.b", "previous", "sun"),
            operation("even.c", "previous"),
            makes="evened",
        )
        self.assertEqual([one.reads for one in made], [("squared",), ("squared",), ("even_a", "sun"), ("even_b",)])
        self.assertEqual([one.writes for one in made], ["even_a", "sun", "even_b", "evened"])

    def test_another_link_in_the_middle_needs_no_other_change(self) -> None:
        before = [operation("even.a", "previous"), operation("even.c", "previous")]
        made = chain("squared", before[0], operation("even.new", "previous"), before[1], makes="evened")
        self.assertEqual([one.reads for one in made], [("squared",), ("even_a",), ("even_new",)])

    def test_a_chain_that_ends_elsewhere_fails(self) -> None:
        for links in ((operation("even.a", "previous", writes="dull"),), (operation("even.a", "squared"),)):
            with self.assertRaisesRegex(RuntimeError, "evened"):
                chain("squared", *links, makes="evened")

    def test_what_cannot_work_fails_at_once(self) -> None:
        for operations, says in (
            ((operation("a.a", "photo", writes="lost"),), "nobody reads"),
            ((operation("a.a", "previous", writes="height"),), "no chain"),
            ((operation("a.a"), operation("a.a")), "share an id"),
            ((operation("a.a", also=("#shiny",)),), "no operation has"),
        ):
            with self.subTest(says), self.assertRaisesRegex(RuntimeError, says):
                linked(operations, shown=())

    def test_tags_stand_for_operations_in_the_order_they_run(self) -> None:
        tagged = [operation(f"a.{n}", tags=("shiny",)) for n in "xy"]
        made = linked([operation("a.a", also=("b.b", "#shiny")), *tagged], shown=())
        self.assertEqual(made[0].also, ("b.b", "a.x", "a.y"))

    def test_existing_maps_go_every_step_the_colour_goes(self) -> None:
        self.assertEqual(
            {step: before for step, (_, before) in CARRIED.items()},
            {"gathered": "photo", "squared": "gathered", "joined": "squared", "repaired": "joined", "touched": "repaired",
             "tiled": "touched",
             "hued": "tiled"},
        )  # fmt: skip

    def test_every_slider_of_even_reaches_the_colour(self) -> None:
        """Every operation of Even but the one that looks for the sun lies on the way from the sample to the end."""
        made = {one.writes: one for one in OPERATIONS}
        on_the_way, layer = [], "evened"
        while layer != "squared":
            on_the_way.append(made[layer].id)
            layer = made[layer].reads[0]
        self.assertEqual(set(on_the_way), {one.id for one in OPERATIONS if one.stage == "even"} - {"even.sun"})


if __name__ == "__main__":
    unittest.main()
