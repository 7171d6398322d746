"""A design checked with its solids."""

from __future__ import annotations

from typing import Any

from isotomon.errors import IsotomonError
from isotomon.inspect.check import check_json
from isotomon.inspect.finished import with_finished
from isotomon.inspect.results import Quick
from isotomon.solids.deliver import build_all
from isotomon.solids.plan import blocked
from isotomon.solids.supervisor import Supervisor


def checked(quick: Quick, supervisor: Supervisor | None) -> dict[str, Any]:
    """The check with the solid built by the worker; a solid that cannot be made is one more finding."""
    if supervisor is None or blocked(quick) is not None:
        return check_json(quick, {})
    try:
        built = build_all(quick, supervisor)
        return check_json(with_finished(quick, built), built)
    except IsotomonError as error:
        result = check_json(quick, {})
        result["findings"].append({"severity": "error", "where": quick.body.name, "text": str(error)})
        result["ok"] = False
        return result
