"""Laws of finished bodies, judged once their solids are there."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.design.law import Law, LawPoint
from isotomon.errors import DesignError, IsotomonError
from isotomon.inspect.judging import judge
from isotomon.inspect.results import Quick
from isotomon.inspect.sections import finished_sections
from isotomon.kernel.protocol import Built
from isotomon.measure.laws import Finding, Judged, law_findings
from isotomon.quantity.record import Ref


def judge_finished(quick: Quick) -> tuple[tuple[Judged, ...], list[Finding]]:
    """The laws of finished bodies: those of the body in hand, and the findings that all of them make."""
    own, findings = list[Judged](), list[Finding]()
    for one in (quick, *quick.others):
        built = quick.finished.get(one.result)
        for law in one.body.laws if built is not None and one.shape is not None else ():
            if law.of != "finished":
                continue
            try:
                result, wheres = _judged(one, built, law)  # type: ignore[arg-type]
            except IsotomonError as error:
                findings.append(Finding("error", law.name, str(error), about=law.id))
                continue
            findings += law_findings(result, wheres)
            if one is quick:
                own.append(result)
    return tuple(own), findings


def finished_points(quick: Quick) -> tuple[LawPoint, ...]:
    """Law points at every station, at the area that the finished body has there now.

    Raises: DesignError, while it is not finished.
    """
    built = quick.finished.get(quick.result)
    if built is None:
        raise DesignError("the solid is not finished yet, whose areas the points are to have")
    own = [n for _, n in quick.resolved.own]
    found = finished_sections(quick, built, position=np.array([n.position for n in own])).cuts.area
    return tuple(LawPoint(float(a), Ref(n.station.id)) for n, a in zip(own, found, strict=True) if not np.isnan(a))


def _judged(quick: Quick, built: Built, law: Law) -> tuple[Judged, list[str]]:
    """Raises: IsotomonError."""
    assert quick.shape is not None
    if law.quality != "area":
        raise DesignError("of a finished body areas alone are judged; judge this of the body as it is shaped")

    def areas(position: Array) -> Array:
        return finished_sections(quick, built, position=position).cuts.area

    return judge(law, quick.resolved, quick.shape.curves.v, areas)
