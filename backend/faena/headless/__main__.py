"""python -m faena.headless COMMAND …; each command imports only what it needs, so that it starts at once."""

import sys


def main(arguments: list[str]) -> int:
    command, rest = (arguments[0], arguments[1:]) if arguments else ("", [])
    match command:
        case "read-plan":
            from faena.headless import plan

            return plan.main(rest)
        case "read-log":
            from faena.headless import log

            return log.main(rest)
        case "chains":
            from faena.headless import chains

            return chains.main(rest)
        case "read-traces":
            from faena.headless import traces

            return traces.main(rest)
        case "diagnose":
            from faena.headless import diagnose

            return diagnose.main(rest)
    print(f"faena: there is no command {command!r}", file=sys.stderr)
    return 2


if __name__ == "__main__":
    try:
        sys.exit(main(sys.argv[1:]))
    except BrokenPipeError:  # whoever read our output has seen enough
        sys.stderr.close()
        sys.exit(0)
    except KeyboardInterrupt:
        sys.exit(130)
