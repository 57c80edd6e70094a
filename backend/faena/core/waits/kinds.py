"""The eight kinds into which every moment of an active session falls."""

from enum import StrEnum


class WaitKind(StrEnum):
    """The value is the word in the API and the URL; `LABELS` has the words for the screen."""

    RUNNING = "running"
    CLIENT = "client"
    ENGINE = "engine"
    COMMIT = "commit"
    DATA_IO = "data_io"
    LOCK = "lock"
    OTHER_PROCESS = "other_process"
    SLEEP = "sleep"


LABELS: dict[WaitKind, str] = {
    WaitKind.RUNNING: "running on CPU",
    WaitKind.CLIENT: "waiting for client",
    WaitKind.ENGINE: "engine internal",
    WaitKind.COMMIT: "log write at commit",
    WaitKind.DATA_IO: "data reads and writes",
    WaitKind.LOCK: "row and table locks",
    WaitKind.OTHER_PROCESS: "other processes",
    WaitKind.SLEEP: "timeout or sleep",
}
