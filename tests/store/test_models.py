"""Jobs as they are followed: few at a time of many, and never without what they are to do."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from amber_thicket.store.database import open_database
from amber_thicket.store.models import Job, using


class Followed(unittest.TestCase):
    def test_of_thousands_a_few_are_looked_at_and_all_in_turn(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            database = open_database(Path(folder))
            with using(database):
                count = 5 * Job.NEXT + 7
                for number in range(count):
                    Job.create(kind="pack", title=f"{number}", created=float(number), payload={"name": "wall"})
                Job.update(state="running").where(Job.title == "150").execute()
                Job.update(state="done").where(Job.title == "3").execute()
                seen: set[str] = set()
                for at in range(0, count, Job.NEXT):
                    found = [job.title for job in Job.followed(at)]
                    self.assertLessEqual(len(found), 2 * Job.NEXT + 1)
                    # What runs, and what is next, is there every time.
                    self.assertEqual(found[0], "150")
                    self.assertLess({"0", "1", "2", "4"}, set(found))
                    self.assertEqual(len(found), len(set(found)))
                    seen |= set(found)
                self.assertEqual(seen, {f"{number}" for number in range(count)} - {"3"})
                one = Job.followed(0)[1]
                one.message = "half"
                one.save(only=[Job.message])
                again = Job.get_by_id(one.id)
                self.assertEqual((again.message, again.payload), ("half", {"name": "wall"}))
            database.close()
