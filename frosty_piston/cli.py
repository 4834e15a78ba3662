"""The command line: serve, demo, assess, import, export, backup, restore, check, passphrase, bench."""

import argparse
import json
import sys
from pathlib import Path

from . import __version__
from .core.errors import BadInput, CannotStart, FrostyPistonError

DEFAULT_PORT = 8420
DATA = Path(__file__).resolve().parent.parent / "data"


def build_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="piston",
        description="Frosty Piston keeps the thread of a diesel diagnosis, from arrival to proof.",
    )
    parser.add_argument("--version", action="version", version=f"frosty-piston {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    for name, says in (
        ("demo", "set up the demo workshop and serve it"),
        ("serve", "serve a workshop that starts empty"),
    ):
        one = commands.add_parser(name, help=says, description=says)
        one.add_argument("--port", type=int, default=DEFAULT_PORT, help=f"port (default {DEFAULT_PORT})")
        one.add_argument("--host", default="127.0.0.1", help="address to serve on (default 127.0.0.1)")
        one.add_argument("--tls-cert", type=Path, metavar="FILE", help="certificate, for other addresses")
        one.add_argument("--tls-key", type=Path, metavar="FILE", help="key of the certificate")
        one.add_argument(
            "--data", type=Path, default=DATA / name, help=f"folder of the database (default data/{name})"
        )
        if name == "demo":
            one.add_argument("--reset", action="store_true", help="throw the demo data away and make it anew")
    one = commands.add_parser(
        "assess",
        help="print the assessment of a job file as JSON",
        description="Print the assessment of a job file as JSON.",
    )
    one.add_argument(
        "file", type=Path, metavar="FILE", nargs="?", help="a .fpjob.json file, or - for standard input"
    )
    one.add_argument(
        "--lines",
        action="store_true",
        help="read one job file a line from standard input and answer one line each",
    )
    one = commands.add_parser(
        "import", help="bring job files into a workshop", description="Bring job files into a workshop."
    )
    one.add_argument("files", type=Path, nargs="+", metavar="FILE")
    one.add_argument("--data", type=Path, default=DATA / "serve", help="folder of the database")
    one = commands.add_parser(
        "export",
        help="write a job of a workshop as a job file",
        description="Write a job of a workshop as a job file.",
    )
    one.add_argument("job", metavar="JOB", help="the id of the job")
    one.add_argument("--out", type=Path, help="file to write; standard output without it")
    one.add_argument("--bundle", type=Path, help="archive to write, with recordings and pictures")
    one.add_argument("--data", type=Path, default=DATA / "serve", help="folder of the database")
    for name, says in (
        ("backup", "copy a workshop into one file, also while it is in use"),
        ("restore", "bring a copy back into an empty folder"),
    ):
        one = commands.add_parser(
            name, help=says, description=f"{says.capitalize()}; the copy is looked through."
        )
        one.add_argument("file", type=Path, metavar="FILE")
        one.add_argument("--data", type=Path, default=DATA / "serve", help="folder of the database")
    says = "give somebody a passphrase to sign in with; the first one leads"
    one = commands.add_parser("passphrase", help=says, description=says.capitalize() + ".")
    one.add_argument("name", metavar="NAME")
    one.add_argument("--data", type=Path, default=DATA / "serve", help="folder of the database")
    says = "look through everything that is kept, and name what is damaged or was changed"
    one = commands.add_parser("check", help=says, description=says.capitalize() + ".")
    one.add_argument("--data", type=Path, default=DATA / "serve", help="folder of the database")
    one = commands.add_parser(
        "bench",
        help="measure the reasoning and the speed of the pages",
        description=(
            "Measure the choice of tests against the optimum, the reasoning, how far it can be trusted on"
            " simulated vehicles (only when asked for: many minutes), and the pages in a workshop made for"
            " it."
        ),
    )
    one.add_argument(
        "--only",
        choices=(
            "reasoning",
            "recordings",
            "trust",
            "vacuum",
            "aftertreatment",
            "day",
            "learning",
            "load",
            "pages",
        ),
        help="measure one of them",
    )
    one.add_argument("--jobs", type=int, default=2000, help="jobs in the workshop (default 2000)")
    one.add_argument("--entries", type=int, default=300, help="entries on the measured job (default 300)")
    one.add_argument("--vehicles", type=int, default=600, help="simulated vehicles (default 600)")
    one.add_argument("--seed", type=int, help="seed of the vehicles; a fresh one without it")
    one.add_argument("--rounds", type=int, default=60, help="requests of each kind (default 60)")
    commands.add_parser("test", help="install what tests need and run them all")
    commands.add_parser("quality", help="check format and lint")
    return parser


def main(argv: list[str] | None = None) -> int:
    args = build_parser().parse_args(argv)
    if args.command is None:
        build_parser().print_help()
        return 0
    try:
        return COMMANDS[args.command](args)
    except FrostyPistonError as error:
        print(error, file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0


def _bytes_of(path: Path, most: int = 0) -> bytes:
    from .job.tape.jobfile import MOST_BYTES

    most = most or MOST_BYTES
    try:
        if str(path) == "-":
            return sys.stdin.buffer.read(most + 1)
        with path.open("rb") as file:
            return file.read(most + 1)
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror or error}") from None


def _assess(args: argparse.Namespace) -> int:
    from .job.answer import assess, assess_line
    from .job.tape import jobfile

    if args.lines:
        for line in sys.stdin.buffer:
            if line.strip():
                sys.stdout.write(
                    json.dumps(assess_line(line), ensure_ascii=False, separators=(",", ":")) + "\n"
                )
                sys.stdout.flush()
        return 0
    if args.file is None:
        raise BadInput("name a job file, or - for standard input; or --lines for one job file a line")
    print(json.dumps(assess(jobfile.read(_bytes_of(args.file))), indent=2, ensure_ascii=False))
    return 0


def _serve(args: argparse.Namespace) -> int:
    from .web.frame.address import Door

    door = Door(args.host, args.port, args.tls_cert, args.tls_key)
    door.check()
    from .web.frame.serving import serve

    return serve(args.data, door, demo=args.command == "demo", reset=getattr(args, "reset", False))


def _import(args: argparse.Namespace) -> int:
    from .bundles import opening, read_bundle, read_file
    from .formats import bundle
    from .store.workshop import open_workshop

    readers = opening()
    try:
        with open_workshop(args.data) as workshop:
            for path in args.files:
                data = _bytes_of(path, bundle.MOST_BYTES)
                if data.startswith(bundle.MAGIC):
                    job_id, new = read_bundle(workshop, data, readers)
                else:
                    job_id, new = read_file(workshop, data, readers)
                print(f"{path}: {'imported' if new else 'already here'} as {job_id}")
    finally:
        readers.end()
    return 0


def _export(args: argparse.Namespace) -> int:
    from .job.tape.jobfile import canonical
    from .store.workshop import open_workshop

    with open_workshop(args.data) as workshop:
        if args.bundle:
            from .bundles import write_bundle

            args.bundle.write_bytes(write_bundle(workshop, args.job))
            return 0
        text = canonical(workshop.tapes.export(args.job))
    if args.out:
        args.out.write_text(text, "utf-8")
    else:
        sys.stdout.write(text)
    return 0


def _keeping(args: argparse.Namespace) -> int:
    from .store.backup import DATABASE, back_up, check, restore

    found = (
        back_up(args.data, args.file)
        if args.command == "backup"
        else restore(args.file, args.data)
        if args.command == "restore"
        else check(args.data / DATABASE)
    )
    for fault in found.faults:
        print(fault, file=sys.stderr)
    print(found.says)
    return 2 if found.faults else 0


def _passphrase(args: argparse.Namespace) -> int:
    """Works beside a running server too: who lost a passphrase does not stop the others."""
    from getpass import getpass

    from .store.database import open_database
    from .store.people import People

    if not (args.data / "workshop.db").exists():
        raise CannotStart(f"{args.data} holds no workshop of Frosty Piston: serve it once before.")
    if sys.stdin.isatty():
        given = getpass(f"Passphrase of {args.name}: ")
        if getpass("Once more: ") != given:
            raise BadInput("the two are not the same; nothing was changed")
    else:
        given = sys.stdin.readline().rstrip("\n")
    engine = open_database(args.data)
    try:
        right = People(engine).set_passphrase(args.name, given)
    finally:
        engine.dispose()
    print(f"{args.name} can sign in, with the right to {right}.")
    return 0


def _bench(args: argparse.Namespace) -> int:
    from .benchmarks.aftertreatment import benchmark_aftertreatment
    from .benchmarks.day import benchmark_day
    from .benchmarks.learning import benchmark_learning
    from .benchmarks.load import benchmark_load
    from .benchmarks.mixed import benchmark_mixed
    from .benchmarks.pages import bench
    from .benchmarks.reasoning import benchmark_reasoning
    from .benchmarks.recordings import benchmark_recordings
    from .benchmarks.trust import benchmark_trust
    from .benchmarks.vacuum import benchmark_vacuum

    if args.only in (None, "load"):
        benchmark_load()
    if args.only == "load":
        benchmark_mixed()
    if args.only in (None, "vacuum"):
        benchmark_vacuum(200 if args.only else 40)
    if args.only in (None, "aftertreatment"):
        benchmark_aftertreatment(60 if args.only else 12, args.seed)
    if args.only in (None, "day"):
        benchmark_day(100 if args.only else 10, args.seed)
    if args.only == "learning":
        benchmark_learning(args.seed)
    if args.only == "trust":
        benchmark_trust(args.vehicles, args.seed)
    if args.only in (None, "reasoning"):
        benchmark_reasoning(args.rounds)
    if args.only in (None, "recordings"):
        benchmark_recordings()
    return bench(args.jobs, args.entries, args.rounds) if args.only in (None, "pages") else 0


def _in_the_folder(args: argparse.Namespace) -> int:
    raise FrostyPistonError(f"Start ./piston {args.command} from the project's folder.")


COMMANDS = {
    "demo": _serve,
    "serve": _serve,
    "assess": _assess,
    "import": _import,
    "export": _export,
    "backup": _keeping,
    "restore": _keeping,
    "check": _keeping,
    "passphrase": _passphrase,
    "bench": _bench,
    "test": _in_the_folder,
    "quality": _in_the_folder,
}
