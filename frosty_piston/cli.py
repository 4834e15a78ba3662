"""The command line: serve, demo, assess, import, export, backup, restore, check, passphrase, bench."""

import argparse
import gc
import json
import sys
from pathlib import Path
from typing import Any, get_args

import shtab

from frosty_piston import __version__
from frosty_piston.core.errors import BadInput, CannotStart, FrostyPistonError
from frosty_piston.settings import LogLevel, Settings, is_checkout, settings

# Commands that the launcher of a checkout answers: an installed package has neither tests nor a project.
OF_CHECKOUT = {"test": "install what tests need and run them all", "quality": "check format, lint and types"}
BENCHMARKS = (
    "reasoning",
    "recordings",
    "trust",
    "vacuum",
    "aftertreatment",
    "day",
    "learning",
    "starts",
    "load",
    "pages",
)
Commands = Any  # argparse names no public type for what add_subparsers returns


def build_parser() -> argparse.ArgumentParser:
    """Return the parser of every command. Raises CannotStart where the environment says what cannot be."""
    chosen = settings()
    parser = argparse.ArgumentParser(
        prog="piston",
        description="Frosty Piston keeps the thread of a diesel diagnosis, from arrival to proof.",
    )
    parser.add_argument("--version", action="version", version=f"frosty-piston {__version__}")
    shtab.add_argument_to(parser, "--print-completion", help="print the completion of a shell, and end")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    _add_serving(commands, chosen)
    _add_files(commands, chosen)
    _add_keeping(commands, chosen)
    _add_bench(commands)
    if is_checkout():
        for name, says in OF_CHECKOUT.items():
            commands.add_parser(name, help=says, description=f"{says.capitalize()}.")
    return parser


def _command(commands: Commands, name: str, says: str, more: str = "") -> argparse.ArgumentParser:
    one: argparse.ArgumentParser = commands.add_parser(
        name, help=says, description=f"{says.capitalize()}{more}."
    )
    return one


def _add_data(one: argparse.ArgumentParser, chosen: Settings, name: str = "serve") -> None:
    folder = chosen.workshop(name)
    one.add_argument("--data", type=Path, default=folder, help=f"folder of the database (default {folder})")


def _add_serving(commands: Commands, chosen: Settings) -> None:
    for name, says in (
        ("demo", "set up the demo workshop and serve it"),
        ("serve", "serve a workshop that starts empty"),
    ):
        one = _command(commands, name, says)
        one.add_argument("--port", type=int, default=chosen.port, help=f"port (default {chosen.port})")
        one.add_argument("--host", default=chosen.host, help=f"address to serve on (default {chosen.host})")
        certificate = "certificate, for other addresses"
        one.add_argument("--tls-cert", type=Path, default=chosen.tls_cert, metavar="FILE", help=certificate)
        key = "key of the certificate"
        one.add_argument("--tls-key", type=Path, default=chosen.tls_key, metavar="FILE", help=key)
        levels = get_args(LogLevel)
        level = f"how much is logged (default {chosen.log_level})"
        one.add_argument("--log-level", choices=levels, default=chosen.log_level, help=level)
        quiet = "log only what goes wrong, and print no address"
        one.add_argument("--quiet", action="store_true", help=quiet)
        _add_data(one, chosen, name)
        if name == "demo":
            one.add_argument("--reset", action="store_true", help="throw the demo data away and make it anew")


def _add_files(commands: Commands, chosen: Settings) -> None:
    one = _command(commands, "assess", "print the assessment of a job file as JSON")
    file = "a .fpjob.json file, or - for standard input"
    one.add_argument("file", type=Path, metavar="FILE", nargs="?", help=file)
    lines = "read one job file a line from standard input and answer one line each"
    one.add_argument("--lines", action="store_true", help=lines)
    one = _command(commands, "import", "bring job files into a workshop")
    one.add_argument("files", type=Path, nargs="+", metavar="FILE")
    _add_data(one, chosen)
    one = _command(commands, "export", "write a job of a workshop as a job file")
    one.add_argument("job", metavar="JOB", help="the id of the job")
    one.add_argument("--out", type=Path, help="file to write; standard output without it")
    one.add_argument("--bundle", type=Path, help="archive to write, with recordings and pictures")
    _add_data(one, chosen)


def _add_keeping(commands: Commands, chosen: Settings) -> None:
    for name, says in (
        ("backup", "copy a workshop into one file, also while it is in use"),
        ("restore", "bring a copy back into an empty folder"),
    ):
        one = _command(commands, name, says, "; the copy is looked through")
        one.add_argument("file", type=Path, metavar="FILE")
        _add_data(one, chosen)
    one = _command(commands, "passphrase", "give somebody a passphrase to sign in with; the first one leads")
    one.add_argument("name", metavar="NAME")
    _add_data(one, chosen)
    says = "look through everything that is kept, and name what is damaged or was changed"
    _add_data(_command(commands, "check", says), chosen)


def _add_bench(commands: Commands) -> None:
    one = _command(commands, "bench", "measure the reasoning and the speed of the pages")
    one.description = (
        "Measure the choice of tests against the optimum, the reasoning, how far it can be trusted on"
        " simulated vehicles (only when asked for: many minutes), and the pages in a workshop made for it."
    )
    one.add_argument("--only", choices=BENCHMARKS, help="measure one of them")
    one.add_argument("--jobs", type=int, default=2000, help="jobs in the workshop (default 2000)")
    one.add_argument("--entries", type=int, default=300, help="entries on the measured job (default 300)")
    one.add_argument("--vehicles", type=int, default=600, help="simulated vehicles (default 600)")
    one.add_argument("--seed", type=int, help="seed of the vehicles; a fresh one without it")
    one.add_argument("--rounds", type=int, default=60, help="requests of each kind (default 60)")


def main(argv: list[str] | None = None) -> int:
    try:
        parser = build_parser()
        args = parser.parse_args(argv)
        if args.command is None:
            parser.print_help()
            return 0
        return COMMANDS[args.command](args)
    except FrostyPistonError as error:
        print(error, file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0


def _bytes_of(path: Path, most: int = 0) -> bytes:
    from frosty_piston.job.tape.jobfile import MOST_BYTES

    most = most or MOST_BYTES
    try:
        if str(path) == "-":
            return sys.stdin.buffer.read(most + 1)
        with path.open("rb") as file:
            return file.read(most + 1)
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror or error}") from None


def _assess(args: argparse.Namespace) -> int:
    from frosty_piston.job.answer import assess, assess_line
    from frosty_piston.job.tape import jobfile

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
    gc.disable()  # what is loaded now stays; `ready_to_serve` turns it on again
    from frosty_piston.web.frame.address import Address

    address = Address(args.host, args.port, args.tls_cert, args.tls_key)
    address.check()
    from frosty_piston.web.frame.serving import serve

    return serve(
        args.data,
        address,
        demo=args.command == "demo",
        reset=getattr(args, "reset", False),
        log_level="warning" if args.quiet else args.log_level,
        quiet=args.quiet,
    )


def _import(args: argparse.Namespace) -> int:
    from frosty_piston.bundles import opening, read_bundle, read_file
    from frosty_piston.formats import bundle
    from frosty_piston.store.workshop import open_workshop

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
    from frosty_piston.job.tape.jobfile import canonical
    from frosty_piston.store.workshop import open_workshop

    with open_workshop(args.data) as workshop:
        if args.bundle:
            from frosty_piston.bundles import write_bundle

            args.bundle.write_bytes(write_bundle(workshop, args.job))
            return 0
        text = canonical(workshop.tapes.export(args.job))
    if args.out:
        args.out.write_text(text, "utf-8")
    else:
        sys.stdout.write(text)
    return 0


def _keeping(args: argparse.Namespace) -> int:
    from frosty_piston.store.backup import DATABASE, back_up, check, restore

    if args.command == "backup":
        found = back_up(args.data, args.file)
    elif args.command == "restore":
        found = restore(args.file, args.data)
    else:
        found = check(args.data / DATABASE)
    for fault in found.faults:
        print(fault, file=sys.stderr)
    print(found.says)
    return 2 if found.faults else 0


def _passphrase(args: argparse.Namespace) -> int:
    """Works beside a running server too: who lost a passphrase does not stop the others."""
    from getpass import getpass

    from frosty_piston.store.database import open_database
    from frosty_piston.store.people import People

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
    from frosty_piston.benchmarks.aftertreatment import benchmark_aftertreatment
    from frosty_piston.benchmarks.day import benchmark_day
    from frosty_piston.benchmarks.learning import benchmark_learning
    from frosty_piston.benchmarks.load import benchmark_load
    from frosty_piston.benchmarks.mixed import benchmark_mixed
    from frosty_piston.benchmarks.pages import bench
    from frosty_piston.benchmarks.reasoning import benchmark_reasoning
    from frosty_piston.benchmarks.recordings import benchmark_reading, benchmark_recordings
    from frosty_piston.benchmarks.starts import benchmark_starts
    from frosty_piston.benchmarks.trust import benchmark_trust
    from frosty_piston.benchmarks.vacuum import benchmark_vacuum

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
    if args.only in (None, "starts"):
        benchmark_starts(args.seed)
    if args.only == "learning":
        benchmark_learning(args.seed)
    if args.only == "trust":
        benchmark_trust(args.vehicles, args.seed)
    if args.only in (None, "reasoning"):
        benchmark_reasoning(args.rounds)
    if args.only in (None, "recordings"):
        benchmark_recordings()
        benchmark_reading()
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
