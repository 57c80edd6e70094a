"""What an outage of the store looks like to the collector."""

from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

from django.db import InterfaceError, OperationalError, close_old_connections, connection

from faena.core.errors import StoreAway

P = ParamSpec("P")
R = TypeVar("R")


def away_means_away(call: Callable[P, R]) -> Callable[P, R]:
    """Every error of the store's connection becomes StoreAway, and the next call begins with a fresh one."""

    @wraps(call)
    def guarded(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return call(*args, **kwargs)
        except (OperationalError, InterfaceError) as error:
            connection.close()
            raise StoreAway(str(error)) from error
        finally:
            close_old_connections()

    return guarded
