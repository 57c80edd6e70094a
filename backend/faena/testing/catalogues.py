"""Makes sources/logs/languages.json from the catalogues that a server's package installs.

python -m faena.testing.catalogues writes it; a test holds what is there against what is installed.
"""

import gettext
import re
from pathlib import Path

import orjson

INSTALLED = Path("/usr/share/locale")
# Of the thousands of messages those that the reading of logs knows by their words.
_WANTED = re.compile(
    r"(?:LOG|ERROR|FATAL|PANIC|WARNING|NOTICE|INFO|DEBUG|execute|execute fetch from)$|(?:DETAIL|HINT|QUERY|CONTEXT|STATEMENT):  $"
    r"|duration: |statement: |[Pp]arameters: %s$|temporary file: |deadlock detected|could not serialize access"
    r"|canceling (?:statement|autovacuum)|could not obtain lock on|terminating (?:connection|autovacuum)|process %d "
    r"|sorry, too many clients|remaining connection slots|too many connections for|password authentication failed"
    r"|no pg_hba\.conf entry for host|the database system is|Process %d|while (?:updat|delet|lock|insert|check|recheck|scann)ing "
    r'|SQL statement "%s"$|PL/pgSQL function %s line %d at %s$|automatic (?:vacuum|analyze) of table "%s\.%s\.%s"$'
    r"|.*relation %u of database %u$|object %u of class|(?:virtual )?transaction %|speculative token|(?:user|advisory) lock \[",
    re.DOTALL,
)


def from_catalogues(folder: Path, version: str) -> dict[str, dict[str, str]]:
    """By language, what each wanted message is in it, as printf has its places. Those not translated are left out."""
    found: dict[str, dict[str, str]] = {}
    for catalogue in sorted(folder.glob(f"*/LC_MESSAGES/postgres-{version}.mo")):
        language = catalogue.parts[-3]
        texts = found.setdefault(language, {})
        for part in (catalogue, catalogue.with_name(f"plpgsql-{version}.mo")):
            if not part.exists():
                continue
            with part.open("rb") as file:
                told = gettext.GNUTranslations(file)._catalog  # type: ignore[attr-defined]
            for key, text in told.items():
                message = key if isinstance(key, str) else key[0]
                if text and text != message and _WANTED.match(message):
                    texts.setdefault(message, text)
    return found


def main() -> None:
    from faena.sources.logs import languages

    Path(languages.__file__).with_suffix(".json").write_bytes(
        orjson.dumps(from_catalogues(INSTALLED, "15"), option=orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS)
    )


if __name__ == "__main__":
    main()
