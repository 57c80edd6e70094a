"""Statements for a DBA to run on a server: as it takes them, one a line, with what must happen between two of them."""

from collections.abc import Mapping, Sequence

RESTART = "-- Restart the server now; before, it does not take this up."
RELOAD = "SELECT pg_reload_conf();"
PENDING = "pending_restart"  # among a server's settings: the names of those that wait for a restart
_PRELOAD = "shared_preload_libraries"


def quoted(name: str) -> str:
    """A name in quotes, whatever it holds."""
    return '"' + name.replace('"', '""') + '"'


def literal(text: str) -> str:
    """A text in quotes, read the same whether or not backslashes escape there."""
    told = "'" + text.replace("'", "''") + "'"
    return told if "\\" not in text else " E" + told.replace("\\", "\\\\")


def setting(name: str, value: str, *, restart: bool = False) -> str:
    """What changes a setting for good; with `restart` it is one that only a start takes up."""
    return f"ALTER SYSTEM SET {name} = {literal(value)};\n{RESTART if restart else RELOAD}"


def preloading(settings: Mapping[str, str], library: str) -> str:
    """What has a library loaded at the next start beside those that are loaded now.

    Each is a literal of its own: 'a,b' would be one name, and a server that does not find it does not start.
    """
    now = settings.get(_PRELOAD)
    if _PRELOAD in settings.get(PENDING, "").split(", "):
        return f"-- {_PRELOAD} was changed and waits for a restart. Restart the server, then look here again."
    if now is None:  # a role without pg_read_all_settings does not see it, and what it does not see would be lost
        return (
            f"-- Add {literal(library)} to those that SHOW {_PRELOAD} tells a superuser, each in quotes of its own:\n"
            f"-- ALTER SYSTEM SET {_PRELOAD} = 'one', 'another', {literal(library)};\n{RESTART}"
        )
    wanted = [*libraries(now), library]
    return (
        f"ALTER SYSTEM SET {_PRELOAD} = {', '.join(map(literal, wanted))};\n"
        f"{RELOAD}\n{RESTART}"  # the reload lets the server tell that a restart is due
    )


def libraries(value: str) -> Sequence[str]:
    """The names in a list of libraries, as the server takes it apart: by commas outside of double quotes."""
    found, within, one = [], False, ""
    for letter in value:
        if letter == '"':
            within = not within
        if letter == "," and not within:
            found.append(one)
            one = ""
        else:
            one += letter
    return [_bare(name) for name in (*found, one) if name.strip()]


def _bare(name: str) -> str:
    name = name.strip()
    return name[1:-1].replace('""', '"') if name[:1] == '"' and name[-1:] == '"' and len(name) > 1 else name
