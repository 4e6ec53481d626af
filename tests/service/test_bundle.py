"""Bundles: a material in one file, and back in another data folder with the same pixels; damaged ones are refused."""

from __future__ import annotations

import hashlib
import io
import json
import unittest
import zipfile
from typing import Any

import numpy as np

from amber_thicket.core.graph import PLAN_SIDE, fit_side
from amber_thicket.errors import ThicketError, UnreadableFile
from amber_thicket.service import bundle, snapshots
from amber_thicket.store import cards
from amber_thicket.store.models import Material, Snapshot, Step
from tests.support import encoded, photograph, temporary_library

GRAVEL, GRASS = (encoded(photograph(name)[:256, :256]) for name in ("gravel", "grass"))


def made(library: Any) -> Material:
    material = library.add([GRAVEL], "gravel.png", name="Beach gravel")
    material = library.add_map(material.id, [GRASS], "gravel_height.png")
    edits = {"tile.join.method": "blend"}, {"tile.join.feather": 6.0}, {"even.light.amount": 30.0}
    for number, changes in enumerate(edits):
        material = library.edit(material.id, material.revision, changes, label=f"Step {number}", gesture="")
        if number == 0:
            material = snapshots.keep(library, material.id, "Blended")
    cards.note(material.id, "north side")
    cards.change_labels([material.id], "tag", ["beach"], ())
    cards.change_labels([material.id], "collection", ["Harbour"], ())
    return library.get(material.id)


def written(library: Any, material: Material) -> bytes:
    stream = io.BytesIO()
    bundle.write_bundle(library, material, stream)
    return stream.getvalue()


def pixels(library: Any, material: Material) -> np.ndarray:
    evaluation = library.evaluation(material)
    size = fit_side(evaluation.recipe, PLAN_SIDE // 2)
    return np.dstack([evaluation.layer(role, size).pixels for role in ("base_color", "height", "normal", "roughness")])


class Bundles(unittest.TestCase):
    def test_in_another_data_folder_it_is_the_same(self) -> None:
        with temporary_library() as first:
            material = made(first)
            data, looks = written(first, material), pixels(first, material)
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            told = json.loads(archive.read("bundle.json"))
            self.assertEqual((told["format"], told["version"]), ("amber-thicket bundle", 1))
            for source in told["sources"]:
                self.assertEqual(hashlib.sha256(archive.read(source["path"])).hexdigest(), source["sha256"])
            self.assertEqual(archive.read(told["sources"][0]["path"]), GRAVEL)
            self.assertEqual(json.loads(archive.read("recipe.json")), told["history"][-1]["recipe"])
        with temporary_library() as second:
            again = bundle.take_bundle(second, [data])
            self.assertEqual(again.name, "Beach gravel")
            np.testing.assert_array_equal(pixels(second, again), looks)
            self.assertEqual(second.recipe(again).as_json(), told["history"][-1]["recipe"])
            self.assertEqual(cards.Card.get().notes, "north side")
            self.assertEqual(cards.labels_of(again.id, "tag"), ["beach"])
            self.assertEqual(cards.labels_of(again.id, "collection"), ["Harbour"])
            # Its history goes back to the import, and its snapshot is of the same state.
            self.assertEqual(second.steps(again), ("Step 2", None))
            kept = Snapshot.get()
            self.assertEqual((kept.name, Step.get_by_id(kept.step).label), ("Blended", "Step 0"))
            back = snapshots.back_to(second, again.id, kept.id, again.revision)
            self.assertEqual(second.recipe(back).settings("tile.join").feather, 2.0)
            again = back
            while second.steps(again)[0]:
                again = second.undo(again.id, again.revision)
            self.assertEqual(Step.get_by_id(again.head).label, "Imported")
            self.assertEqual(
                len(cards.find(second.database, cards.LibraryQuery(words="gravel_height"), "newest", 0, 9)), 1
            )

    def test_a_duplicate_lives_on_its_own(self) -> None:
        with temporary_library() as library:
            material = made(library)
            copy = bundle.duplicate(library, material)
            self.assertEqual(copy.name, "Beach gravel copy")
            self.assertNotEqual(copy.id, material.id)
            self.assertEqual(library.recipe(copy), library.recipe(material))
            np.testing.assert_array_equal(pixels(library, copy), pixels(library, material))
            library.edit(copy.id, copy.revision, {"even.light.amount": 90.0}, label="", gesture="")
            self.assertEqual(library.recipe(library.get(material.id)).settings("even.light").amount, 30.0)
            self.assertEqual([row.name for row in Snapshot.select()], ["Blended", "Blended"])

    def test_what_is_not_what_it_says_is_refused(self) -> None:
        with temporary_library() as library:
            data = written(library, made(library))

            def changed(manifest: Any = None, swap: dict[str, bytes] | None = None, drop: str = "") -> bytes:
                stream = io.BytesIO()
                with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(stream, "w") as new:
                    for name in old.namelist():
                        if drop and name.startswith(drop):
                            continue
                        content = (swap or {}).get(name, old.read(name))
                        if name == "bundle.json" and manifest:
                            told = json.loads(content)
                            manifest(told)
                            content = json.dumps(told).encode()
                        new.writestr(name, content)
                return stream.getvalue()

            path = json.loads(zipfile.ZipFile(io.BytesIO(data)).read("bundle.json"))["sources"][0]["path"]
            damaged = {
                "no sound zip": data[: len(data) // 2],
                "no zip at all": b"a picture",
                "not what it was": changed(swap={path: GRASS}),
                "is missing": changed(drop="sources/"),
                "there is no bundle.json": changed(drop="bundle.json"),
                "newer release": changed(lambda told: told.update(version=2)),
                "sources": changed(lambda told: told.update(sources=[])),
                "state that is not there": changed(lambda told: told["snapshots"][0].update(state=99)),
                "history": changed(lambda told: told["history"][0].update(recipe={"version": 6})),
                "is no JSON": changed(swap={"bundle.json": b"{"}),
            }
            for why, content in damaged.items():
                with self.subTest(why=why), self.assertRaises(ThicketError) as refused:
                    bundle.take_bundle(library, [content])
                if why not in ("no sound zip", "no zip at all"):
                    self.assertIn(why, refused.exception.message)
                self.assertIsInstance(refused.exception, UnreadableFile)
            self.assertEqual(Material.select().count(), 1)
