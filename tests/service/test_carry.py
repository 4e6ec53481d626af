"""Settings carried to other materials, and starts: what goes along, what stays, one step that undo takes back."""

from __future__ import annotations

import unittest

import numpy as np

from amber_thicket.core.recipe import Recipe, from_json
from amber_thicket.errors import NotFound, ThicketError
from amber_thicket.service import starts
from amber_thicket.service.carry import carriable, carry, fitting, whole_recipe
from tests.support import encoded, evaluation, linear_photograph, stroke, temporary_library

GREY = np.full((128, 128, 3), 120, np.uint8)
RED = {"id": "red", "name": "Rust", "parts": [{"kind": "colour", "picks": ["#b02018"], "tolerance": 10}]}
GREYS = {"id": "grey", "name": "Stone", "parts": [{"kind": "colour", "picks": ["#787878"], "tolerance": 9}]}
BRUSHED = {"id": "brush", "name": "Mark", "parts": [{"kind": "brush", "strokes": [stroke(0.1, 0.2, 0.2)]}]}
SOURCE = Recipe().with_changes(
    {
        "even.light.amount": 40.0,
        "even.tone.saturation": 12.0,
        "tile.join.method": "blend",
        "tile.join.excluded": [stroke(0.05, 0.5, 0.5)],
        "square.flat.upper_left_x": 4.0,
        "square.size.sample_mm": 800.0,
        "relief.height.invert": True,
        "relief.shape.strokes": [stroke(0.05, 0.5, 0.5, kind="add", value=0.2, strength=1, soft=0)],
        "response.zones.zones": [RED, GREYS, BRUSHED],
        "response.on_roughness.in_zones": {"red": {"level": 0.8}, "grey": {"level": 0.3}, "brush": {"level": 0.1}},
        "gather.maps.height": "0" * 16,
        "pack.files.name": "roof",
        "check.limits.waived": [{"rule": "tiling.giveaways", "map": "base_color", "ratio": 1.2}],
    }
)


def target(**changes):
    return evaluation(linear_photograph("gravel"), **changes)


class Carry(unittest.TestCase):
    def test_what_there_is_to_carry_is_told_in_words(self) -> None:
        rows = {row.path: row for row in carriable(SOURCE)}
        self.assertEqual((rows["tile.join.method"].stage, rows["tile.join.method"].value), ("tile", "Blend"))
        self.assertEqual(rows["square.size.sample_mm"].value, "800 mm")
        self.assertEqual(rows["relief.height.invert"].value, "on")
        self.assertEqual(rows["response.zones.zones"].value, "3 set")
        self.assertIn("Saturation", rows["even.tone.saturation"].label)
        # What belongs to its own surface is there with its reason; its files are not named at all.
        stays = {path for path, row in rows.items() if row.why}
        wanted = {
            "tile.join.excluded",
            "square.flat.upper_left_x",
            "relief.shape.strokes",
            "check.limits.waived",
            "pack.files.name",
        }
        self.assertEqual(stays, wanted)
        self.assertNotIn("gather.maps.height", rows)
        stages = [row.stage for row in carriable(SOURCE)]
        self.assertEqual(list(dict.fromkeys(stages)), ["square", "even", "tile", "relief", "response", "check", "pack"])

    def test_single_settings_and_whole_stages(self) -> None:
        there = {"even.tone.saturation": -30.0, "even.highlight.amount": 50.0, "relief.bands.fine": 2.0}
        one = carry(SOURCE, target(**there), ["even.tone.saturation"], ())
        self.assertEqual((one.changes, one.left_out), ({"even.tone.saturation": 12.0}, ()))
        # A stage as a whole: what is as it comes there is so here, and other stages are left alone.
        whole = carry(SOURCE, target(**there), (), ["even"])
        wanted = {"even.tone.saturation": 12.0, "even.light.amount": 40.0, "even.highlight.amount": None}
        self.assertEqual(whole.changes, wanted)
        # What is so already is no change.
        self.assertEqual(carry(SOURCE, target(**{"even.light.amount": 40.0}), ["even.light.amount"], ()).changes, {})

    def test_what_does_not_fit_is_left_out_and_told(self) -> None:
        found = carry(SOURCE, target(), (), ["square", "tile", "relief", "check", "pack"])
        wanted = {"square.size.sample_mm": 800.0, "tile.join.method": "blend", "relief.height.invert": True}
        self.assertEqual(found.changes, wanted)
        told = {row.path: row.why for row in found.left_out}
        self.assertEqual(told["square.flat.upper_left_x"], "corners are placed on this picture")
        self.assertEqual(told["relief.shape.strokes"], "it is drawn on this surface")
        self.assertEqual(set(told), {"square.flat.upper_left_x", "tile.join.excluded", "relief.shape.strokes", "check.limits.waived", "pack.files.name"})  # fmt: skip

    def test_zones_come_where_their_colours_are(self) -> None:
        found = carry(SOURCE, target(), (), ["response"])
        self.assertEqual([zone["id"] for zone in found.changes["response.zones.zones"]], ["grey"])
        self.assertEqual(found.changes["response.on_roughness.in_zones"], {"grey": {"level": 0.3}})
        told = {row.what: row.why for row in found.left_out}
        self.assertEqual(told["Zone Rust"], "its colours are not on this surface")
        self.assertEqual(told["Zone Mark"], "what is brushed lies on its own surface")
        self.assertTrue(
            any("Rust" in what and "Mark" in what for what in told if what not in ("Zone Rust", "Zone Mark"))
        )
        # On a red surface it is the other one.
        red = np.tile(np.array([0.434, 0.0144, 0.0091], np.float32), (256, 256, 1))
        on_red = carry(SOURCE, evaluation(red), (), ["response"]).changes
        self.assertEqual([zone["id"] for zone in on_red["response.zones.zones"]], ["red"])
        # Where none comes, the zones that are there stay, and what hangs on them.
        own = {"response.zones.zones": [{**GREYS, "id": "own"}], "response.on_metallic.in_zones": {"own": {"level": 1}}}
        rusty = Recipe().with_changes({"response.zones.zones": [RED]})
        kept = carry(rusty, target(**own), ["response.zones.zones"], ())
        self.assertEqual((kept.changes, len(kept.left_out)), ({}, 1))
        # What hangs on zones does not come without them.
        alone = carry(SOURCE, target(), ["response.on_roughness.in_zones"], ())
        self.assertEqual(alone.changes, {})
        self.assertEqual(len(alone.left_out), 1)

    def test_a_material_does_not_lie_on_itself(self) -> None:
        rows = [{"id": "a", "material": "f" * 16}, {"id": "b", "where": "recesses"}]
        source = Recipe().with_changes({"response.covers.covers": rows})
        found = carry(source, target(), ["response.covers.covers"], (), own="f" * 16)
        self.assertEqual([row["id"] for row in found.changes["response.covers.covers"]], ["b"])
        self.assertEqual(len(found.left_out), 1)
        # Where that was all, what lies on the other one stays.
        alone = Recipe().with_changes({"response.covers.covers": rows[:1]})
        there = target(**{"response.covers.covers": rows[1:]})
        self.assertEqual(carry(alone, there, ["response.covers.covers"], (), own="f" * 16).changes, {})

    def test_a_whole_recipe_keeps_the_files_that_are_there(self) -> None:
        now = Recipe().with_changes({"gather.maps.normal": "1" * 16, "even.light.amount": 70.0})
        changes = whole_recipe(SOURCE, now, {"1" * 16})
        self.assertNotIn("gather.maps.height", changes)
        self.assertNotIn("gather.maps.normal", changes)
        made = now.with_changes(changes)
        self.assertEqual(made.changed["even.light"], {"amount": 40.0})
        self.assertEqual(made.settings("gather.maps").normal, "1" * 16)
        # Where the file is there, it is meant.
        self.assertEqual(whole_recipe(SOURCE, now, {"0" * 16})["gather.maps.height"], "0" * 16)


class Starts(unittest.TestCase):
    def test_kept_taken_and_forgotten(self) -> None:
        with temporary_library() as library:
            first = library.add([encoded(GREY)], "roof.png")
            with self.assertRaises(ThicketError):
                starts.keep(Recipe(), "Nothing", "")
            start = starts.keep(SOURCE, "Roof slates, phone", "overcast")
            kept = from_json(start.recipe)
            self.assertEqual(kept, fitting(SOURCE))
            self.assertEqual(
                {path for path in ("tile.join", "square.flat", "gather.maps") if path in kept.changed}, {"tile.join"}
            )
            self.assertEqual([zone.id for zone in kept.settings("response.zones").zones], ["red", "grey"])
            begun = starts.begin(library, first, starts.get(start.id))
            now = library.recipe(begun)
            self.assertEqual(now.settings("tile.join").method, "blend")
            self.assertEqual([zone.id for zone in now.settings("response.zones").zones], ["grey"])
            self.assertEqual(library.steps(begun), ("Begun with Roof slates, phone", None))
            back = library.undo(begun.id, begun.revision)
            self.assertEqual(library.recipe(back), library.recipe(library.get(first.id)))
            self.assertEqual(library.recipe(back).settings("tile.join").method, "cut")
            # One of the same name takes its place.
            starts.keep(Recipe().with_changes({"even.light.amount": 5.0}), "Roof slates, phone", "")
            self.assertEqual([starts.told(one)["settings"] for one in starts.listed()], [1])
            starts.forget(starts.listed()[0].id)
            with self.assertRaises(NotFound) as refused:
                starts.get(start.id)
            self.assertIn("forgotten", refused.exception.remedy)
