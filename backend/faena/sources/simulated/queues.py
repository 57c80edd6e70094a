"""The queues of the simulated servers: cores, disks, the log. Pure arithmetic over seconds."""

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]


def serve(offered: Floats, capacity: float, room: float) -> tuple[Floats, Floats]:
    """Work done and work left over in each second, shapes as `offered`, all in core-seconds.

    Work is conserved: a core never idles while work is left. What does not fit into `room` is turned away, as sessions
    are that find their pool empty. Lindley's recursion: D. V. Lindley, The theory of queues with a single server (1952).
    """
    done, left = np.empty_like(offered), np.empty_like(offered)
    waiting = 0.0
    for i, work in enumerate(offered.tolist()):
        there = waiting + work
        did = min(capacity, there)
        waiting = min(room, there - did)
        done[i], left[i] = did, waiting
    return done, left


def disk_latency_ms(requests_per_s: Floats, service_ms: float, channels: int) -> Floats:
    """Time of one request at a load, in milliseconds: service alone when idle, fifty times that when saturated.

    The shape of a queue with several servers: waiting grows with a high power of the utilisation over what is left
    (Sakasegawa's approximation for G/G/m: H. Sakasegawa, An approximation formula, 1977).
    """
    used = np.minimum(requests_per_s * service_ms / 1000 / channels, 0.98)
    power = np.sqrt(2 * (channels + 1)) - 1
    return np.asarray(service_ms * (1 + used**power / (channels * (1 - used)) * 8), dtype=np.float64)


def flush_latency_ms(commits_per_s: Floats, flush_ms: float) -> Floats:
    """Time until a commit is in the log. Commits share a write, yet the more there are, the longer each waits."""
    pressure = np.minimum(commits_per_s * flush_ms / 1000, 2.0)
    return np.asarray(flush_ms * (1 + 2 * pressure**2), dtype=np.float64)
