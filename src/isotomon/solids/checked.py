"""A design checked with its solids."""

from __future__ import annotations

from typing import Any

from isotomon.errors import IsotomonError
from isotomon.inspect.check import check_json
from isotomon.inspect.finished import with_finished
from isotomon.inspect.finished_figures import finished_figures
from isotomon.inspect.results import Quick
from isotomon.inspect.sections import check_way
from isotomon.quantity.record import Ref
from isotomon.solids.deliver import build_all, finer
from isotomon.solids.plan import blocked
from isotomon.solids.supervisor import Supervisor


def checked(quick: Quick, supervisor: Supervisor | None, cut: Ref | None = None) -> dict[str, Any]:
    """The check with the solid built by the worker; a solid that cannot be made is one more finding. `cut`: what the finished bodies are
    cut square to, empty for their own way; nothing for no figures of them as finished.

    Raises: IsotomonError, for what they cannot be cut square to.
    """
    if cut is not None:
        check_way(quick, cut)
    if supervisor is None or blocked(quick) is not None:
        return check_json(quick, {})
    try:
        built = build_all(quick, supervisor)
        result = check_json(with_finished(quick, built), built)
        if cut is not None:
            result["finished"] = finished_figures(quick, finer(quick, supervisor, built), cut)
        return result
    except IsotomonError as error:
        result = check_json(quick, {})
        result["findings"].append({"severity": "error", "where": quick.body.name, "text": str(error)})
        result["ok"] = False
        return result
