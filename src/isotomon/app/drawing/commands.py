"""The profile editor's tools as commands."""

from __future__ import annotations

from functools import partial
from typing import Any

from isotomon.app.command import Command
from isotomon.app.drawing.pens import DRAW_TOOLS
from isotomon.app.drawing.picks import PICK_TOOLS
from isotomon.profile.relate import TITLES

_FAMILIES = {
    "draw-line": "Line",
    "draw-run": "Line",
    "draw-axis": "Line",
    "arc-three": "Arc",
    "arc-centre": "Arc",
    "arc-tangent": "Arc",
    "circle-centre": "Circle",
    "circle-two": "Circle",
    "circle-three": "Circle",
    "ellipse": "Ellipse",
    "ellipse-part": "Ellipse",
    "rectangle": "Shapes",
    "rectangle-centre": "Shapes",
    "rectangle-three": "Shapes",
    "polygon": "Shapes",
    "star": "Shapes",
    "slot": "Shapes",
    "slot-curved": "Shapes",
    "curve": "Curve",
    "spline": "Curve",
    "draw-point": "Curve",
    "move": "Change",
    "turn": "Change",
    "scale": "Change",
    "trim": "Cut",
    "extend": "Cut",
    "break": "Cut",
    "round": "Corner",
    "bevel": "Corner",
    "mirror": "Change",
    "mirror-free": "Change",
}
_KEYS = {"draw-run": "W", "draw-axis": "X", "dimension": "F", "trim": "T", "round": "R"}
_TIPS = {tool.id: ", then ".join(tool.prompts) for tool in DRAW_TOOLS} | {tool.id: tool.prompt for tool in PICK_TOOLS}


def needs_drawing(w: Any) -> str:
    """Empty while a drawing is open."""
    return "" if w.room.editing else "Open a drawing first (F6 on a station)"


def _needs_chosen(w: Any) -> str:
    return needs_drawing(w) or ("" if w.room.editor.selection else "Choose points, lines or curves first")


def _needs_kept(w: Any) -> str:
    return needs_drawing(w) or ("" if w.room.editor.clipboard else "Nothing was copied yet")


def _use(key: str, w: Any) -> None:
    w.room.use(key)


def _held(key: str, w: Any) -> bool:
    return w.room.holds(key)


def _tie(kind: str, w: Any) -> None:
    w.room.tie(kind)


def _tie_reason(kind: str, w: Any) -> str:
    return w.room.tie_reason(kind)


def _tool(key: str, title: str) -> Command:
    return Command(
        key, title, partial(_use, key), _KEYS.get(key, ""), "Draw", "", _TIPS[key].capitalize(),
        _needs_chosen if key in ("move", "turn", "scale", "mirror", "mirror-free") else needs_drawing,
        partial(_held, key), _FAMILIES.get(key, ""), True,
    )  # fmt: skip


_DRAW = [_tool(tool.id, tool.title) for tool in DRAW_TOOLS if _FAMILIES[tool.id] != "Change"]
_MOVE = [_tool(tool.id, tool.title) for tool in DRAW_TOOLS if _FAMILIES[tool.id] == "Change"]
_PICK = {tool.id: _tool(tool.id, tool.title) for tool in PICK_TOOLS}
_TIES = [
    Command(f"tie-{kind}", title, partial(_tie, kind), "", "Draw", "", "A constraint on what is chosen",
            partial(_tie_reason, kind), None, "Constrain", True)
    for kind, title in TITLES.items()
]  # fmt: skip

# fmt: off
DRAWING_COMMANDS: tuple[Command, ...] = (
    *_DRAW,
    Command("put-ready", "Ready-made", lambda w: w.room.ready_made_menu(), "", "Draw", "", "A ready-made section as lines and curves",
            needs_drawing, None, "", True),
    _PICK["dimension"],
    *_TIES,
    *(_PICK[k] for k in ("trim", "extend", "break", "round", "bevel")),
    *_MOVE, _PICK["mirror"], _PICK["mirror-free"],
    Command("copy", "Copy", lambda w: w.room.copy(), "Ctrl+C", "Draw", "", "Keep what is chosen for pasting, here or in another drawing",
            _needs_chosen, None, "Change", True),
    Command("paste", "Paste", lambda w: w.room.paste(), "Ctrl+V", "Draw", "", "What was copied, with the constraints among it",
            _needs_kept, None, "Change", True),
    Command("all", "Choose all", lambda w: w.room.choose_all(), "Ctrl+A", "Draw", "", "Every point, line and curve", needs_drawing, None, "Change", True),
    Command("see-grid", "Grid", lambda w: w.room.toggle("show_grid"), "", "Draw", "", "Squared paper, and catching it",
            needs_drawing, lambda w: w.room.editor.show_grid, "See", True),
    Command("see-ghosts", "Neighbouring sections", lambda w: w.room.toggle("show_ghosts"), "", "Draw", "",
            "Faint profiles of the stations before and after", needs_drawing, lambda w: w.room.editor.show_ghosts, "See", True),
    Command("see-body", "The body behind", lambda w: w.room.toggle("show_body"), "", "Draw", "",
            "Sections all along the body, faint", needs_drawing, lambda w: w.room.editor.show_body, "See", True),
    Command("see-fit", "Fit the drawing", lambda w: w.room.editor.fit(), "", "Draw", "", "All of the drawing in the canvas",
            needs_drawing, None, "See", True),
    Command("half", "Close a half section by its mirror image", lambda w: w.room.toggle_half(), "", "Draw", "",
            "An open run that begins and ends on a centre line", needs_drawing,
            lambda w: w.room.editing and w.room.editor.drawing.mirror_half, "See", True),
    Command("bring-in", "Bring in", lambda w: w.room.bring_menu(), "", "Draw", "", "Datums and other stations' profiles, which stay in step",
            needs_drawing, None, "", True),
    Command("drawing-read", "From file…", lambda w: w.room.ask_read(), "", "Draw", "", "Lines and curves of a DXF, SVG or coordinate file",
            needs_drawing, None, "File", True),
    Command("drawing-write", "To file…", lambda w: w.room.ask_write(), "", "Draw", "", "The drawing as DXF, SVG or coordinates",
            needs_drawing, None, "File", True),
    Command("drawing-done", "Done", lambda w: w.room.leave(), "Ctrl+Return", "Draw", "done", "Back to the View", needs_drawing, None, "", True),
)
# fmt: on
