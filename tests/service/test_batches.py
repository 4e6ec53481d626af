"""What a batch leaves in a material: only what it took, only on the state it was given, and only of the job that counts."""

from __future__ import annotations

import unittest
from typing import Any

from amber_thicket.jobs.manager import _note_packed
from amber_thicket.service import batches
from amber_thicket.store import cards
from amber_thicket.store.models import BatchRow, Job, Material
from amber_thicket.store.work import BatchPayload, BatchResult
from tests.support import encoded, photograph, temporary_library

GRAVEL = encoded(photograph("gravel")[:96, :96])


class Jobs:
    """Jobs that are begun and done by nobody."""

    def batch(self, material: Material, payload: BatchPayload) -> Job:
        return Job.create(kind="batch", material=material, title="", payload=payload.model_dump(mode="json"))

    def cancel(self, job_id: str) -> Job:
        job = Job.get_by_id(job_id)
        job.state = "cancelled"
        job.save()
        return job


class Settled(unittest.TestCase):
    def setUp(self) -> None:
        held = temporary_library()
        self.library = held.__enter__()
        self.addCleanup(held.__exit__, None, None, None)
        self.material = self.library.add([GRAVEL], "wall.png")
        self.one = str(self.material.id)
        self.batch = batches.begin(self.library, Jobs(), [self.one], batches.BatchOptions())
        self.job = Job.get()

    def done(self, job: Job, **result: Any) -> Job:
        made = BatchResult(bytes=1, file="wall.zip", files=(), blob="f" * 64, **result)
        Job.update(state="done", result=made.model_dump(mode="json", exclude_unset=True)).where(
            Job.id == job.id
        ).execute()
        return Job.get_by_id(job.id)

    def state(self) -> str:
        return str(cards.find(self.library.database, cards.LibraryQuery(), "newest", 0, 1)[0]["state"])

    def row(self) -> dict[str, Any]:
        return batches.report(self.batch)["rows"][0]

    def test_what_was_taken_is_one_step_and_packed(self) -> None:
        batches.apply_result(self.library, self.done(self.job, changes={"tile.join.method": "blend"}))
        now = self.library.get(self.one)
        self.assertEqual(self.library.steps(now), ("Taken by a batch", None))
        self.assertEqual(self.library.recipe(now).settings("tile.join").method, "blend")
        self.assertEqual((self.state(), self.row()["changed_since"]), ("packed", False))
        # Undone, it is not what was packed.
        self.library.undo(self.one, now.revision)
        self.assertNotEqual(self.state(), "packed")
        self.assertTrue(self.row()["changed_since"])

    def test_somebody_s_change_stays(self) -> None:
        self.library.edit(self.one, self.material.revision, {"even.light.amount": 5.0}, label="Mine", gesture="")
        batches.apply_result(self.library, self.done(self.job, changes={"tile.join.method": "blend"}))
        recipe = self.library.recipe(self.library.get(self.one))
        self.assertEqual((recipe.settings("even.light").amount, recipe.settings("tile.join").method), (5.0, "cut"))
        self.assertEqual((self.state(), self.row()["changed_since"]), ("open", True))
        # Nor is the state the job was given called packed: another one was, with what was taken.
        _note_packed(Job.get_by_id(self.job.id))
        changed = self.library.get(self.one)
        self.library.undo(self.one, changed.revision)
        self.assertEqual(self.state(), "as_shot")

    def test_what_cannot_be_kept_is_not_called_packed(self) -> None:
        batches.apply_result(self.library, self.done(self.job, changes={"tile.join.method": "nonsense"}))
        self.assertEqual(self.state(), "as_shot")
        self.assertTrue(self.row()["changed_since"])

    def test_what_was_checked_in_another_size_or_profile_is_no_word_on_the_material(self) -> None:
        finding = {"rule": "tiling.seam", "title": "", "level": "blocked", "measured": "", "limit": ""}
        batches.apply_result(self.library, self.done(self.job, findings=(finding,)))
        card = cards.find(self.library.database, cards.LibraryQuery(), "newest", 0, 1)[0]
        self.assertEqual((card["state"], card["to_settle"]), ("packed", 1))
        edited = self.library.edit(self.one, self.material.revision, {"even.light.amount": 5.0}, label="", gesture="")
        batches.begin(self.library, Jobs(), [self.one], batches.BatchOptions(size=512))
        job = Job.select().order_by(Job.created.desc()).first()
        batches.apply_result(self.library, self.done(job, findings=(finding, finding)))
        card = cards.find(self.library.database, cards.LibraryQuery(), "newest", 0, 1)[0]
        self.assertEqual((card["state"], card["to_settle"]), ("packed", 0))
        self.assertEqual(cards.Card.get().packed_head, edited.head)

    def test_an_earlier_job_of_the_row_does_not_count(self) -> None:
        first = self.done(self.job, changes={"tile.join.method": "blend"})
        Job.update(state="failed", result=None).where(Job.id == first.id).execute()
        self.assertEqual(batches.resume(self.library, Jobs(), self.batch), 1)
        self.assertEqual(batches.apply_result(self.library, first), "")
        self.assertEqual(self.library.steps(self.library.get(self.one))[0], None)
        # The new one does, also where it is done before its row knows of it.
        BatchRow.update(job=None).execute()
        again = self.done(Job.select().order_by(Job.created.desc()).first(), changes={"tile.join.method": "blend"})
        self.assertEqual(batches.apply_result(self.library, again), self.one)
        self.assertEqual(self.state(), "packed")

    def test_states_and_counts(self) -> None:
        self.assertEqual((self.row()["state"], batches.report(self.batch)["left"]), ("waiting", 1))
        batches.cancel(Jobs(), self.batch)
        self.assertEqual((self.row()["state"], batches.listed()[0]["counts"]), ("cancelled", {"cancelled": 1}))
        for level, wanted in (("blocked", "blocked"), ("unknown", "attention"), ("note", "passed")):
            finding = {"rule": "tiling.seam", "title": "", "level": level, "measured": "", "limit": ""}
            self.done(self.job, findings=(finding,))
            self.assertEqual(self.row()["state"], wanted, level)
