"""The first fork, as one sentence above the waterline: running or waiting, on what, since when."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import TypeVar

import numpy as np
import numpy.typing as npt

from faena.core.findings import Finding, Severity
from faena.core.sampling.load import LoadSeries
from faena.core.units import EpochMs
from faena.core.waits.kinds import WaitKind

Kind = TypeVar("Kind", bound=str)  # a WaitKind, or the name of one
QUIET_SESSIONS = 0.05  # below this mean a server is called quiet, whatever it waits for
DOMINANT_SHARE = 0.4  # a kind must make up this much of the load to be called its main part


class FirstFork(StrEnum):
    """Running or waiting: what most of the load is."""

    NOT_SAMPLED = "not_sampled"
    QUIET = "quiet"
    MIXED = "mixed"
    RUNNING = "running"
    WAITING = "waiting"


@dataclass(frozen=True, slots=True, kw_only=True)
class Headline:
    """`kind` is the main part of the load, None when quiet or mixed; `since` when it rose inside the window, if it did."""

    finding: Finding
    kind: WaitKind | None = None
    load: float | None = None
    running: float | None = None
    since: EpochMs | None = None

    @property
    def sentence(self) -> str:
        return self.finding.sentence


def _told(fork: FirstFork, sentence: str, *rules_out: str) -> Finding:
    return Finding(kind=fork, severity=Severity.NOTE, sentence=sentence, rules_out=rules_out)


def main_kind(means: Mapping[Kind, float]) -> Kind | None:
    """The main part of a load by kind; None where it is quiet or mixed."""
    load = sum(means.values())
    if load < QUIET_SESSIONS:
        return None
    kind, most = max(means.items(), key=lambda item: item[1])
    return kind if most >= DOMINANT_SHARE * load else None


def headline(series: LoadSeries, starts: list[int], cores: int | None) -> Headline:
    """From load split by kind. Durations and means are over ticks taken; gaps do not count."""
    ticks = int(series.ticks.sum())
    if ticks == 0:
        return Headline(finding=_told(FirstFork.NOT_SAMPLED, "Nothing was sampled in this window."))
    means = {WaitKind(group): float(row.sum()) / ticks for group, row in zip(series.groups, series.seen, strict=True)}
    load, running, kind = sum(means.values()), means.get(WaitKind.RUNNING, 0.0), main_kind(means)
    if load < QUIET_SESSIONS:
        sentence = f"Quiet: {figure(load)} sessions active on average."
        return Headline(finding=_told(FirstFork.QUIET, sentence), load=load, running=running)
    if kind is None:
        sentence = f"A mix: {figure(running)} of {figure(load)} sessions running, no wait kind dominates."
        return Headline(finding=_told(FirstFork.MIXED, sentence), load=load, running=running)
    row = series.sessions()[series.groups.index(kind)]
    since = rise(row, starts)
    if kind is WaitKind.RUNNING:
        finding = _told(FirstFork.RUNNING, _running_sentence(running, load, row, cores), "locks", "the client")
    else:
        sentence = f"Waiting: {kind.label}, {figure(means[kind])} of {figure(load)} sessions"
        finding = _told(FirstFork.WAITING, sentence, "too few cores")
    return Headline(finding=finding, kind=kind, load=load, running=running, since=since)


def _running_sentence(running: float, load: float, row: npt.NDArray[np.float64], cores: int | None) -> str:
    if cores and float(np.nanmax(row)) > cores:
        over = int((row > cores).sum())
        part = over / int((~np.isnan(row)).sum())
        return (
            f"Running: {figure(running)} of {figure(load)} sessions; "
            f"more than the {cores} cores in {part:.0%} of the window"
        )
    return f"Running: {figure(running)} of {figure(load)} sessions" + (f" on {cores} cores" if cores else "")


def figure(value: float) -> str:
    """Three significant digits, at most two behind the point."""
    if value >= 100:
        return f"{value:.0f}"
    return f"{value:.1f}" if value >= 10 else f"{value:.2f}"


def rise(row: npt.NDArray[np.float64], starts: list[int]) -> EpochMs | None:
    """Start of the step up: where splitting the row in two explains most of its variance, if that is much.

    The split with the largest between-groups sum of squares (two-segment least squares). Reported only when the later
    part is at least three times the earlier and explains half the variance; otherwise the rise is not one moment.
    """
    known = np.flatnonzero(~np.isnan(row))
    values = row[known]
    n = len(values)
    if n < 6:
        return None
    before = np.cumsum(values)[:-1]
    sizes = np.arange(1, n)
    low, high = before / sizes, (values.sum() - before) / (n - sizes)
    between = sizes * (n - sizes) / n * (high - low) ** 2
    between[high <= low] = 0.0
    at = int(np.argmax(between))
    total = float(((values - values.mean()) ** 2).sum())
    if total == 0 or between[at] < 0.5 * total or high[at] < 3 * low[at]:
        return None
    return EpochMs(starts[int(known[at + 1])])
