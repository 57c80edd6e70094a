"""Tries again to store what collectors had to put aside, after an upgrade that can take it. What still cannot stays put aside."""

import time
from pathlib import Path
from typing import Any

import orjson
from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser

from faena.apps.accounts import audit
from faena.apps.collecting.store import DjangoStore
from faena.collector.kinds import INTAKE
from faena.collector.outbox import private
from faena.core.errors import StoreAway


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", nargs="?", type=Path, help="by default refused.jsonl of this machine's collector")

    def handle(self, *args: Any, **options: Any) -> None:
        folder = settings.ENVIRONMENT.state_dir / "collector"
        file: Path = options["file"] or folder / "refused.jsonl"
        if not file.exists():
            self.stdout.write(f"nothing was put aside: there is no {file}")
            return
        # Out of the way of a collector that goes on putting aside; a replay that broke off is taken up again.
        taken = file.with_suffix(".replaying")
        if not taken.exists():
            file.rename(taken)
        store = DjangoStore(folder)
        stored = kept = 0
        left: list[bytes] = []
        for line in taken.read_bytes().splitlines():
            if self._store(store, line):
                stored += 1
            else:
                kept += 1
                left.append(line)
        if left:
            with private(file, "ab") as out:
                out.writelines(line + b"\n" for line in left)
        taken.unlink()
        audit.record(None, "refused.replayed", detail=f"{stored} stored, {kept} still put aside")
        self.stdout.write(f"{stored} records stored; {kept} still cannot be and stay in {file}")

    def _store(self, store: DjangoStore, line: bytes) -> bool:
        try:
            told = orjson.loads(line)
            record = told["record"] if isinstance(told, dict) else told  # of the first release, without a reason
            if record is None:
                return False
            one = INTAKE.unpack(orjson.dumps(record))
        except (ValueError, KeyError):
            return False
        for _ in range(10):
            try:
                store.deliver([one])
                return True
            except StoreAway:
                time.sleep(1)
            except Exception as error:
                self.stderr.write(f"{type(one).__name__} of server {one.server_id}: {type(error).__name__}")
                return False
        return False
