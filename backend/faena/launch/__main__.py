"""The command line of ./faena."""

import argparse
import os
import sys
from collections.abc import Sequence

from faena.launch import benches, checks, demo, keeping, real, setup, supervised
from faena.launch.words import Trouble, warn

OVERVIEW = """Find out why a database is slow.

  ./faena demo     set everything up and start with a database in trouble
  ./faena test     run every check

For real use: ./faena serve and ./faena collect; docs/operating.md tells how they are configured."""


# Commands whose arguments are read by whoever does the work.
FORWARDED = (
    ("server", "connect, change, pause or remove a server"),
    ("user", "make a user or change one"),
    ("trace-source", "let an application send traces of a server; prints its token"),
    ("way", "a way by which alerts go out: mails, or calls of a web address; prints the secret of one"),
    ("upgrade", "bring the store to this version; serve and up do it, too"),
    ("replay", "store what collectors had to put aside, after an upgrade that can take it"),
    ("rotate-secret", "a new secret, and all passwords sealed with it"),
    ("backup", "`backup FILE`: store and secret in one file"),
    ("restore", "`restore FILE`: into an empty store"),
    ("import", "`import samples|traces FILE --server NAME`: session samples of any engine, OpenTelemetry traces"),
    ("export", "`export samples|executions|statements --server NAME --from T --to T`: CSV, JSON Lines or Parquet"),
    ("read-plan", "a plan's steps and suspicions as JSON"),
    ("read-log", "executions, errors, waits and deadlocks of server logs as JSON Lines"),
    ("read-traces", "requests, their time by layer and their statements out of traces, as JSON Lines"),
    ("chains", "who stands in whose way on a live server, watched for a while, as JSON"),
    (
        "diagnose",
        "what is at fault, as JSON: `--dsn DSN --seconds N` watches, `--server NAME --from T --to T` looks back",
    ),
)


def parser() -> argparse.ArgumentParser:
    top = argparse.ArgumentParser(
        prog="faena", description=OVERVIEW, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    commands = top.add_subparsers(dest="command", required=True, metavar="COMMAND")
    demo_parser = commands.add_parser("demo", help="set up and start the demo, or make trouble in it")
    demo_parser.add_argument("--no-rota", action="store_true", help="no troubles by themselves")
    troubles = demo_parser.add_subparsers(dest="part", metavar="trouble").add_parser("trouble", help="make trouble")
    troubles.add_argument("act", choices=["list", "start", "stop"])
    troubles.add_argument("name", nargs="?", help="as `list` shows it")
    commands.add_parser("status", help="what of the demo is running")
    commands.add_parser("stop", help="stop the demo, or leftovers of one that was killed")
    commands.add_parser("reset", help="throw the demo's clusters and data away")
    tests = commands.add_parser("test", help="run every check, or the layers named")
    tests.add_argument("layers", nargs="*", metavar="LAYER", help=f"one or more of {', '.join(checks.LAYERS)}")
    commands.add_parser("serve", help="the web server, for real use")
    commands.add_parser("collect", help="the collector, for real use")
    commands.add_parser("up", help="web server and collector together, each started again when it ends")
    for name, words in FORWARDED:
        commands.add_parser(name, help=words, add_help=False)
    bench = commands.add_parser("bench", help="measure speed, memory and cost; prints a table")
    bench.add_argument("names", nargs="*", help='all by default; names of troubles after "troubles"')
    commands.add_parser("guide", help="write docs/user-guide.md and its pictures from the running demo")
    commands.add_parser("build", help="build the front end")
    commands.add_parser("contract", help="write the API description and the types made from it")
    return top


def read(given: Sequence[str]) -> argparse.Namespace:
    """The command with its arguments; `rest` are those of a forwarded one, untouched: argparse would take its options for ours."""
    if given and given[0] in {name for name, _ in FORWARDED}:
        return argparse.Namespace(command=given[0], rest=list(given[1:]))
    return parser().parse_args(given)


def main() -> int:
    arguments = read(sys.argv[1:])
    match arguments.command:
        case "demo":
            if arguments.part == "trouble":
                demo.trouble(arguments.act, arguments.name)
            else:
                demo.start(rota=not arguments.no_rota)
        case "status":
            return demo.status()
        case "stop":
            demo.stop()
        case "reset":
            demo.reset()
        case "test":
            if unknown := set(arguments.layers) - set(checks.LAYERS):
                raise Trouble(f"there is no layer {', '.join(sorted(unknown))}; there are {', '.join(checks.LAYERS)}")
            return checks.run(arguments.layers)
        case "serve":
            real.serve()
        case "collect":
            real.collect()
        case "up":
            supervised.up()
        case "server" | "user" | "way" | "export" | "trace-source" | "upgrade" | "replay" | "rotate-secret":
            real.managed(arguments.command, arguments.rest)
        case "backup" | "restore":
            keeping.run(arguments.command, arguments.rest)
        case "import":
            real.imported(arguments.rest)
        case "read-plan" | "read-log" | "read-traces" | "chains":
            real.headless(arguments.command, arguments.rest)
        case "diagnose":
            real.diagnose(arguments.rest)
        case "guide":
            return demo.guide()
        case "build":
            setup.for_serving()
        case "contract":
            checks.write_contract()
        case "bench":
            return benches.run(arguments.names)
    return 0


if __name__ == "__main__":
    try:
        sys.exit(main())
    except Trouble as trouble:
        warn(str(trouble))
        sys.exit(1)
    except KeyboardInterrupt:
        warn("stopped")
        sys.exit(130)
    except BrokenPipeError:  # whoever read our output has seen enough; nothing is left to flush into
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except OSError as error:
        if error.errno == 28:  # no space left on device
            warn(
                f"the disk is full ({error.filename or 'while writing'}); make room and start again: it goes on from here"
            )
            sys.exit(1)
        raise
