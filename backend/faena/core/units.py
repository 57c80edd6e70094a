"""Units as types, so that a millisecond is never handed over where seconds are meant."""

from typing import NewType

EpochMs = NewType("EpochMs", int)  # milliseconds since 1970-01-01 UTC
Millis = NewType("Millis", float)  # a duration in milliseconds
Seconds = NewType("Seconds", float)  # a duration in seconds
Sessions = NewType("Sessions", float)  # a mean over ticks, so rarely a whole number
QueryId = NewType("QueryId", int)  # the server's 64-bit statement identifier, signed
Pid = NewType("Pid", int)  # process id of a backend; reused by the system, so pair it with the session's start
Code = NewType("Code", int)  # index of a dimension combination in a server's dictionary

MS_PER_SECOND = 1000
MS_PER_HOUR = 3_600_000
MS_PER_DAY = 24 * MS_PER_HOUR
NOT_LATE = Millis(0.0)
