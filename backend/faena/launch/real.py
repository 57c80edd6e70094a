"""./faena serve, collect, server, user: real use, configured by environment variables or a file."""

import os
import sys

from faena.launch import setup, supervised
from faena.launch.installation import web_command
from faena.launch.places import BACKEND, PYTHON
from faena.launch.words import Trouble


def _become(command: list[str]) -> None:
    """Replace this process, so that signals and exit status are the program's own."""
    os.chdir(BACKEND)
    os.environ["PYTHONPATH"] = str(BACKEND)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "faena.config.settings")
    sys.stdout.flush()
    os.execv(command[0], command)


def _manage(*arguments: str) -> None:
    _become([str(PYTHON), "-m", "django", *arguments])


def serve() -> None:
    """Bring the store's tables up to date, then serve."""
    setup.for_serving()
    supervised.upgrade_store()
    host, port = supervised.listening()
    print(f"Faena serves http://{host}:{port}", flush=True)
    _become(web_command(host, port))


def managed(command: str, arguments: list[str]) -> None:
    """A command of the application, by its own name."""
    setup.for_serving()
    _manage(command.replace("-", "_"), *arguments)


def headless(command: str, arguments: list[str]) -> None:
    """Commands without web and store. They start at once: set-up is looked at only where there is none yet."""
    if not PYTHON.exists():
        setup.for_reading()
    os.environ["PYTHONPATH"] = str(BACKEND)
    sys.stdout.flush()
    os.execv(PYTHON, [str(PYTHON), "-m", "faena.headless", command, *arguments])


def diagnose(arguments: list[str]) -> None:
    """A live server by its connection string needs no store; one that is watched is looked up in it."""
    if any(one.startswith("--server") for one in arguments):
        setup.for_serving()
        _manage("diagnose", *arguments)
    else:
        headless("diagnose", arguments)


def collect() -> None:
    setup.for_serving()
    _manage("collect")


def imported(arguments: list[str]) -> None:
    """./faena import samples FILE --server NAME, ./faena import traces FILE… --server NAME"""
    commands = {"samples": "import_samples", "traces": "import_traces"}
    if not arguments or arguments[0] not in commands:
        raise Trouble("what is to be imported? ./faena import samples|traces FILE --server NAME")
    setup.for_serving()
    # The file is named from where the command was given, not from where the program runs.
    paths = [os.path.abspath(one) if os.path.exists(one) else one for one in arguments[1:]]
    _manage(commands[arguments[0]], *paths)
