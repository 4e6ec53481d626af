"""Named snapshots: kept, gone back to, compared with; a data folder from before them is brought up to date."""

from __future__ import annotations

import unittest
from pathlib import Path

import numpy as np

from amber_thicket.errors import NotFound, StaleEdit
from amber_thicket.service import snapshots
from amber_thicket.service.preview import compared
from amber_thicket.store.database import open_database
from amber_thicket.store.models import Snapshot
from tests.support import encoded, photograph, temporary_library


class Snapshots(unittest.TestCase):
    def test_kept_gone_back_to_and_compared(self) -> None:
        with temporary_library() as library:
            material = library.add([encoded(photograph("gravel"))], "gravel.png")
            id = str(material.id)
            material = library.edit(
                id, material.revision, {"relief.normal.strength": 2.0}, label="Strength", gesture=""
            )
            material = snapshots.keep(library, id, "Strong")
            changes = {"relief.normal.strength": 0.5, "response.roughness.centre": 0.3}
            material = library.edit(id, material.revision, changes, label="Weak", gesture="")
            (row,) = snapshots.listed(material)
            self.assertEqual(row["name"], "Strong")
            then = snapshots.evaluation_at(library, id, row["id"])
            off = compared(library.evaluation(material), "normal", "normal", then)
            self.assertGreater(off["rms"], 0.05)
            same = compared(library.evaluation(material), "base_color", "base_color", then)
            self.assertEqual(same["rms"], 0.0)
            with self.assertRaises(StaleEdit):
                snapshots.back_to(library, id, row["id"], material.revision - 1)
            back = snapshots.back_to(library, id, row["id"], material.revision)
            recipe = library.recipe(back)
            self.assertEqual(recipe.settings("relief.normal").strength, 2.0)
            self.assertNotEqual(recipe.settings("response.roughness").centre, 0.3)
            undone = library.undo(id, back.revision)
            self.assertEqual(library.recipe(undone).settings("response.roughness").centre, 0.3)
            other = library.add([encoded(np.full((64, 64, 3), 90, np.uint8))], "plain.png")
            with self.assertRaises(NotFound):
                snapshots.drop(library, str(other.id), row["id"])
            snapshots.drop(library, id, row["id"])
            self.assertEqual(snapshots.listed(undone), [])

    def test_a_drag_that_goes_on_leaves_a_named_state_alone(self) -> None:
        with temporary_library() as library:
            material = library.add([encoded(np.full((64, 64, 3), 90, np.uint8))], "plain.png")
            id = str(material.id)
            drag = {"label": "Strength", "gesture": "one drag"}
            material = library.edit(id, material.revision, {"relief.normal.strength": 2.0}, **drag)
            material = snapshots.keep(library, id, "Two")
            library.edit(id, material.revision, {"relief.normal.strength": 3.0}, **drag)
            (row,) = snapshots.listed(material)
            then = snapshots.evaluation_at(library, id, row["id"])
            self.assertEqual(then.recipe.settings("relief.normal").strength, 2.0)

    def test_an_older_data_folder_gets_the_table(self) -> None:
        with temporary_library() as library:
            material = library.add([encoded(np.full((64, 64, 3), 90, np.uint8))], "plain.png")
            library.database.drop_tables([Snapshot])
            library.database.pragma("user_version", 1)
            library.database = open_database(Path(library.database.database).parent)
            snapshots.keep(library, str(material.id), "  ")
            self.assertEqual(snapshots.listed(material)[0]["name"], "Untitled")


if __name__ == "__main__":
    unittest.main()
