"""Runs every test and ends with the count: the browser's in two processes of their own beside the others,
since a browser mostly waits. `--long`: kills, damages and fuzzes for hours. A test that hangs ends its
process and says where it stood."""

import faulthandler
import os
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

LONG = {
    "PISTON_KILLS": "1000",
    "PISTON_LAYOUT_KILLS": "20",
    "PISTON_DAMAGED": "3000",
    "PISTON_LONG": "yes",
}
BROWSER, JOBS, ROOMS = "--browser", "--browser-jobs", "--rooms"
# The browser's tests that play whole jobs: about half of the time of all of them.
WHOLE_JOBS = (
    *("test_any_job", "test_by_hand", "test_whole_job", "test_exhaust", "test_injectors", "test_vacuum"),
    *("test_day", "test_own_odds", "test_papers", "test_training", "test_offline"),
)
# Run after the browser's, so that all processes end at about the same time.
BESIDE_BROWSER = ("tests.web.test_fuzz_routes", "tests.web.test_cells")
BESIDE_JOBS = ("tests.web.test_fuzz", "tests.store.test_backup", "tests.store.test_killed")
LIMIT_S = 900
HERE = Path(__file__).parent
COUNT = re.compile(r"^(\d+) passed, (\d+) failed$", re.M)


def of_folders(folders: list[str]) -> unittest.TestSuite:
    suite = unittest.TestSuite()
    for folder in folders:
        suite.addTests(unittest.TestLoader().discover(str(HERE / folder), top_level_dir=str(HERE.parent)))
    return suite


class Watched(unittest.TextTestResult):
    """A result that ends the process, with where every thread stood, when one test takes too long."""

    def startTest(self, test: unittest.TestCase) -> None:
        if "--long" not in sys.argv:
            faulthandler.dump_traceback_later(LIMIT_S, exit=True)
        super().startTest(test)

    def stopTestRun(self) -> None:
        faulthandler.cancel_dump_traceback_later()
        super().stopTestRun()


def run(suite: unittest.TestSuite) -> tuple[int, int]:
    """Run some tests: how many passed, and how many did not."""
    result = unittest.TextTestRunner(verbosity=1, resultclass=Watched).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return result.testsRun - failed - len(result.skipped), failed


def tests_of(suite: unittest.TestSuite) -> list[unittest.TestCase]:
    """Every test of a suite."""
    found: list[unittest.TestCase] = []
    for one in suite:
        found += tests_of(one) if isinstance(one, unittest.TestSuite) else [one]
    return found


def in_the_browser(jobs: bool) -> unittest.TestSuite:
    """The browser's tests that play whole jobs, or all others with what runs after them."""
    every = tests_of(of_folders(["browser"]))
    named = [(type(one).__module__.rpartition(".")[2] in WHOLE_JOBS, one) for one in every]
    suite = unittest.TestSuite(one for whole, one in named if whole == jobs)
    suite.addTests(unittest.TestLoader().loadTestsFromNames(BESIDE_JOBS if jobs else BESIDE_BROWSER))
    return suite


def rooms() -> unittest.TestSuite:
    folders = [p.name for p in sorted(HERE.iterdir()) if (p / "__init__.py").exists() and p.name != "browser"]
    every = tests_of(of_folders(folders))
    elsewhere = (*BESIDE_BROWSER, *BESIDE_JOBS)
    suite = unittest.TestSuite(one for one in every if type(one).__module__ not in elsewhere)
    suite.addTests(
        unittest.TestLoader().loadTestsFromNames(["tests.test_command_line", "tests.test_benchmarks"])
    )
    return suite


def everything() -> tuple[int, int]:
    again = [sys.executable, *(f"-W{w}" for w in sys.warnoptions), "-m", "tests", *sys.argv[1:]]
    with tempfile.TemporaryFile("w+") as pages, tempfile.TemporaryFile("w+") as jobs:
        beside = {
            name: (subprocess.Popen([*again, part], stdout=said, stderr=said), said)
            for name, part, said in (("the browser", BROWSER, pages), ("the browser's jobs", JOBS, jobs))
        }
        others = subprocess.run([*again, ROOMS], stdout=subprocess.PIPE, text=True, check=False)
        ends = {"the rooms": (others.returncode, others.stdout)}
        for name, (process, said) in beside.items():
            ended = process.wait()
            said.seek(0)
            ends[name] = (ended, said.read())
            print(COUNT.sub("", ends[name][1]), file=sys.stderr, flush=True)
    passed, failed = 0, 0
    for name, (code, out) in ends.items():
        counts = COUNT.findall(out)
        if not counts:
            print(f"The tests of {name} ended with {code} and no count.", file=sys.stderr)
        more = counts[-1] if counts else (0, 1)
        passed, failed = passed + int(more[0]), failed + int(more[1])
    return passed, failed


def main() -> int:
    names = [name for name in sys.argv[1:] if not name.startswith("--")]
    if "--long" in sys.argv:
        os.environ.update({name: os.environ.get(name, much) for name, much in LONG.items()})
    if BROWSER in sys.argv or JOBS in sys.argv:
        passed, failed = run(in_the_browser(JOBS in sys.argv))
    elif ROOMS in sys.argv:
        passed, failed = run(rooms())
    elif names:
        passed, failed = run(unittest.TestLoader().loadTestsFromNames(names))
    else:
        passed, failed = everything()
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
