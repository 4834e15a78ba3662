"""Runs every test and ends with the count: the browser's in a process of its own beside the others. `--long`:
kills, damages and fuzzes for hours."""

import os
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

LONG = {"PISTON_KILLS": "1000", "PISTON_DAMAGED": "3000", "PISTON_LONG": "yes"}
BROWSER = "--browser"
HERE = Path(__file__).parent
COUNT = re.compile(r"^(\d+) passed, (\d+) failed$", re.M)


def of_folders(folders: list[str]) -> unittest.TestSuite:
    suite = unittest.TestSuite()
    for folder in folders:
        suite.addTests(unittest.TestLoader().discover(str(HERE / folder), top_level_dir=str(HERE.parent)))
    return suite


def run(suite: unittest.TestSuite) -> tuple[int, int]:
    """Run some tests: how many passed, and how many did not."""
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return result.testsRun - failed - len(result.skipped), failed


def everything() -> tuple[int, int]:
    rooms = [p.name for p in sorted(HERE.iterdir()) if (p / "__init__.py").exists() and p.name != "browser"]
    with tempfile.TemporaryFile("w+") as said:
        browser = subprocess.Popen(
            [sys.executable, *(f"-W{w}" for w in sys.warnoptions), "-m", "tests", BROWSER],
            stdout=said,
            stderr=said,
        )
        suite = of_folders(rooms)
        suite.addTests(unittest.TestLoader().loadTestsFromName("tests.test_command_line"))
        passed, failed = run(suite)
        ended = browser.wait()
        said.seek(0)
        text = said.read()
    print(COUNT.sub("", text), file=sys.stderr, flush=True)
    counts = COUNT.findall(text)
    if not counts:
        print(f"The tests of the browser ended with {ended} and no count.", file=sys.stderr)
        return passed, failed + 1
    return passed + int(counts[-1][0]), failed + int(counts[-1][1])


def main() -> int:
    names = [name for name in sys.argv[1:] if not name.startswith("--")]
    if "--long" in sys.argv:
        os.environ.update({name: os.environ.get(name, much) for name, much in LONG.items()})
    if BROWSER in sys.argv:
        passed, failed = run(of_folders(["browser"]))
    elif names:
        passed, failed = run(unittest.TestLoader().loadTestsFromNames(names))
    else:
        passed, failed = everything()
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
