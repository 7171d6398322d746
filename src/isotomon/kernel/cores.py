"""Whether the kernel may use more than one core. Worker only."""

from __future__ import annotations

import os

_owner: list[int] = []
"""The process in which the kernel's threads live, once they have been wanted."""


def several() -> bool:
    """True in the first process that asks, and not in those forked from it since: the kernel's threads do not live on there, and it would wait
    for them for ever."""
    if not _owner:
        _owner.append(os.getpid())
    return _owner[0] == os.getpid()
