"""What is wrong with what carries a body, and with where its copies come to lie: findings with the place and a way to mend it."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array
from isotomon.design.bodies import change_loft, remove_step
from isotomon.design.body import Body
from isotomon.design.edits import replace
from isotomon.design.loft_edits import change_guide
from isotomon.evaluate.guides import joined_run
from isotomon.evaluate.sources import Sources
from isotomon.field.carriers import Relative
from isotomon.field.mesh import SkinMesh
from isotomon.field.section_field import SectionField
from isotomon.measure.laws import Finding, Mend

OVER = 1e-3
"""Copies that lie nearer to each other all over than this share of their size are one over the other."""
SAMPLES = 600


def path_findings(ground: Sources, field: SectionField) -> list[Finding]:
    """Gaps in the path that are bridged, and a profile that was drawn far from it."""
    body, design = ground.body, ground.design
    if body.loft.carrier.how != "path":
        return []
    found = []
    guide = next((g for g in design.guides if g.id == body.loft.carrier.on and g.kind == "joined"), None)
    if guide is not None and guide.choices[0] == "kept":
        curve, joins = joined_run(ground, guide)
        for join in joins:
            if join.gap > 1e-6 * curve.length:
                x, y, z = join.place
                text = (
                    f"its path has a gap of {join.gap:.4g} mm at ({x:.4g}, {y:.4g}, {z:.4g}), which is closed by moving both "
                    "ends halfway; bring the curves together, or smooth their joins"
                )
                mend = Mend("Smooth the joins", lambda d: change_guide(d, guide.id, choices=("smoothed",)))
                found.append(Finding("note", body.name, text, place=join.place, about=body.id, mends=(mend,)))
    if body.loft.carrier.drawn_on and isinstance(field.carrier, Relative):
        found += _far_from_path(body, field)
    return found


def _far_from_path(body: Body, field: SectionField) -> list[Finding]:
    """A profile that is kept where it was drawn, farther from the path's start than it is large."""
    assert isinstance(field.carrier, Relative)
    start = field.carrier.base.frames(np.array([field.first])).origin[0]
    profile = field.sections(np.array([field.first])).control[0]
    far = float(np.linalg.norm(profile - start, axis=1).min())
    size = float(np.linalg.norm(np.ptp(profile, axis=0)))
    if far <= size:
        return []
    x, y, z = profile.mean(axis=0).tolist()
    text = (
        f"its profile was drawn {far:.4g} mm from where the path begins and is carried along as far beside it; bring it to the "
        "path's start, if that is not meant"
    )
    carrier = replace(body.loft.carrier, drawn_on="")
    mend = Mend("Bring the profile to the path", lambda d: change_loft(d, body.id, carrier=carrier))
    return [Finding("note", body.name, text, place=(x, y, z), about=body.id, mends=(mend,))]


def laid_over(body: Body, mesh: SkinMesh, maps: Array) -> Finding | None:
    """A copy that comes to lie over the body itself, as one turned about its own axis does."""
    if len(maps) < 2:
        return None
    points, normals = mesh.points.reshape(-1, 3), mesh.normals.reshape(-1, 3)
    size = float(np.ptp(points, axis=0).max())
    middle = np.append(points.mean(axis=0), 1.0)
    back = np.linalg.inv(maps[0])
    near = [k for k in range(1, len(maps)) if np.linalg.norm((back @ maps[k] @ middle - middle)[:3]) < 0.02 * size]
    if not near:
        return None
    tree, some = cKDTree(points), points[:: max(len(points) // SAMPLES, 1)]
    for k in near:
        step = back @ maps[k]
        moved = some @ step[:3, :3].T + step[:3, 3]
        _, pick = tree.query(moved)
        away = np.abs(np.einsum("nk,nk->n", moved - points[pick], normals[pick]))
        if float(away.max()) < OVER * size:
            x, y, z = (maps[k] @ middle)[:3].tolist()
            text = (
                f"copy {k + 1} lies over the body itself, which looks the same there; move the body off the axis first, or take "
                "the copies out"
            )
            mend = Mend("Take the last step out", lambda d: remove_step(d, body.done[-1].id))
            return Finding("error", body.name, text, place=(x, y, z), about=body.id, mends=(mend,))
    return None
