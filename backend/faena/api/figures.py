"""Figures as they are shown: arrays rounded, null where there is nothing."""

from math import isnan
from typing import Any

import numpy as np
import numpy.typing as npt
import orjson
from django.http import HttpRequest
from ninja.renderers import BaseRenderer


def rounded(row: npt.NDArray[np.float64], digits: int = 4) -> list[float | None]:
    """Four digits behind the point are a ten-thousandth of a session; NaN becomes null."""
    values: list[float | None] = np.round(row, digits).tolist()
    for i in np.flatnonzero(np.isnan(row)).tolist():
        values[i] = None
    return values


def steady(value: Any) -> Any:
    """Nine digits of what is not whole: the last of a sum's seventeen depend on the order in which the store reads rows."""
    return float(f"{value:.9g}") if isinstance(value, float) and not value.is_integer() else value


def number(value: float) -> float | None:
    """NaN, which JSON does not know, becomes null."""
    return None if isnan(value) else value


class FastJson(BaseRenderer):
    """orjson: a long series is most of an answer's time otherwise."""

    media_type = "application/json"

    def render(self, request: HttpRequest, data: Any, *, response_status: int) -> bytes:
        return orjson.dumps(data, option=orjson.OPT_NON_STR_KEYS)
