"""What a server means when it does not let us in or does not answer: a sentence and a remedy for each case.

The server's own words are passed on only of a connection that failed in a way nobody foresaw: what it says of a
statement can cite values.
"""

from typing import NamedTuple

import psycopg

from faena.core.errors import SourceAway, SourceError, SourceRefused


class Refusal(NamedTuple):
    """`said`: pieces that all stand in its words, since a connection that fails has no code yet. `waits`: it may pass by itself."""

    said: tuple[str, ...]
    sentence: str
    remedy: str
    waits: bool = False


# The first that fits counts.
REFUSALS: tuple[Refusal, ...] = (
    Refusal(("password authentication failed",), "refused the password",
            "enter the password that its role has now, in the server's settings"),
    Refusal(("no password supplied",), "asks for a password, and none is entered", "enter it in the server's settings"),
    Refusal(("is not permitted to log in",), "has our role, which may not log in", "ALTER ROLE … LOGIN;"),
    Refusal(("no pg_hba.conf entry",), "has no line in pg_hba.conf for us",
            "add one for our address, role and database there, and reload"),
    Refusal(('role "', "does not exist"), "does not know our role (any more)",
            "make it again with the role script, or enter another user in the server's settings"),
    Refusal(('database "', "does not exist"), "does not have the database we connect to",
            "enter one that it has in the server's settings"),
    Refusal(("too many connections for role",), "has no connection left for our role: its CONNECTION LIMIT is reached",
            "ALTER ROLE … CONNECTION LIMIT 5;  -- Faena holds two, and one more while somebody asks it something"),
    Refusal(("too many connections for database",), "has no connection left for this database: its CONNECTION LIMIT is reached",
            "ALTER DATABASE … CONNECTION LIMIT …; or connect to another database of it"),
    Refusal(("too many clients",), "has no connection left", "raise max_connections, or find who holds them all"),
    Refusal(("remaining connection slots",), "has no connection left for ordinary roles",
            "raise max_connections, or find who holds them all"),
    Refusal(("not accepting connections",), "does not accept connections: a standby that is not for reading, or recovering",
            "set hot_standby = on there, or wait until it has recovered", waits=True),
    Refusal(("database system is starting up",), "is starting up", "wait; sampling goes on by itself", waits=True),
    Refusal(("database system is shutting down",), "is shutting down", "sampling goes on when it is back", waits=True),
    Refusal(("database system is in recovery mode",), "is recovering after a crash", "sampling goes on when it is back", waits=True),
    Refusal(("does not support SSL",), "does not speak TLS, and the connection asks for it",
            "set ssl = on there; or choose a weaker TLS mode, where the way to it is safe"),
    Refusal(("root certificate", "does not exist"), "cannot be checked: there is no file of root certificates here",
            "put its authority's certificate into ~/.postgresql/root.crt of Faena's user; or choose a weaker TLS mode"),
    Refusal(("certificate verify failed",), "has a certificate that no authority known here has signed",
            "put its authority's certificate into ~/.postgresql/root.crt of Faena's user; or choose a weaker TLS mode"),
    Refusal(("does not match host name",), "has a certificate for another host name", "enter the host as its certificate names it"),
)  # fmt: skip
BY_STATE = {
    "28P01": "refused the password", "28000": "refused our role", "3D000": "does not have the database we connect to",
    "42501": "does not let our role read what it needs", "53300": "has no connection left for us",
}  # fmt: skip


def as_source_error(error: psycopg.Error, where: str) -> SourceError:
    """Whose fault it is: refused (mend something), or away (try again)."""
    words, state = " ".join(str(error).split()), error.sqlstate or ""
    for one in REFUSALS:
        if all(piece in words for piece in one.said) and (not state or state[:2] in ("08", "28", "3D", "53", "57")):
            kind = SourceAway if one.waits else SourceRefused
            return kind(f"{where} {one.sentence}", remedy=one.remedy)
    if state in BY_STATE:
        remedy = "run the connection check in the server's settings; it names each gap and how to fix it"
        return SourceRefused(f"{where} {BY_STATE[state]} ({state})", remedy=remedy)
    if state == "57014":
        return SourceAway(f"{where} did not answer in time", remedy="see whether the server or its host is overloaded")
    if state and state[:2] not in ("08", "57"):
        return SourceAway(f"{where} did not answer a question (SQLSTATE {state})", remedy="see its log at this moment")
    return SourceAway(f"{where}: {words[:300]}", remedy="see whether the server runs and can be reached")
