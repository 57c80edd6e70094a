"""Switches troubles on and off in turn, with quiet between them: python -m tidewrack.rota."""

import itertools
import time

from tidewrack.client import SWITCHES
from tidewrack.troubles import TROUBLES

FIRST_QUIET_S = 25
QUIET_S = 45


def main() -> None:
    SWITCHES.mkdir(parents=True, exist_ok=True)
    time.sleep(FIRST_QUIET_S)
    for trouble in itertools.cycle(TROUBLES):
        switch = SWITCHES / trouble.name
        if not switch.exists():  # somebody may have started it by hand; then it is theirs to stop
            switch.write_text("rota")
            time.sleep(trouble.seconds)
            if switch.exists() and switch.read_text() == "rota":
                switch.unlink()
        time.sleep(QUIET_S)


if __name__ == "__main__":
    main()
