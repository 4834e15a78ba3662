"""Writers wait for each other's writes and for nothing else; what cannot be kept is said; what is kept stays
whole."""

import json
import os
import random
import sqlite3
import sys
import tempfile
import threading
import unittest
from contextlib import closing, contextmanager
from pathlib import Path
from unittest import mock

import numpy as np
from sqlalchemy import event, select, text
from sqlalchemy.orm import Session

from frosty_piston.bundles import opening, read_bundle, write_bundle
from frosty_piston.core.errors import Busy, CannotStart, Conflict, Damaged, NoSpace
from frosty_piston.core.traces import Signal
from frosty_piston.store import staging
from frosty_piston.store.backup import back_up, check, restore
from frosty_piston.store.database import open_database, write_session
from frosty_piston.store.tables import StagedRow
from frosty_piston.store.tapes import Tapes
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import Workshop
from tests.cases import entry, job_file, symptom
from tests.made import demo_into
from tests.store.test_workshop import WithWorkshop

WHY = "four of the last five"
DAMAGED = 500 if os.environ.get("PISTON_LONG") else 120


class Writers(WithWorkshop):
    def notes(self, count):
        return [{"id": f"n{n}", **entry("note", text=f"note {n}")} for n in range(count)]

    def test_a_thought_holds_up_no_write(self):
        """Whatever makes the open jobs be worked out again, nobody's note waits for it."""
        self.add(symptom("no_start"))
        self.workshop.tapes.import_file(json.dumps(job_file(symptom("no_start"), job_id="b")).encode())
        began, ended, plain = threading.Event(), threading.Event(), Tapes._record

        def slow(tapes, row, *rest):
            if row.id == "b":
                began.set()
                ended.wait(20)
            return plain(tapes, row, *rest)

        with mock.patch.object(Tapes, "_record", slow):
            self.workshop.shelf.add_pattern("Norra D4-22", "turbo_actuator_motor", 3.0, "Ylva", WHY)
            self.assertTrue(began.wait(20))
            self.workshop.tapes.write("case", self.notes(1))
            self.workshop.settings.save("prices", {"rate": 1})
            ended.set()
        self.assertTrue(self.workshop.tapes.settle())

    def test_every_writer_takes_its_turn_and_is_told_when_it_does_not_come(self):
        self.add()
        writes = {
            "a note": lambda: self.workshop.tapes.write("case", self.notes(1)),
            "a setting": lambda: self.workshop.settings.save("x", {}),
            "a job": lambda: self.workshop.tapes.new_job(),
            "a file": lambda: self.workshop.recordings.keep_file("case", "a.csv", b"a", "Ylva"),
            "a pattern": lambda: self.workshop.shelf.add_pattern("N", "turbo_actuator_motor", 3.0, "Y", WHY),
            "a passphrase": lambda: self.workshop.people.set_passphrase("Y", "heron kettle walnut"),
        }
        quick = mock.patch.object(write_session.__wrapped__, "__defaults__", (0.02,))
        with write_session(self.workshop.engine), quick:
            for name, write in writes.items():
                with self.subTest(name), self.assertRaises(Busy):
                    write()
        for write in writes.values():
            write()

    def test_another_process_that_holds_the_database_is_busy_not_broken(self):
        self.add()
        with closing(sqlite3.connect(Path(self.folder.name) / "workshop.db")) as other:
            other.isolation_level = None
            other.execute("BEGIN IMMEDIATE")

            @event.listens_for(self.workshop.engine, "begin")
            def _soon(connection):
                connection.exec_driver_sql("PRAGMA busy_timeout=20")

            self.workshop.engine.dispose()
            with self.assertRaises(Busy):
                self.workshop.settings.save("x", {})
            other.execute("ROLLBACK")
        self.workshop.settings.save("x", {})

    def test_a_full_disk_is_said_with_its_folder_and_nothing_is_half_kept(self):
        self.add()

        @event.listens_for(self.workshop.engine, "begin")
        def _full(connection):
            connection.exec_driver_sql("PRAGMA max_page_count=1")

        long = [{"id": "n", **entry("note", text="x" * 4000)} for _ in range(1)]
        with self.assertRaises(NoSpace) as caught:
            for n in range(400):
                self.workshop.tapes.write("case", [{**long[0], "id": f"n{n}"}])
        self.assertIn(self.folder.name, str(caught.exception))
        self.assertIn("Nothing more can be saved", str(caught.exception))
        kept = len(self.workshop.tapes.job("case").job.tape)
        self.workshop.tapes.forget()
        self.assertEqual(len(self.workshop.tapes.job("case").job.tape), kept)
        self.workshop.engine.dispose()
        self.assertEqual(check(Path(self.folder.name) / "workshop.db").faults, [])


class Large(WithWorkshop):
    def file(self, count, job_id="big"):
        notes = [entry("note", text=f"note {n}") for n in range(count)]
        return json.dumps(job_file(*notes, job_id=job_id)).encode()

    def staged(self):
        with Session(self.workshop.engine) as session:
            return len(session.scalars(select(StagedRow.seq)).all())

    def test_a_large_import_lets_others_write_between_its_slices_and_appears_whole(self):
        self.add()
        tapes, written, seen = self.workshop.tapes, [], []
        plain = staging._stage

        def between(engine, part):
            plain(engine, part)
            tapes.write("case", [{"id": f"m{len(written)}", **entry("note", text="between")}])
            written.append(len(part))
            seen.extend(row.id for row in self.workshop.yard.jobs() if row.id == "big")

        with mock.patch.object(staging, "SLICE", 50), mock.patch.object(staging, "_stage", between):
            self.assertEqual(tapes.import_file(self.file(220)), ("big", True))
        self.assertEqual((written, seen), ([50, 50, 50, 50, 20], []))
        self.assertEqual([x.data.text for x in tapes.job("big").job.tape], [f"note {n}" for n in range(220)])
        self.assertEqual(tapes.import_file(self.file(220)), ("big", False))
        self.assertEqual(self.staged(), 0)
        with self.assertRaises(Conflict):
            tapes.import_file(self.file(221))
        tapes.forget()
        self.assertEqual(len(tapes.job("big").job.tape), 220)
        self.workshop.engine.dispose()
        self.assertEqual(check(Path(self.folder.name) / "workshop.db").faults, [])

    def test_many_entries_in_one_post_are_all_or_none(self):
        self.add()
        tapes = self.workshop.tapes
        raws = [{"id": f"n{n}", **entry("note", text=str(n))} for n in range(120)]
        with (
            mock.patch.object(staging, "SLICE", 50),
            mock.patch.object(staging.Prepared, "put", side_effect=ZeroDivisionError),
            self.assertRaises(ZeroDivisionError),
        ):
            tapes.write("case", raws)
        self.assertEqual((self.staged(), len(tapes.job("case").job.tape)), (0, 0))
        with mock.patch.object(staging, "SLICE", 50):
            tapes.write("case", raws)
        self.assertEqual([x.id for x in tapes.job("case").job.tape], [raw["id"] for raw in raws])

    def test_what_a_start_that_was_cut_short_left_aside_goes(self):
        with write_session(self.workshop.engine) as session:
            session.add(StagedRow(batch="b", seq=0, id="x", raw="{}", hash="", written_at=now()))
        again = Workshop(open_database(Path(self.folder.name)))
        self.addCleanup(again.close)
        self.assertEqual(self.staged(), 0)

    def test_of_huge_jobs_one_alone_stays_in_memory(self):
        tapes = self.workshop.tapes
        with mock.patch("frosty_piston.store.tapes.HUGE_ENTRIES", 10):
            for name in ("a", "b", "c"):
                tapes.import_file(self.file(12, name))
            tapes.import_file(self.file(2, "small"))
            self.assertEqual(set(tapes._cache), {"c", "small"})


class TwoJobsOneRecording(WithWorkshop):
    def record(self, workshop, job_id, values):
        workshop.recordings.keep_file(job_id, "pull.csv", b"a;b", "Ylva", "file")
        signals = {"boost": Signal(np.arange(len(values), dtype=float), np.array(values))}
        workshop.recordings.add(
            "rec-1", job_id, "file", "pull", signals, {"boost": "Boost"}, {"boost": "mbar"}
        )

    def blocks(self):
        with Session(self.workshop.engine) as session:
            return session.scalar(text("SELECT count(*) FROM blocks"))

    def test_the_same_recording_under_two_jobs_and_another_under_its_id(self):
        for job_id in ("a", "b", "c"):
            trace = entry("trace", channels={"boost": "Boost"}, file="pull.csv") | {"id": "rec-1"}
            self.workshop.tapes.import_file(json.dumps(job_file(trace, job_id=job_id)).encode())
        for job_id, values in (("a", [1.0, 2.0]), ("b", [1.0, 2.0]), ("c", [5.0, 6.0])):
            self.record(self.workshop, job_id, values)
        of = self.workshop.recordings
        self.assertEqual(
            [list(of.signals(j, "rec-1")["boost"].values) for j in "abc"], [[1, 2], [1, 2], [5, 6]]
        )
        self.assertEqual([len(of.of_job(j)) for j in "abc"], [1, 1, 1])
        self.assertEqual(self.blocks(), 3)  # the file, and two recordings
        self.workshop.engine.dispose()
        self.assertEqual(check(Path(self.folder.name) / "workshop.db").faults, [])

    def test_a_bundle_under_another_jobs_id_loses_no_recording(self):
        trace = entry("trace", channels={"boost": "Boost"}, file="pull.csv") | {"id": "rec-1"}
        self.workshop.tapes.import_file(json.dumps(job_file(trace, job_id="a")).encode())
        self.record(self.workshop, "a", [1.0, 2.0])
        with tempfile.TemporaryDirectory() as folder:
            there = Workshop(open_database(Path(folder)))
            there.tapes.import_file(json.dumps(job_file(trace, job_id="a2")).encode())
            self.record(there, "a2", [7.0, 8.0])
            bundle = write_bundle(there, "a2")
            there.close()
        readers = opening()
        self.addCleanup(readers.end)
        self.assertEqual(read_bundle(self.workshop, bundle, readers), ("a2", True))
        of = self.workshop.recordings
        self.assertEqual(
            [list(of.signals(j, "rec-1")["boost"].values) for j in ("a", "a2")], [[1, 2], [7, 8]]
        )
        self.assertEqual(of.original("a2", "rec-1"), ("pull.csv", b"a;b"))

    def test_a_file_sent_twice_is_kept_once(self):
        self.add()
        keep = self.workshop.recordings.keep_file
        first = keep("case", "pull.csv", b"time,rpm\n", "Ylva")
        self.assertEqual(keep("case", "again.csv", b"time,rpm\n", "Odd"), first)
        self.assertNotEqual(keep("case", "pull.csv", b"time,rpm\n1,2\n", "Odd"), first)
        self.assertEqual(self.workshop.recordings.file("case", first), ("pull.csv", b"time,rpm\n"))


class Copies(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.copy = self.folder / "copy.piston"

    @contextmanager
    def workshop(self):
        workshop = Workshop(open_database(demo_into(self.folder / "here")))
        try:
            yield workshop
        finally:
            workshop.close()

    def test_damaged_copies_and_none_is_taken_with_other_content(self):
        workshop = Workshop(open_database(self.folder / "small"))
        workshop.tapes.import_file(
            json.dumps(job_file(symptom("no_start"), entry("note", text="x" * 900))).encode()
        )
        workshop.garage.add_card({"name": "Norra D4-22", "cylinders": 4})
        workshop.settings.save("letterhead", {"name": "Workshop", "note": "n" * 500})
        workshop.people.set_passphrase("Ylva", "heron kettle walnut ladder")
        workshop.close()
        back_up(self.folder / "small", self.copy)
        self.assertEqual(self.copy.stat().st_mode & 0o777, 0o600)
        whole, seed = self.copy.read_bytes(), random.randrange(2**31)
        wanted, drawn, refused = self.content(self.copy), random.Random(seed), 0
        bad = self.folder / "bad.piston"
        for number in range(DAMAGED):
            data = bytearray(whole)
            for _ in range(drawn.choice((1, 1, 2, 20))):
                data[drawn.randrange(len(data))] = drawn.randrange(256)
            if data == whole:
                continue
            bad.write_bytes(data)
            try:
                faults = check(bad).faults
            except CannotStart as error:
                faults = [str(error)]
            if faults:
                refused += 1
                self.assertEqual(len(faults[0].splitlines()), 1, (seed, number))
            else:
                self.assertEqual(self.content(bad), wanted, (seed, number))
        print(
            f"damaged copies: {DAMAGED} of seed {seed}, {refused} refused, 0 taken with other content",
            file=sys.stderr,
        )
        self.assertGreater(refused, DAMAGED // 10)

    def content(self, database):
        with closing(sqlite3.connect(database)) as connection:
            connection.text_factory = bytes
            named = "SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name"
            names = [name.decode() for (name,) in connection.execute(named)]
            return {name: connection.execute(f'SELECT * FROM "{name}"').fetchall() for name in names}

    def test_a_copy_comes_back_without_its_seal_and_can_be_copied_again(self):
        with self.workshop():
            back_up(self.folder / "here", self.copy)
        self.assertEqual(restore(self.copy, self.folder / "new").faults, [])
        self.assertEqual(back_up(self.folder / "new", self.folder / "second.piston").faults, [])
        with closing(sqlite3.connect(self.folder / "new" / "workshop.db")) as connection:
            self.assertEqual(
                connection.execute("SELECT count(*) FROM sqlite_master WHERE name = 'copy_seal'").fetchone(),
                (0,),
            )

    def test_text_that_cannot_be_read_and_a_thumbnail_that_was_changed_are_damage(self):
        with self.workshop() as workshop:
            database = self.folder / "here" / "workshop.db"
            workshop.tapes.import_file(
                json.dumps(job_file(entry("note", text="one"), job_id="torn")).encode()
            )
        for act, says in (
            (
                "UPDATE images SET thumb = zeroblob(9) WHERE rowid = (SELECT min(rowid) FROM images)",
                "small picture",
            ),
            ("UPDATE entries SET raw = CAST(x'ff41' AS TEXT) WHERE job_id = 'torn'", "damaged|no JSON"),
        ):
            with closing(sqlite3.connect(database)) as connection:
                connection.execute("DROP TRIGGER IF EXISTS entries_no_update")
                connection.execute(act)
                connection.commit()
            self.assertRegex(" ".join(check(database).faults), says)

    def test_an_entry_that_is_no_json_stops_its_own_job_alone(self):
        with self.workshop() as workshop:
            workshop.tapes.import_file(
                json.dumps(job_file(entry("note", text="one"), job_id="torn")).encode()
            )
            with write_session(workshop.engine) as session:
                session.execute(text("DROP TRIGGER entries_no_update"))
                session.execute(text("UPDATE entries SET raw = 'no JSON' WHERE job_id = 'torn'"))
            workshop.tapes.forget()
            workshop.day.search_s = 0.1
            with self.assertRaisesRegex(Damaged, "e1 of the job torn"):
                workshop.tapes.job("torn")
            with self.assertRaises(Damaged):
                workshop.tapes.export("torn")
            with write_session(workshop.engine) as session:
                session.execute(
                    text("UPDATE entries SET raw = '{}', written_at = 'never' WHERE job_id = 'torn'")
                )
            with self.assertRaisesRegex(Damaged, "entry of the job torn"):
                workshop.tapes.job("torn")
            faults = check(self.folder / "here" / "workshop.db").faults
            self.assertIn("job torn: the time of an entry cannot be read", faults)
            workshop.day.put("torn", True)
            self.assertNotIn("torn", workshop.day.look().jobs)
            workshop.shelf.add_pattern("Norra D4-22", "turbo_actuator_motor", 3.0, "Ylva", WHY)
            self.assertTrue(workshop.tapes.settle())

    def test_a_database_of_no_bytes_beside_copies_is_no_new_workshop(self):
        here = self.folder / "here"
        open_database(here).dispose()
        (here / "backups").mkdir()
        (here / "backups" / "workshop-2026-11-30.piston").write_bytes(b"x")
        (here / "workshop.db").write_bytes(b"")
        with self.assertRaisesRegex(CannotStart, "daily copies"):
            open_database(here)

    @unittest.skipUnless(os.getuid() == 0, "only root becomes another user")
    def test_a_folder_that_cannot_be_written_is_looked_through_and_copied(self):
        with self.workshop() as workshop:
            workshop.tapes.write("demo-wagon", [{"id": "n", **entry("note", text="in the journal")}])
            here = self.folder / "here"
            self.assertGreater((here / "workshop.db-wal").stat().st_size, 0)
            for path in (here, *here.rglob("*")):
                path.chmod(0o755 if path.is_dir() else 0o644)
            self.folder.chmod(0o755)
            elsewhere = self.folder / "elsewhere"
            elsewhere.mkdir()
            elsewhere.chmod(0o777)
            self.assertEqual(self.as_nobody(lambda: check(here / "workshop.db").faults), 0)
            self.assertEqual(self.as_nobody(lambda: back_up(here, elsewhere / "c.piston").faults), 0)
            self.assertEqual(self.as_nobody(lambda: open_database(here)), 1)
        with closing(sqlite3.connect(elsewhere / "c.piston")) as copied:
            asked = "SELECT count(*) FROM entries WHERE raw LIKE '%in the journal%'"
            self.assertEqual(copied.execute(asked).fetchone(), (1,))

    def as_nobody(self, work):
        """Do something as a user who may write nowhere here; 0 when it found nothing wrong."""
        child = os.fork()
        if child == 0:
            try:
                os.setgroups([])
                os.setgid(65534)
                os.setuid(65534)
                os._exit(1 if work() else 0)
            except BaseException:
                os._exit(1)
        return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])


if __name__ == "__main__":
    unittest.main()
