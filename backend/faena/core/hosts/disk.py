"""What a DBA wants to know first of a disk: is it slow, and is it us."""

SLOW_FACTOR = 2.0  # of the usual latency, from which on the disk is called slow


def disk_sentence(latency_ms: float | None, usual_ms: float | None, neighbour: str, share: float | None) -> str:
    """Of a disk's mean latency. `neighbour` makes most of its requests, "" the server itself, and this share of them."""
    if latency_ms is None:
        return "No figures of this machine in this window; its host agent, or a token for another, brings them."
    makes = f" {neighbour or 'This server itself'} makes {share:.0%} of its requests." if share is not None else ""
    if usual_ms is None:
        return f"A request takes {latency_ms:.2g} ms; what is usual is not known yet.{makes}"
    factor = latency_ms / usual_ms if usual_ms else 1.0
    if factor < SLOW_FACTOR:
        return f"A request takes {latency_ms:.2g} ms, as usual ({usual_ms:.2g} ms).{makes}"
    blame = f"its neighbour {neighbour}" if neighbour else "this server itself"
    return (
        f"A request takes {latency_ms:.2g} ms, {factor:.1f} times the usual {usual_ms:.2g} ms; {blame} makes "
        f"{share or 0:.0%} of the disk's requests."
    )
