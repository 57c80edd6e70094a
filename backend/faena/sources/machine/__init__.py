"""The machine that the collector runs on, read through psutil."""

from faena.sources.machine.local import LocalMachine

__all__ = ["LocalMachine"]
