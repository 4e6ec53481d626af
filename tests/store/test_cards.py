"""Cards of the library: what is found, in which order, in which state; what becomes of a data folder that had none."""

from __future__ import annotations

import sqlite3
import tempfile
import unittest
from pathlib import Path

from amber_thicket.service.space import delete_for_good
from amber_thicket.store import cards
from amber_thicket.store.cards import Card, LibraryQuery
from amber_thicket.store.database import FILE, open_database
from amber_thicket.store.models import Material, Step, using
from tests.support import encoded, photograph, temporary_library

GRAVEL = encoded(photograph("gravel")[:128, :128])


class Found(unittest.TestCase):
    def setUp(self) -> None:
        held = temporary_library()
        self.library = held.__enter__()
        self.addCleanup(held.__exit__, None, None, None)
        self.database = self.library.database
        self.slate, self.wall, self.moss = (
            self.library.add([GRAVEL + bytes(number)], file, name=name)
            for number, (file, name) in enumerate(
                (("IMG_20260712.png", "Slate, wet"), ("quay_wall.png", "Harbour wall"), ("m.png", "Moss & Élan 100%"))
            )
        )

    def names(self, order: cards.Order = "oldest", **query) -> list[str]:
        return [row["name"] for row in cards.find(self.database, LibraryQuery(**query), order, 0, 50)]

    def test_words_are_found_in_names_files_tags_and_notes(self) -> None:
        cards.change_labels([self.wall.id], "tag", ["roof slates", "client A"], ())
        cards.note(self.moss.id, "to shoot again after the slate")
        for words, wanted in {
            "slate": [self.slate.name, self.wall.name, self.moss.name],
            "SLATE wet": [self.slate.name],
            "0260712": [self.slate.name],
            "quay": [self.wall.name],
            "client": [self.wall.name],
            "client slate": [self.wall.name],
            "élan": [self.moss.name],
            # Under three letters, and what means something to SQL or to the search.
            "wa": [self.wall.name],
            "0%": [self.moss.name],
            "_w": [self.wall.name],
            "%": [self.moss.name],
            'sla" OR "moss': [],
            "slate -wet": [],
            "granite": [],
        }.items():
            with self.subTest(words=words):
                self.assertEqual(self.names(words=words), wanted)
                self.assertEqual(cards.count(self.database, LibraryQuery(words=words)), len(wanted))
        # What was searched follows what changes.
        self.library.rename(self.slate.id, "Granite")
        cards.note(self.moss.id, "")
        self.assertEqual(self.names(words="slate"), ["Harbour wall"])
        self.assertEqual(self.names(words="granite"), ["Granite"])

    def test_state_follows_what_was_done(self) -> None:
        def state() -> tuple[str, int]:
            row = next(
                row for row in cards.find(self.database, LibraryQuery(), "oldest", 0, 9) if row["id"] == self.slate.id
            )
            return row["state"], row["to_settle"]

        self.assertEqual(state(), ("as_shot", 0))
        first = self.library.get(self.slate.id)
        self.library.note_findings(first, [{"level": "attention"}, {"level": "pass"}])
        self.assertEqual(state(), ("as_shot", 1))
        edited = self.library.edit(first.id, first.revision, {"tile.join.method": "blend"}, label="", gesture="")
        self.assertEqual(state()[0], "open")
        self.library.note_findings(edited, [{"level": "blocked"}, {"level": "attention"}, {"level": "unknown"}])
        self.assertEqual(state(), ("to_settle", 2))
        again = self.library.edit(first.id, edited.revision, {"tile.join.method": "none"}, label="", gesture="")
        self.library.note_findings(again, [{"level": "pass"}, {"level": "unknown"}])
        self.assertEqual(state(), ("passed", 0))
        cards.note_packed(first.id, again.head)
        self.assertEqual(state()[0], "packed")
        # Another state is another one, and the packed one is packed when it is gone back to.
        undone = self.library.undo(first.id, again.revision)
        self.assertEqual(state()[0], "open")
        self.library.redo(first.id, undone.revision)
        self.assertEqual(state()[0], "packed")
        self.assertEqual(cards.facets(self.database, False)["states"], {"as_shot": 2, "packed": 1})
        self.assertEqual(self.names(state="packed"), ["Slate, wet"])
        # Packed is not well: what Check said of that very state is there, and of no other one.
        again = self.library.get(self.slate.id)
        self.library.note_findings(again, [{"level": "blocked"}, {"level": "unknown"}])
        self.assertEqual(state(), ("packed", 1))
        self.assertEqual(self.names("state")[0], "Slate, wet")
        later = self.library.edit(again.id, again.revision, {"tile.join.method": "blend"}, label="", gesture="")
        cards.note_packed(again.id, later.head)
        self.assertEqual(state(), ("packed", 0))
        # What needs a hand comes first.
        self.library.note_findings(self.library.get(self.wall.id), [{"level": "pass"}])
        self.assertEqual(self.names("state"), ["Moss & Élan 100%", "Harbour wall", "Slate, wet"])

    def test_labels_sizes_kinds_and_parts(self) -> None:
        ids = [self.slate.id, self.wall.id]
        cards.change_labels(ids, "tag", ["  wet   stone ", "wet stone", "", "a\tb"], ())
        cards.change_labels([self.wall.id], "collection", ["Quay"], ())
        self.assertEqual(cards.labels_of(self.slate.id, "tag"), ["ab", "wet stone"])
        self.assertEqual(self.names(tags=("wet stone", "ab")), ["Slate, wet", "Harbour wall"])
        self.assertEqual(self.names(tags=("wet stone",), collection="Quay"), ["Harbour wall"])
        facets = cards.facets(self.database, False)
        self.assertEqual((facets["tags"], facets["collections"]), ({"ab": 2, "wet stone": 2}, {"Quay": 1}))
        cards.change_labels(ids, "tag", ["dry"], ["wet stone", "ab"])
        self.assertEqual(cards.facets(self.database, False)["tags"], {"dry": 2})
        cards.note_width(self.slate.id, 400.0)
        cards.note_width(self.wall.id, 90.0)
        self.assertEqual(self.names("size"), ["Harbour wall", "Slate, wet", "Moss & Élan 100%"])
        self.assertEqual(self.names(largest_mm=100.0), ["Harbour wall"])
        self.assertEqual(self.names(smallest_mm=100.0), ["Slate, wet"])
        self.assertEqual(self.names("name"), ["Harbour wall", "Moss & Élan 100%", "Slate, wet"])
        self.assertEqual(self.names("newest"), self.names("oldest")[::-1])
        part = cards.find(self.database, LibraryQuery(), "oldest", 1, 1)
        self.assertEqual([row["name"] for row in part], ["Harbour wall"])
        self.library.archive_many([*ids, "nobody"], True)
        self.assertEqual(self.names(), ["Moss & Élan 100%"])
        self.assertEqual(self.names(archived=True), ["Slate, wet", "Harbour wall"])

    def test_what_is_deleted_is_found_no_more(self) -> None:
        cards.change_labels([self.slate.id], "tag", ["roof"], ())
        self.library.archive(self.slate.id, True)
        delete_for_good(self.library, self.slate.id)
        self.assertEqual(self.names(words="slate", archived=True), [])
        self.assertEqual(cards.facets(self.database, True)["tags"], {})
        left = self.database.execute_sql("SELECT count(*) FROM words WHERE words MATCH '\"slate\"'").fetchone()
        self.assertEqual(left[0], 0)
        self.database.execute_sql("INSERT INTO words(words) VALUES ('integrity-check')")


class Kinds(unittest.TestCase):
    def test_what_a_material_was_made_of(self) -> None:
        photo = {"role": "photo", "file": "a.jpg"}
        frames = {"frames": [{"file": "0" * 16}]}
        for wanted, source, operations in (
            ("photograph", photo, {}),
            ("maps", {**photo, "more": [{"role": "height"}]}, {}),
            ("photograph", {**photo, "more": [{"role": "part"}]}, {}),
            ("photograph", {**photo, "scan": None}, {}),
            ("scan", {**photo, "scan": {"file": "a.ply"}}, {}),
            ("words", {**photo, "origin": {"words": "wet slate"}}, {}),
            ("walk_by", photo, {"gather.walk": frames}),
            ("bracket", photo, {"gather.merge": frames}),
            ("focus", photo, {"gather.merge": {**frames, "by": "focus"}}),
            ("light_set", photo, {"gather.lights": frames}),
            ("cutout", photo, {"tile.cutout": {"on": True}}),
            ("two_lights", photo, {"gather.maps": {"other_light": "0" * 16}}),
            ("photograph", photo, {"gather.maps": "damaged"}),
        ):
            with self.subTest(wanted=wanted, operations=operations):
                self.assertEqual(cards.kind_of(source, operations), wanted)


class Before(unittest.TestCase):
    def test_a_data_folder_of_before_gets_its_cards(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            database = open_database(Path(folder))
            with using(database):
                material = Material.create(name="Old slate", source={"file": "roof.jpg", "role": "photo"})
                recipe = {"version": 4, "operations": {"tile.cutout": {"on": True}}}
                Material.update(head=Step.create(material=material, recipe=recipe).id).execute()
            database.close()
            # As the release before left it.
            with sqlite3.connect(Path(folder) / FILE) as opened:
                for table in ("words", "card", "label", "start", "batchrow", "batch"):
                    opened.execute(f"DROP TABLE {table}")
                opened.execute("DROP INDEX material_listed")
                opened.execute("PRAGMA user_version = 5")
            database = open_database(Path(folder))
            with using(database):
                found = cards.find(database, LibraryQuery(words="roof"), "newest", 0, 9)
                self.assertEqual([(row["name"], row["kind"]) for row in found], [("Old slate", "cutout")])
                self.assertEqual(Card.select().count(), 1)
            database.close()
