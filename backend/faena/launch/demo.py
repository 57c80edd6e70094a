"""./faena demo, status, stop, reset."""

import os
import signal
import subprocess
import time
from types import FrameType

from faena.launch import setup
from faena.launch.installation import DEMO_PASSWORD, LOGINS, Installation, remove
from faena.launch.places import BACKEND, CHECKOUT, DEMO, PYTHON, Place, demo_place
from faena.launch.processes import Register, Running
from faena.launch.words import Trouble, say, step, warn


class _Stop(BaseException):
    """Ctrl-C or SIGTERM."""


def _stop(number: int, frame: FrameType | None) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # a second Ctrl-C must not break off the stopping
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    raise _Stop


def start(*, rota: bool, place: Place | None = None) -> None:
    """Set up, start, and stay until Ctrl-C; then stop everything in order."""
    place = place or demo_place()
    if running := Register(place.run).get("demo"):
        raise Trouble(f"the demo is running already (pid {running.pid}); ./faena status shows it, ./faena stop ends it")
    say("Faena demo")
    setup.for_running()
    installation = Installation(place)
    signal.signal(signal.SIGINT, _stop)
    signal.signal(signal.SIGTERM, _stop)
    try:
        installation.clear_leftovers()
        installation.check_ports()
        installation.register.adopt_self("demo")
        installation.start_clusters()
        installation.prepare_store()
        installation.load_ferry()
        installation.watch_ferry()
        installation.take_traces()
        installation.open_inbox()
        installation.fill_past()
        installation.start_programs(rota=rota)
        installation.start_faena()
        _welcome(installation, rota=rota)
        while True:
            time.sleep(0.5)
            for name in installation.register.ended():
                installation.start_again(name)
    except _Stop:
        say("\nStopping")
    finally:
        with step("Stopped everything"):
            installation.register.stop_all(but="demo")
            installation.register.forget("demo")


def _welcome(installation: Installation, *, rota: bool) -> None:
    names = ", ".join(name for name, _ in LOGINS)
    say(f"\n  {installation.url}")
    say(f"  sign in as {names}; the password of each is {DEMO_PASSWORD}")
    say(f"  alerts go to an inbox of their own: http://127.0.0.1:{installation.place.services_port + 5}")
    if rota:
        say("  troubles come by themselves every two minutes or so; ./faena demo trouble list names them")
    else:
        say("  ./faena demo trouble start NAME makes trouble; ./faena demo trouble list names them")
    say("  Ctrl-C stops it all\n")


def status() -> int:
    """What runs, with its pid. 0 when the demo runs, 3 when it does not."""
    place = demo_place()
    register = Register(place.run)
    alive: list[Running] = [one for one in register.known() if one.alive()]
    if not alive:
        say("Nothing of the demo is running. ./faena demo starts it.")
        return 3
    for one in alive:
        say(f"  {one.name:<16} pid {one.pid}")
    if not any(one.name == "demo" for one in alive):
        warn("these are leftovers: the command that started them is gone. ./faena stop ends them.")
        return 3
    say(f"  http://127.0.0.1:{place.web_port}")
    return 0


def stop() -> None:
    """End the demo from another terminal, or leftovers of one that was killed."""
    register = Register(demo_place().run)
    if main := register.get("demo"):
        with step(f"Asking the demo (pid {main.pid}) to stop"):
            register.stop(main)
    stopped = register.stop_all()
    say("Stopped." if main or stopped else "Nothing was running.")


def reset() -> None:
    """Throw the demo's clusters and data away; what was installed stays."""
    place = demo_place()
    if Register(place.run).get("demo"):
        raise Trouble("the demo is running; ./faena stop first")
    Register(place.run).stop_all()
    with step("Removed the demo's clusters and data"):
        remove(place)


def trouble(act: str, name: str | None) -> None:
    """List, start or stop troubles by name."""
    import sys

    from faena.launch.places import DEMO

    sys.path.insert(0, str(DEMO))
    from tidewrack.troubles import BY_NAME, TROUBLES

    switches = demo_place().switches
    if act == "list":
        for one in TROUBLES:
            mark = "ON " if (switches / one.name).exists() else "off"
            say(f"  {mark} {one.name:<14} {one.story}\n      {'':<14} expect: {one.expect}")
        return
    if name is None or name not in BY_NAME:
        raise Trouble(f"there is no trouble named {name!r}; there are: {', '.join(BY_NAME)}")
    if not Register(demo_place().run).get("demo"):
        raise Trouble("the demo is not running; start it with ./faena demo")
    if act == "start":
        (switches / name).write_text("hand")
        say(f"{name}: {BY_NAME[name].story}\nExpect: {BY_NAME[name].expect}\n./faena demo trouble stop {name} ends it.")
    else:
        (switches / name).unlink(missing_ok=True)
        say(f"{name} is off")


def guide() -> int:
    """docs/user-guide.md with its pictures, from the demo that runs."""
    setup.for_testing()
    environment = {**os.environ, "PYTHONPATH": f"{BACKEND}:{DEMO}"}
    return subprocess.run([str(PYTHON), str(DEMO / "guide.py")], env=environment, cwd=CHECKOUT).returncode
