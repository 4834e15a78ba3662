"""Copies of a workshop and the look through it: whole, or named what is not."""

import sqlite3
import threading
import unittest
from contextlib import closing
from pathlib import Path

from alembic import command
from alembic.config import Config

from frosty_piston.core.errors import CannotStart
from frosty_piston.demo import fill_demo
from frosty_piston.store.backup import back_up, check, restore
from frosty_piston.store.database import MIGRATIONS, migrate, open_database
from frosty_piston.store.workshop import Workshop
from tests.cases import entry, symptom
from tests.store.test_workshop import WithWorkshop


class Copies(WithWorkshop):
    def setUp(self):
        super().setUp()
        self.here = Path(self.folder.name)
        self.copy = self.here / "copy.piston"

    def test_a_copy_holds_everything_and_comes_back(self):
        fill_demo(self.workshop)
        found = back_up(self.here, self.copy)
        self.assertEqual(found.faults, [])
        self.assertGreater(found.entries, 100)
        self.assertGreater(min(found.files, found.recordings), 2)
        again = restore(self.copy, self.here / "other")
        self.assertEqual(again.says, found.says)
        other = Workshop(open_database(self.here / "other"))
        self.addCleanup(other.close)
        for row in self.workshop.yard.jobs():
            self.assertEqual(other.tapes.export(row.id), self.workshop.tapes.export(row.id))

    def test_a_copy_made_while_others_write_is_whole(self):
        self.add(symptom("no_start"))
        stop = threading.Event()

        def writing():
            n = 0
            while not stop.is_set():
                n += 1
                self.workshop.tapes.write("case", [{"id": f"n{n}", **entry("note", text=str(n))}])

        writer = threading.Thread(target=writing)
        writer.start()
        try:
            for n in range(5):
                found = back_up(self.here, self.here / f"copy{n}")
                self.assertEqual(found.faults, [])
        finally:
            stop.set()
            writer.join(20)

    def test_no_copy_over_a_copy_and_none_into_a_folder_in_use(self):
        self.add(symptom("no_start"))
        back_up(self.here, self.copy)
        for wrong in (lambda: back_up(self.here, self.copy), lambda: restore(self.copy, self.here)):
            with self.assertRaises(CannotStart) as caught:
                wrong()
            self.assertEqual(len(str(caught.exception).splitlines()), 1)

    def test_what_is_no_workshop_is_said(self):
        for data in (b"", b"SQLite format 3\0" + b"x" * 400, b"hello"):
            self.copy.write_bytes(data)
            with self.assertRaises(CannotStart):
                check(self.copy)
        with self.assertRaises(CannotStart):
            check(self.here / "nothing.db")


class Looked(WithWorkshop):
    def setUp(self):
        super().setUp()
        self.database = Path(self.folder.name) / "workshop.db"
        self.add(symptom("no_start"), entry("note", text="one"), entry("note", text="two"))
        self.workshop.recordings.keep_file("case", "a.csv", b"time,v\n0,1\n", "Ylva")

    def behind_its_back(self, *acts):
        with closing(sqlite3.connect(self.database)) as connection:
            for act in acts:
                connection.execute(act)
            connection.commit()
        return check(self.database).faults

    def test_whole(self):
        self.assertEqual(
            check(self.database).says, "1 jobs, 3 entries, 1 files, 0 recordings, 0 pictures: all whole"
        )

    def test_an_entry_changed_is_named(self):
        faults = self.behind_its_back(
            "DROP TRIGGER entries_no_update",
            "UPDATE entries SET raw = replace(raw, 'one', 'won') WHERE id = 'e2'",
        )
        self.assertEqual(faults, ["job case: entry e2, or one before it, was changed after it was written"])

    def test_entries_taken_off_are_named(self):
        faults = self.behind_its_back("DROP TRIGGER entries_no_delete", "DELETE FROM entries WHERE id = 'e3'")
        self.assertEqual(faults, ["job case: entries at the end of its tape are gone"])

    def test_a_chain_made_anew_for_less_is_named_by_its_head(self):
        faults = self.behind_its_back(
            "DROP TRIGGER entries_no_delete",
            "DROP TRIGGER chain_no_delete",
            "DELETE FROM entries WHERE id = 'e3'",
            "DELETE FROM chain WHERE id = 'e3'",
        )
        self.assertEqual(faults, ["job case: entries at the end of its tape are gone"])

    def test_a_file_changed_is_named(self):
        faults = self.behind_its_back("UPDATE blocks SET data = zeroblob(20)")
        self.assertEqual(len(faults), 1)
        self.assertIn("a.csv", faults[0])

    def test_a_newer_layout_is_said(self):
        faults = self.behind_its_back("UPDATE alembic_version SET version_num = '9999'")
        self.assertIn("newer than this program", faults[0])

    def test_a_damaged_file_is_said_and_never_raised(self):
        self.workshop.engine.dispose()
        with closing(sqlite3.connect(self.database)) as connection:
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        whole = self.database.read_bytes()
        for at in range(4096, len(whole), 4096 * 3):
            self.database.write_bytes(whole[:at] + b"\xff" * 600 + whole[at + 600 :])
            try:
                found = check(self.database)
            except CannotStart as error:
                self.assertIn("no workshop", str(error))
            else:
                self.assertTrue(found.faults or found.jobs == 1, at)
        self.database.write_bytes(whole)

    def test_an_older_layout_gains_its_chain(self):
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.workshop.engine.execution_options(writing=True).begin() as connection:
            config.attributes["connection"] = connection
            command.downgrade(config, "0005")
        self.assertIn("older than this program", check(self.database).faults[0])
        # a copy of the older program comes back into the newer one
        back_up(self.database.parent, self.database.parent / "old.piston")
        again = restore(self.database.parent / "old.piston", self.database.parent / "new")
        self.assertEqual(again.says, "1 jobs, 3 entries, 1 files, 0 recordings, 0 pictures: all whole")
        migrate(self.workshop.engine)
        self.assertEqual(
            check(self.database).says, "1 jobs, 3 entries, 1 files, 0 recordings, 0 pictures: all whole"
        )


if __name__ == "__main__":
    unittest.main()
