"""Constraints on what is chosen in the editor."""

from __future__ import annotations

from isotomon.app.drawing.editing import Editing
from isotomon.profile.relate import TITLES, groups_for, put_ties


def tie_chosen(editor: Editing, kind: str) -> str:
    """Put a constraint on what is chosen; returns what is wrong, or nothing."""
    groups = groups_for(editor.drawing, kind, editor.selection)
    return editor.commit(f"make {TITLES[kind].split(' (')[0].lower()}", lambda d: put_ties(d, kind, groups))
