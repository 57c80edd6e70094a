"""The eight kinds into which every moment of an active session falls."""

from faena.core.labels import Labelled


class WaitKind(Labelled):
    """What an active session does at a moment, as seen in a sample."""

    RUNNING = "running", "running on CPU"
    CLIENT = "client", "waiting for client"
    ENGINE = "engine", "engine internal"
    COMMIT = "commit", "WAL write at commit"
    DATA_IO = "data_io", "data reads and writes"
    LOCK = "lock", "row and table locks"
    OTHER_PROCESS = "other_process", "IPC waits"
    SLEEP = "sleep", "timeout or sleep"
