"""The workshop: nothing lost, nothing twice, also from several sides at once."""

import json
import sqlite3
import tempfile
import threading
import unittest
from contextlib import closing
from pathlib import Path
from unittest import mock

from frosty_piston.core.errors import BadInput, Busy, CannotStart, Conflict, NotHere
from frosty_piston.demo import fill_demo
from frosty_piston.job.tape.jobfile import canonical, chain_of
from frosty_piston.store.database import open_database
from frosty_piston.store.fair_lock import FairLock
from frosty_piston.store.workshop import Workshop
from tests.cases import entry, job_file, reading, symptom
from tests.made import empty_into


class WithWorkshop(unittest.TestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.workshop = Workshop(empty_into(self.folder.name))
        self.addCleanup(self.workshop.close)

    def reopened(self):
        other = Workshop(open_database(Path(self.folder.name)))
        self.addCleanup(other.close)
        return other

    def add(self, *entries, job_id="case"):
        return self.workshop.tapes.import_file(json.dumps(job_file(*entries, job_id=job_id)).encode())


class Files(WithWorkshop):
    def test_what_came_in_goes_out_byte_for_byte(self):
        raw = job_file(
            symptom("no_start"),
            reading("crank_speed", 200, "rpm"),
            {
                "kind": "note",
                "data": {"text": "øre, kr and 🔥"},
                "at": "2026-01-14T06:41:00.5+01:00",
                "by": "Ylva",
            },
        )
        self.workshop.tapes.import_file(json.dumps(raw).encode())
        exported = self.reopened().tapes.export("case")
        self.assertEqual(exported.pop("chain"), chain_of(raw["entries"]))
        self.assertEqual(canonical(exported), canonical(raw))

    def test_the_same_file_twice_is_one_job_and_another_tape_is_a_conflict(self):
        self.assertEqual(self.add(symptom("no_start")), ("case", True))
        self.assertEqual(self.add(symptom("no_start")), ("case", False))
        with self.assertRaises(Conflict):
            self.add(symptom("slow_crank"))

    def test_a_refused_file_leaves_nothing(self):
        with self.assertRaises(BadInput):
            self.add(symptom("nope"))
        self.assertEqual(self.workshop.yard.jobs(), [])


class Writing(WithWorkshop):
    def test_the_same_entry_twice_is_one_and_other_content_is_refused(self):
        self.add()
        note = {"id": "n1", **entry("note", text="once")}
        self.assertEqual(self.workshop.tapes.write("case", [note]).new, ("n1",))
        self.assertEqual(self.workshop.tapes.write("case", [note]).known, ("n1",))
        with self.assertRaises(Conflict):
            self.workshop.tapes.write("case", [{"id": "n1", **entry("note", text="other")}])
        self.assertEqual(len(self.reopened().tapes.job("case").job.tape), 1)

    def test_all_or_none(self):
        self.add()
        with self.assertRaises(BadInput):
            self.workshop.tapes.write(
                "case", [{"id": "a", **entry("note", text="good")}, {"id": "b", **entry("note")}]
            )
        self.assertEqual(self.workshop.tapes.job("case").job.tape, ())
        with self.assertRaises(NotHere):
            self.workshop.tapes.write("nope", [])

    def test_two_sides_writing_at_once_lose_nothing(self):
        self.add()
        other, errors = self.reopened(), []

        def write(workshop, name):
            try:
                for n in range(15):
                    workshop.tapes.write("case", [{"id": f"{name}{n}", **entry("note", text="x")}])
            except Exception as error:
                errors.append(error)

        threads = [
            threading.Thread(target=write, args=(w, name))
            for w, name in ((self.workshop, "a"), (self.workshop, "b"), (other, "c"))
        ]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        self.assertEqual(errors, [])
        self.assertEqual(len({x.id for x in self.reopened().tapes.job("case").job.tape}), 45)
        self.assertEqual(len(self.workshop.tapes.job("case").job.tape), 45)

    def test_nobody_waits_while_another_job_is_thought_through(self):
        thinking, go_on = threading.Event(), threading.Event()
        tapes, thought = self.workshop.tapes, self.workshop.tapes._gone_on
        for name in ("slow", "quick"):
            self.add(symptom("no_start"), job_id=name)

        def slowly(before, fresh, cards):
            if before.job.id == "slow":
                thinking.set()
                self.assertTrue(go_on.wait(20))
            return thought(before, fresh, cards)

        with mock.patch.object(tapes, "_gone_on", slowly):
            one = threading.Thread(
                target=tapes.write, args=("slow", [{"id": "a", **entry("note", text="x")}])
            )
            one.start()
            self.assertTrue(thinking.wait(20))
            self.reopened().tapes.write("quick", [{"id": "b", **entry("note", text="y")}])
            tapes.write("quick", [{"id": "c", **entry("note", text="z")}])
            go_on.set()
            one.join(20)
        self.assertEqual([len(tapes.job(name).job.tape) for name in ("slow", "quick")], [2, 3])

    def test_what_another_process_wrote_meanwhile_is_thought_of_too(self):
        tapes, thought = self.workshop.tapes, self.workshop.tapes._gone_on
        self.add(symptom("no_start"))
        other = self.reopened()
        meanwhile = iter([lambda: other.tapes.write("case", [{"id": "o", **entry("note", text="o")}])])

        def overtaken(before, fresh, cards):
            next(meanwhile, lambda: None)()
            return thought(before, fresh, cards)

        with mock.patch.object(tapes, "_gone_on", overtaken):
            tapes.write("case", [{"id": "m", **entry("note", text="m")}])
        self.assertEqual([x.id for x in tapes.job("case").job.tape][1:], ["o", "m"])
        self.assertEqual(tapes.job("case").revision, self.reopened().tapes.job("case").revision)

    def test_past_a_bound_a_writer_is_told_to_come_again(self):
        self.add(symptom("no_start"))
        tapes = self.workshop.tapes
        soon = mock.patch("frosty_piston.store.tapes.WRITE_TIMEOUT_S", 0.01)
        with soon, tapes._writing.of("case").hold(1, "busy"), self.assertRaises(Busy):
            tapes.write("case", [entry("note", text="x") | {"id": "x"}])
        self.assertEqual(len(tapes.job("case").job.tape), 1)

    def test_the_yard_follows_in_the_same_breath(self):
        self.add()
        self.assertEqual(self.workshop.yard.jobs()[0].next_step, "Write down the complaint")
        self.workshop.tapes.write(
            "case",
            [{"id": "s", **symptom("hard_start_cold")}, {"id": "c", **entry("code_scan", module="all")}],
        )
        row = self.workshop.yard.jobs()[0]
        self.assertEqual(row.stage, "narrow")
        self.assertTrue(row.suspect)
        self.workshop.tapes.write(
            "case",
            [
                {"id": "d", **entry("deadline", until="2030-01-01T10:00:00Z")},
                {"id": "h", **entry("handover", to="owner")},
            ],
        )
        self.assertEqual(self.workshop.yard.jobs(), [])
        self.assertEqual(len(self.workshop.yard.jobs(closed=True)), 1)


class Yard(WithWorkshop):
    def test_what_can_be_worked_on_comes_first(self):
        for job_id, entries in (
            (
                "waits",
                [
                    entry("wait", wait="parts", what="relay", until="2031-01-01T00:00:00Z"),
                    entry("deadline", until="2029-01-01T00:00:00Z"),
                ],
            ),
            ("late", [entry("deadline", until="2030-06-01T00:00:00Z")]),
            ("soon", [entry("deadline", until="2030-01-01T00:00:00Z")]),
            ("free", []),
        ):
            self.add(*entries, job_id=job_id)
        self.assertEqual([r.id for r in self.workshop.yard.jobs()], ["soon", "late", "free", "waits"])

    def test_the_demo_fills_once(self):
        fill_demo(self.workshop)
        fill_demo(self.workshop)
        self.assertEqual(
            (
                len(self.workshop.yard.jobs()),
                len(self.workshop.yard.jobs(closed=True)),
                len(self.workshop.garage.vehicles()),
                len(self.workshop.garage.cards()),
            ),
            (18, 2, 18, 4),
        )
        self.assertEqual(
            {c.glow_control for _, c in self.workshop.garage.cards()},
            {"relay_module", "timer_relay", "electronic_module"},
        )


class Folder(unittest.TestCase):
    def test_what_keeps_a_tape_safe_is_read_back_on_every_connection(self):
        with tempfile.TemporaryDirectory() as folder:
            engine = open_database(Path(folder))
            wanted = {"journal_mode": "wal", "synchronous": 2, "foreign_keys": 1, "busy_timeout": 10_000}
            with engine.connect() as one, engine.connect() as two:
                for connection in (one, two):
                    for pragma, value in wanted.items():
                        read_back = connection.exec_driver_sql(f"PRAGMA {pragma}").scalar()
                        self.assertEqual(read_back, value, pragma)
            engine.dispose()

    def test_what_lies_there_already_is_looked_at_first(self):
        def wrong(*acts):
            with tempfile.TemporaryDirectory() as folder:
                database = Path(folder) / "workshop.db"
                Workshop(open_database(Path(folder))).close()
                for act in acts:
                    act(database)
                with self.assertRaises(CannotStart) as caught:
                    open_database(Path(folder))
                self.assertEqual(len(str(caught.exception).splitlines()), 1)
                return str(caught.exception)

        def sql(*lines):
            def run(database):
                with closing(sqlite3.connect(database)) as connection:
                    for line in lines:
                        connection.execute(line)
                    connection.commit()

            return run

        self.assertIn("damaged", wrong(lambda d: d.write_bytes(b"nothing of the kind" * 100)))
        self.assertIn("damaged", wrong(lambda d: d.write_bytes(d.read_bytes()[:9000])))
        self.assertIn("newer Frosty Piston", wrong(sql("UPDATE alembic_version SET version_num = '9999'")))
        self.assertIn("another program", wrong(lambda d: d.unlink(), sql("CREATE TABLE other (x)")))

    def test_only_its_owner_reads_the_data(self):
        with tempfile.TemporaryDirectory() as folder:
            Workshop(open_database(Path(folder) / "new")).close()
            modes = [
                p.stat().st_mode & 0o777 for p in (Path(folder) / "new", Path(folder) / "new" / "workshop.db")
            ]
            self.assertEqual(modes, [0o700, 0o600])

    def test_a_folder_that_cannot_be_made_is_one_sentence(self):
        with tempfile.NamedTemporaryFile() as file, self.assertRaises(CannotStart):
            open_database(Path(file.name) / "inside")


class InOrder(unittest.TestCase):
    def test_who_came_first_goes_first_and_past_a_bound_one_is_told(self):
        lock, order, threads = FairLock(), [], []

        def wait(number):
            with lock.hold(20, "busy"):
                order.append(number)

        with lock.hold(1, "busy"):
            for number in range(12):
                threads.append(threading.Thread(target=wait, args=(number,)))
                threads[-1].start()
                while len(lock._waiting) <= number:
                    pass
            with self.assertRaisesRegex(Busy, "too many"), lock.hold(0.05, "too many"):
                pass
        for thread in threads:
            thread.join(20)
        self.assertEqual(order, list(range(12)))
        with lock.hold(0.05, "free again"):
            pass
