"""The machine that the collector runs on, read through psutil and /proc."""

from faena.sources.machine.local import LocalMachine
from faena.sources.machine.processes import NotReadable, ServerProcesses

__all__ = ["LocalMachine", "NotReadable", "ServerProcesses"]
