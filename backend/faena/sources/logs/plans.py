"""Plans out of entries of a log that somebody pasted or gave as a file, in whatever form the log is."""

import io
import re

from faena.core.engines.postgres.plans.reader import read_plans
from faena.core.logged import Execution
from faena.core.plans.model import Plan
from faena.sources.logs.reading import Summary, read_stream

_LOGGED = re.compile(r"duration: [\d.,]{1,20} ms  plan:")


def plans_brought(written: str, form: str | None = None) -> list[Plan]:
    """Each plan of a text, of entries of a log with its statement. Raises BadPlan."""
    logged = plans_in(written) if form is None else []
    return [plan for one in logged for plan in read_plans(one)] if logged else read_plans(written, form)


def plans_in(written: str) -> list[str]:
    """What auto_explain logged, in the order of the log; empty where the text is no log, or one without plans."""
    if not _LOGGED.search(written):
        return []
    stream = io.BytesIO(written.encode("utf-8", "surrogatepass"))
    return [one.plan for one in read_stream(stream, Summary()) if isinstance(one, Execution) and one.plan]
