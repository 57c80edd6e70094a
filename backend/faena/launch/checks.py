"""./faena test: every check, layer by layer, on clusters of its own."""

import json
import os
import subprocess
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from faena.launch import setup
from faena.launch.cluster import FERRY_SETTINGS, STORE_SETTINGS, Cluster
from faena.launch.installation import Installation
from faena.launch.places import BACKEND, CHECKOUT, DEMO, FRONTEND, PYTHON, STATE, VENV, Place, trial_place
from faena.launch.processes import Register
from faena.launch.words import Trouble, say, step

WORKERS = 2  # of the tests in Python; of the Django tests each has a database of the store and a watched cluster
# Tests lose nothing when the machine dies, so their clusters need not wait for the disk.
FAST = {"fsync": "off", "synchronous_commit": "off", "full_page_writes": "off"}


def run(layers: Sequence[str]) -> int:
    """Run the layers asked for, all of them by default. 0 when every check passed."""
    setup.for_testing()
    begun = time.monotonic()
    failed = [name for name in (layers or LAYERS) if not LAYERS[name]()]
    say(f"\n{'FAILED: ' + ', '.join(failed) if failed else 'Every check passed'} in {time.monotonic() - begun:.0f} s")
    return 1 if failed else 0


def _command(
    title: str, command: Sequence[str], *, cwd: Path = BACKEND, env: dict[str, str] | None = None, beside: bool = False
) -> bool:
    """One check; its output is shown as it comes, or all at its end where another one runs beside it."""
    begun = time.monotonic()
    if not beside:
        say(f"\n== {title}")
    told, errors = (subprocess.PIPE, subprocess.STDOUT) if beside else (None, None)
    ended = subprocess.run(
        command, cwd=cwd, env=env or _environment(), stdin=subprocess.DEVNULL, stdout=told, stderr=errors, text=True
    )
    outcome = f"== {title}: {'passed' if ended.returncode == 0 else 'FAILED'} in {time.monotonic() - begun:.0f} s"
    say(f"\n== {title}\n{ended.stdout.rstrip()}\n{outcome}" if beside else outcome)
    return ended.returncode == 0


def _environment() -> dict[str, str]:
    return {
        **os.environ,
        "PYTHONPATH": f"{BACKEND}:{DEMO}",
        "DJANGO_SETTINGS_MODULE": "faena.config.settings",
        "FAENA_WATCH_LOOPBACK": "1",
        "FAENA_TELL_LOOPBACK": "1",
    }


def _tool(name: str) -> str:
    return str(VENV / "bin" / name)


def style() -> bool:
    """Formatter, linter, types and package contracts of the Python side."""
    return all(
        [
            _command("formatter (Python)", [_tool("ruff"), "format", "--check", "."], cwd=CHECKOUT),
            _command("linter (Python)", [_tool("ruff"), "check", "."], cwd=CHECKOUT),
            _command("types (Python)", [_tool("mypy")], cwd=CHECKOUT),
            _command("package contracts", [_tool("lint-imports"), "--config", str(CHECKOUT / "pyproject.toml")]),
        ]
    )


def core() -> bool:
    """The reasoning, without database or network. The inner loop."""
    return _pytest("core tests", "tests/core", "-n", str(WORKERS))


def _pytest(title: str, *arguments: str, env: dict[str, str] | None = None) -> bool:
    return _command(title, [str(PYTHON), "-m", "pytest", *arguments], env=env)


def web() -> bool:
    """Sources, collector, store, API and launch on real PostgreSQL clusters."""
    place = Place(root=STATE / "test", web_port=8730, store_port=24730, ferry_port=24731)
    place.root.mkdir(parents=True, exist_ok=True)
    register = Register(place.run)
    register.stop_all()
    clusters = [
        Cluster(name="store", port=place.store_port, place=place, settings={**STORE_SETTINGS, **FAST}),
        *(
            Cluster(
                name=f"ferry-{worker}", port=place.ferry_port + worker, place=place, settings={**FERRY_SETTINGS, **FAST}
            )
            for worker in range(WORKERS)
        ),
    ]
    try:
        with step("Test clusters"):
            for cluster in clusters:
                cluster.make()
                cluster.start(register)
            clusters[0].ensure_database("faena", "faena", "test")
        environment = {
            **_environment(),
            "FAENA_STATE_DIR": str(place.root),
            "FAENA_STORE_PORT": str(place.store_port),
            "FAENA_STORE_PASSWORD": "test",
            "FAENA_TEST_FERRIES": " ".join(f"{one.port}:{one.environment()['PGPASSWORD']}" for one in clusters[1:]),
        }
        side_by_side = ("-n", str(WORKERS), "--dist", "loadfile")  # a file's tests share what its fixtures made
        return _pytest(
            "Django tests",
            "tests",
            "--ignore=tests/core",
            "--ignore=tests/e2e",
            "--durations=20",
            *side_by_side,
            env=environment,
        )
    finally:
        register.stop_all()


def ui() -> bool:
    """Types, lint, format and unit tests of the front end, and that its API types are those of the contract."""
    node = setup.node_environment()

    def check(title: str, script: str, *, beside: bool) -> bool:
        return _command(f"{title} (front end)", setup.npm("run", "-s", script), cwd=FRONTEND, env=node, beside=beside)

    # The linter takes one core, and longer than the others that look at the code; the tests take both.
    looking = [("linter", "lint"), ("types", "types"), ("formatter", "format")]
    with ThreadPoolExecutor(2) as pool:
        done = list(pool.map(lambda one: check(*one, beside=True), looking))
    return all([*done, check("unit tests", "test", beside=False), _api_types_fresh()])


def _api_types_fresh() -> bool:
    generated = FRONTEND / "src" / "api" / "schema.d.ts"
    fresh = STATE / "schema.d.ts"
    tool = str(FRONTEND / "node_modules" / ".bin" / "openapi-typescript")
    made = _command(
        "API types", [tool, str(CHECKOUT / "contract" / "openapi.json"), "-o", str(fresh)],
        cwd=FRONTEND, env=setup.node_environment(),
    )  # fmt: skip
    if made and fresh.read_text() != generated.read_text():
        say("frontend/src/api/schema.d.ts differs from the contract; run ./faena contract and commit both")
        return False
    return made


def e2e() -> bool:
    """The real interface in a real browser, on the demo with its troubles switched one at a time."""
    os.environ.setdefault("FAENA_PAST_DAYS", "10")  # reaches back to the incidents that screens are tested with
    installation = Installation(trial_place())
    try:
        installation.clear_leftovers()
        installation.check_ports()
        installation.start_clusters()
        installation.prepare_store()
        installation.load_ferry()
        installation.watch_ferry()
        installation.take_traces()
        installation.open_inbox()
        installation.fill_past()
        installation.start_programs(rota=False)
        installation.start_faena()
        environment = {
            **installation.environment(),
            "FAENA_TRIAL_URL": installation.url,
            "FAENA_TRIAL_ANCHOR": installation.past_made_at(),
        }
        return _pytest("browser tests", "tests/e2e", "--durations=20", env=environment)
    except Trouble as trouble:
        say(f"browser tests could not start: {trouble}")
        return False
    finally:
        installation.register.stop_all()


LAYERS: dict[str, Callable[[], bool]] = {"style": style, "core": core, "web": web, "ui": ui, "e2e": e2e}


def write_contract() -> None:
    """Dump the API's description and generate the front end's types from it."""
    setup.for_contract()
    (CHECKOUT / "contract").mkdir(exist_ok=True)
    (CHECKOUT / "contract" / "openapi.json").write_text(
        _printed("json.dumps(api.get_openapi_schema(path_prefix='/api/v1/'), indent=2, sort_keys=True) + chr(10)")
    )
    folder = FRONTEND / "src" / "lib" / "words"
    folder.mkdir(exist_ok=True)
    for name, text in json.loads(_printed("json.dumps(words.as_modules())")).items():
        (folder / f"{name}.ts").write_text(text)
    setup.run(setup.npm("run", "-s", "api"), "contract", "see above", cwd=FRONTEND, env=setup.node_environment())
    say("wrote contract/openapi.json, frontend/src/api/schema.d.ts and frontend/src/lib/words/")


def _printed(expression: str) -> str:
    """What an expression about the API comes to, in a process with Django set up."""
    script = f"import django, json; django.setup(); from faena.api import words; from faena.api.application import api; print({expression}, end='')"
    ended = subprocess.run([str(PYTHON), "-c", script], env=_environment(), cwd=BACKEND, capture_output=True, text=True)
    if ended.returncode != 0:
        raise Trouble(f"the contract cannot be written: {ended.stderr[-600:]}")
    return ended.stdout
