"""Which of many places come nearest to points, also to such as lie far off."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index, Mask

SLACK = 0.05
"""By this share of its distance another place may be nearer to a point that lies far off: farther than all the places lie apart."""
MANY = 20_000
"""From so many points on they are parted among all cores; of fewer, threads take longer to begin than they help."""


def far_off(tree: cKDTree, points: Array) -> Mask:
    """(n,) which points (n, k) lie farther from all places than these do from one another."""
    beyond = np.linalg.norm(np.maximum(np.maximum(tree.mins - points, points - tree.maxes), 0.0), axis=1)
    return np.asarray(beyond > np.linalg.norm(tree.maxes - tree.mins))


def nearest(tree: cKDTree, points: Array, count: int = 1) -> Index:
    """(n, count) the places nearest to points (n, k), nearest first. From points that are far off all places are nearly as far, and to say
    which is nearest takes a hundred times as long as to say which nearly is."""
    far = far_off(tree, points)
    found = np.empty((len(points), count), dtype=np.intp)
    for rows, slack in ((~far, 0.0), (far, SLACK)):
        own = points[rows]
        if len(own):
            found[rows] = tree.query(own, k=range(1, count + 1), eps=slack, workers=-1 if len(own) > MANY else 1)[1]
    return found
