"""Where the time of requests goes, in a sentence."""

import pytest
from faena.core.numbers import took
from faena.core.requests.layers import Layer
from faena.core.requests.verdict import verdict


def layers(**ms: float) -> dict[Layer, float]:
    return {layer: ms.get(layer.value, 0.0) for layer in Layer}


@pytest.mark.parametrize(
    ("ms", "words"),
    [
        ({"database": 96, "own": 4}, "The database takes 96% of the time; its statements say which."),
        (
            {"database": 2, "external": 80, "own": 18},
            "Calls to other services take 80% of the time. The database is not the cause: it takes 2%.",
        ),
        (
            {"database": 0.2, "own": 99.8},
            "The application's own code takes 100% of the time. The database is not the cause: it takes less than 1%.",
        ),
        ({"own": 10}, "The application's own code takes 100% of the time. The database is not the cause: it takes 0%."),
        ({"database": 30, "cache": 50, "own": 20}, "The cache takes 50% of the time, the database 30%."),
        (
            {"database": 10, "queue": 90},
            "Waiting for a free connection or a message takes 90% of the time, the database 10%.",
        ),
        (
            {"database": 46, "external": 25, "own": 21, "cache": 8},
            "The database takes 46% of the time, calls to other services 25%.",
        ),
        ({}, ""),
    ],
)
def test_the_database_is_cleared_or_accused_by_its_part_of_the_time(ms: dict[str, float], words: str) -> None:
    assert verdict(layers(**ms)) == words


@pytest.mark.parametrize(
    ("ms", "words"),
    [(0.04, "0.04 ms"), (480, "480 ms"), (3200, "3.2 s"), (61_000, "1 min 1 s"), (120_000, "2 min"), (3_600_000, "1 h"), (8_040_000, "2 h 14 min")],
)  # fmt: skip
def test_durations_in_sentences_have_two_units(ms: float, words: str) -> None:
    assert took(ms) == words
