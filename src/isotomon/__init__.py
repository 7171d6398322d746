"""Isotomon: blades and vessels from sections, checked as they are drawn.

Scripts find everything in `isotomon.script` also here, as `isotomon.read_table` and so on; it is loaded when first used.
"""

from __future__ import annotations

from typing import Any

from isotomon.version import VERSION

__version__ = VERSION


def __getattr__(name: str) -> Any:
    import importlib

    if name.startswith("_"):
        raise AttributeError(name)
    script = importlib.import_module("isotomon.script")
    if name in script.__all__:
        return getattr(script, name)
    raise AttributeError(f"module 'isotomon' has no attribute '{name}'")
