"""Whether the store's tables are those that this version of Faena knows, and how they become so while collectors run."""

from contextlib import suppress
from functools import lru_cache
from hashlib import sha256

from django.db import ProgrammingError, connection
from django.db.migrations.loader import MigrationLoader

from faena import __version__
from faena.apps.collecting.models import CollectorState, Upgrade
from faena.core.errors import StoreAway

LIVE_MS = 10_000  # a collector that was seen within so many milliseconds is running


@lru_cache(maxsize=1)
def tag() -> str:
    """This version with its schema: two of the same number can differ between releases."""
    return f"{__version__}+{sha256(' '.join(sorted(known())).encode()).hexdigest()[:8]}"


@lru_cache(maxsize=1)
def known() -> frozenset[str]:
    """Migrations that this version brings."""
    loader = MigrationLoader(None, ignore_no_migrations=True)
    return frozenset(f"{app}.{name}" for app, name in loader.disk_migrations)


def applied() -> frozenset[str]:
    """Migrations that the store has; none when it is empty."""
    with connection.cursor() as cursor, suppress(ProgrammingError):
        cursor.execute("SELECT app || '.' || name FROM django_migrations")
        return frozenset(row[0] for row in cursor.fetchall())
    return frozenset()


def require_known() -> None:
    """Raises StoreAway unless the store has exactly the tables that this version knows, and keeps them for now.

    A collector that gets it goes on sampling and keeps what it reads on disk; so nobody writes into tables that he does
    not know, and nothing is lost meanwhile.
    """
    has, ours = applied(), known()
    if missing := ours - has:
        raise StoreAway(f"the store is older than this version and lacks {len(missing)} changes; run ./faena upgrade")
    if strange := {one for one in has - ours if one.partition(".")[0] in _our_apps()}:
        raise StoreAway(f"the store belongs to a newer version ({sorted(strange)[-1]}); start that version's collector")
    ahead = Upgrade.objects.filter(since_ms__isnull=False).first()
    if ahead is not None and set(ahead.migrations) != set(ours):
        raise StoreAway(f"the store is being upgraded to version {ahead.version}")


def _our_apps() -> set[str]:
    return {one.partition(".")[0] for one in known()}


def announce(now_ms: int) -> None:
    """Say what is coming, so that collectors of another version stand by."""
    Upgrade.objects.update_or_create(
        id=1, defaults={"migrations": sorted(known()), "since_ms": now_ms, "version": tag()}
    )


def finished() -> None:
    Upgrade.objects.update_or_create(id=1, defaults={"migrations": sorted(known()), "since_ms": None, "version": tag()})


def still_writing(now_ms: int) -> list[str]:
    """Collectors that run, of another version, and do not stand by yet."""
    live = CollectorState.objects.filter(seen_ms__gt=now_ms - LIVE_MS, standing_by=False).exclude(version=tag())
    return list(live.values_list("holder", flat=True))
