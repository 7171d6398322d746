"""Commands are data: tray, menus, finder, shortcuts and help are made from this one table."""

from __future__ import annotations

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.drawing.commands import DRAWING_COMMANDS
from isotomon.app.made.room import MADE_COMMANDS
from isotomon.app.paper.room import PAPER_COMMANDS
from isotomon.app.study.room import STUDY_COMMANDS
from isotomon.app.tools.carrying import carry_otherwise
from isotomon.app.tools.cutting import CUT_COMMANDS
from isotomon.app.tools.datums import DATUM_COMMANDS
from isotomon.app.tools.gauges import GAUGE_COMMANDS
from isotomon.app.tools.guides import GUIDE_COMMANDS
from isotomon.app.tools.shape_checks import CHECK_COMMANDS
from isotomon.app.tools.shaping import SHAPING_COMMANDS
from isotomon.app.tools.skins import SKIN_COMMANDS, UNROLL
from isotomon.app.tools.steps import STEP_COMMANDS
from isotomon.app.tools.ties import TIE_COMMANDS
from isotomon.design import bodies
from isotomon.design.bodies import makes, stations_of_all
from isotomon.design.datums import BASE_PLANES
from isotomon.profile.section import Drawn

STAGES = ("Set out", "Draw", "Guide", "Shape", "Finish", "Check", "Deliver")


def needs_body(w: Api) -> str:
    """The reason of what needs a body: there is none."""
    if needs_design(w):
        return needs_design(w)
    there = w.desk.quick is not None and w.desk.quick.there
    return "" if there else "There is no body yet: two stations at least"


def needs_stations(w: Api) -> str:
    """The reason of what is done with stations: none is chosen."""
    return needs_design(w) or ("" if w.desk.selected_stations() else "Choose a station first")


def _needs_one(w: Api) -> str:
    return needs_stations(w) or ("" if len(w.desk.selected_stations()) == 1 else "Choose one station only")


def _needs_chosen(w: Api) -> str:
    return needs_design(w) or ("" if w.desk.removable else "Choose a station, guide, number or law first")


def _needs_undo(w: Api) -> str:
    return "" if w.desk.session is not None and w.desk.session.undo_title else "There is nothing to take back"


def _needs_redo(w: Api) -> str:
    return "" if w.desk.session is not None and w.desk.session.redo_title else "There is nothing to do again"


def _needs_building(w: Api) -> str:
    return "" if w.desk.under_way[0] else "Nothing is being worked out"


def _needs_findings(w: Api) -> str:
    return needs_design(w) or ("" if w.desk.quick is not None and w.desk.quick.findings else "There are no findings")


def _needs_drawings(w: Api) -> str:
    return needs_stations(w) or (
        "" if w.desk.design is not None and w.desk.design.drawings else "There is no drawing yet"
    )


def _needs_linked(w: Api) -> str:
    if needs_stations(w):
        return needs_stations(w)
    assert w.desk.design is not None
    drawn = [s for s in w.desk.held.stations if s.id in w.desk.selection and isinstance(s.section, Drawn)]
    return "" if len(drawn) == len(w.desk.selected_stations()) else "Choose stations with a drawing"


def _needs_drawable(w: Api) -> str:
    if needs_design(w):
        return needs_design(w)
    assert w.desk.design is not None
    design, chosen = w.desk.design, w.desk.selection
    planes = [d.id for d in design.datums if d.recipe.makes == "plane"]
    known = {*(s.id for s in stations_of_all(design)), *(d.id for d in design.drawings), *planes, *BASE_PLANES}
    if not chosen and not w.desk.held.stations:
        return ""  # in an empty design one draws on the XY plane
    return "" if len(chosen) == 1 and chosen[0] in known else "Choose one station, drawing or plane first"


def _needs_bodies(w: Api) -> str:
    return needs_design(w) or ("" if w.desk.others else "There is one body only; make another first")


def _carried(w: Api) -> str:
    return w.desk.body.loft.carrier.how if w.desk.body is not None else ""


def _needs_guide(w: Api) -> str:
    if needs_design(w):
        return needs_design(w)
    assert w.desk.design is not None
    return "" if w.desk.design.guides or w.desk.design.drawings else "Make a guide or a drawing first, to be the path"


def _needs_round(w: Api) -> str:
    return needs_design(w) or (
        "" if _carried(w) != "straight" else "A straight loft has no way round; carry it otherwise first"
    )


def _ruled(w: Api) -> bool:
    return w.desk.body is not None and w.desk.body.loft.ruled


_MAKES = (
    ("own", "A body of its own", "The body in hand is a body of its own"),
    ("add", "Add to another body", "The body in hand and another become one"),
    ("cut", "Cut out of another body", "The body in hand is taken away from another"),
    ("common", "Keep in common with another", "What the body in hand and another both hold is kept"),
)


def _make_command(how: str, title: str, tip: str) -> Command:
    def makes_it(w: Api) -> bool:
        return w.desk.design is not None and makes(w.desk.design, w.desk.hand) == how

    return Command(
        f"make-{how}", title, lambda w: w.tools.combine(how), "", "Shape", "", tip, _needs_bodies, makes_it, "Bodies"
    )


# fmt: off
COMMANDS: tuple[Command, ...] = (
    Command("new-empty", "New design, by drawing", lambda w: w.files.new_empty(), "Ctrl+Alt+N", "", "draw",
            "Begin empty: draw on a base plane, then extrude, sweep or revolve"),
    Command("new", "New design from stations", lambda w: w.files.new(), "Ctrl+N", "Set out", "file-plus",
            "A design with two round stations"),
    Command("table", "From table…", lambda w: w.files.ask_table(), "Ctrl+Shift+O", "Set out", "table-2",
            "A CSV station table in, a design out"),
    Command("open", "Open…", lambda w: w.files.ask_open(), "Ctrl+O", "Set out", "folder-open",
            "Open a design or a table"),
    Command("save", "Save", lambda w: w.files.save(), "Ctrl+S", "", "save", "Write the design to its file",
            needs_design),
    Command("save-as", "Save as…", lambda w: w.files.ask_save(), "Ctrl+Shift+S", "", "save",
            "Write the design to a new file", needs_design),
    Command("start", "Start page", lambda w: w.show_start(), "Ctrl+Home", "", "", "Demos and recent files"),
    Command("quit", "Quit", lambda w: w.close(), "Ctrl+Q"),
    Command("undo", "Undo", lambda w: w.desk.undo(), "Ctrl+Z", "", "undo-2", "Take the last step back", _needs_undo),
    Command("redo", "Redo", lambda w: w.desk.redo(), "Ctrl+Shift+Z", "", "redo-2", "Do it again", _needs_redo),
    Command("number", "New number", lambda w: w.tools.add_number(), "Ctrl+Shift+N", "Set out", "number",
            "A named number: formulas in any field may use it", needs_design, None, "Numbers"),
    Command("numbers", "Numbers table", lambda w: w.page.toggle_table(w.numbers), "Ctrl+Shift+M", "Set out", "table-2",
            "All named numbers in a grid: values, formulas, notes, where used", needs_design,
            lambda w: not w.numbers.isHidden(), "Numbers"),
    Command("numbers-in", "Numbers from CSV…", lambda w: w.files.ask_numbers(), "", "Set out", "", "name, value, note: new ones come in, known ones change",
            needs_design, None, "Numbers"),
    Command("numbers-out", "Numbers to CSV…", lambda w: w.files.ask_write_numbers(), "", "Set out", "", "All named numbers as CSV",
            needs_design, None, "Numbers"),
    Command("station", "Station at end", lambda w: w.tools.add_station(), "Ctrl+Shift+T", "Set out", "station",
            "A copy of the last station, one bay further on", needs_design),
    Command("insert", "Insert station", lambda w: w.tools.insert_middle(), "Ins", "Draw", "insert",
            "Between the chosen station and the next; the shape stays as it is", needs_body),
    Command("section", "Section", lambda w: w.tools.section_menu(), "Ctrl+E", "Draw", "section",
            "Another ready-made section for the chosen stations", needs_stations),
    Command("foil-file", "Foil from file…", lambda w: w.tools.ask_foil(), "", "Draw", "foil",
            "A foil through the coordinates in a text file, for the chosen stations", needs_stations, None, "From file"),
    Command("space-section", "From points in space…", lambda w: w.tools.ask_space(), "", "Draw", "", "A new station through a file's points; a plane is fitted to them",
            needs_design, None, "From file"),
    Command("duplicate", "Duplicate", lambda w: w.tools.duplicate(), "Ctrl+Shift+D", "Draw", "layers",
            "A copy of the chosen station, half a bay further on", _needs_one),
    Command("exchange", "Exchange places", lambda w: w.tools.exchange(), "", "Draw", "",
            "The two chosen stations change places; of one, with the next", needs_stations, None, "Order"),
    Command("remove", "Remove", lambda w: w.tools.remove(), "Del", "Draw", "x", "Take out what is chosen",
            _needs_chosen),
    Command("draw", "Draw the section", lambda w: w.room.open_chosen(), "F6", "Draw",
            "draw", "Open the profile editor at the chosen station, drawing or plane", _needs_drawable),
    Command("drawn", "Turn into a drawing", lambda w: w.room.turn_into_drawn(), "", "Draw", "to-drawn",
            "The ready-made section as lines and curves, to be changed by hand", _needs_one, None, "Drawing"),
    Command("link", "Link a drawing", lambda w: w.room.link_menu(), "", "Draw", "linked",
            "One drawing on all chosen stations, each with its own size, set angle, place and mirror", _needs_drawings, None, "Drawing"),
    Command("own-copy", "Own copy", lambda w: w.room.own_copy(), "", "Draw", "own-copy",
            "Each chosen station its own copy of its drawing", _needs_linked, None, "Drawing"),
    Command("mirror-section", "Mirror the section", lambda w: w.room.mirror_section(), "", "Draw", "mirrored",
            "As drawn, mirrored in its X axis, in its Y axis, and round again", _needs_linked, None, "Drawing"),
    Command("look-at", "Look straight at", lambda w: w.tools.look_at(), "Ctrl+L", "Draw", "eye",
            "Look straight at the chosen station's plane", _needs_one),
    *SHAPING_COMMANDS,
    *SKIN_COMMANDS,
    *STEP_COMMANDS,
    Command("smooth", "Smooth", lambda w: w.tools.set_ruled(False), "", "Shape", "smooth",
            "Sections flow into one another; turn is taken out and put back", needs_design, lambda w: not _ruled(w)),
    Command("ruled", "Straight rulings", lambda w: w.tools.set_ruled(True), "", "Shape", "ruled",
            "Straight lines between stations, for sheet work; a twist starves the waist", needs_design, _ruled),
    Command("new-body", "New body", lambda w: w.tools.new_body(), "Ctrl+Shift+B", "Shape", "",
            "One more body, with two round stations, taken in hand", needs_design, None, "Bodies"),
    Command("copy-body", "Copy the body", lambda w: w.tools.copy_body(), "", "Shape", "",
            "A body with the same stations and rails, taken in hand", needs_design, None, "Bodies"),
    Command("go-on", "Go on from its last end", lambda w: w.tools.extend_body(), "", "Shape", "",
            "A body that begins on the last end of the one in hand, flush with its skin, and is added to it", needs_body, None, "Bodies"),
    Command("next-body", "Next body in hand", lambda w: w.tools.next_body(), "Ctrl+J", "Shape", "",
            "Board, stations and laws are those of the body in hand", _needs_bodies, None, "Bodies"),
    *(_make_command(*words) for words in _MAKES),
    Command("carry-straight", "Carry straight", lambda w: carry_otherwise(w.desk, "straight"), "", "Shape", "",
            "Stations stand along Z", needs_design, lambda w: _carried(w) == "straight", "Carry along"),
    Command("carry-path", "Carry along a path", lambda w: carry_otherwise(w.desk, "path"), "", "Shape", "",
            "Stations stand along the chosen guide, or the first one, by its length", _needs_guide,
            lambda w: _carried(w) == "path", "Carry along"),
    Command("carry-axis", "Turn about an axis", lambda w: carry_otherwise(w.desk, "axis"), "", "Shape", "",
            "Stations stand round the chosen axis, at angles", needs_design, lambda w: _carried(w) == "axis", "Carry along"),
    Command("ring", "Close into a ring", lambda w: w.desk.do("close into a ring", lambda d: bodies.change_loft(d, w.desk.hand, ring=not d.body(w.desk.hand).loft.ring)), "", "Shape", "",
            "The body comes round to its first station: about an axis or along a closed path", _needs_round,
            lambda w: w.desk.body is not None and w.desk.body.loft.ring, "Carry along"),
    Command("rebuild", "Rebuild solid", lambda w: w.desk.rebuild_solid(), "F5", "Shape", "solid",
            "Build the solid again", needs_body),
    Command("cancel", "Cancel rebuild", lambda w: w.desk.engine.cancel(), "Shift+F5", "Shape", "circle-x",
            "Give up the solid under way; bodies already built stay", _needs_building),
    Command("law-area", "Area law", lambda w: w.tools.add_law("area"), "", "Check", "law",
            "Intend the present areas, within a band", needs_body),
    Command("law-angle", "Set angle law", lambda w: w.tools.add_law("set_angle"), "", "Check", "angle",
            "Intend the present set angles, within a band", needs_body),
    Command("law-turn", "Turn law", lambda w: w.tools.add_law("turn"), "", "Check", "turn",
            "Intend the present turn, within a band", needs_body),
    Command("law-rate", "Twist rate law", lambda w: w.tools.add_law("twist_rate"), "", "Check", "rate",
            "Intend the present twist rate, within a band", needs_body),
    Command("law-thickness", "Thickness law", lambda w: w.tools.add_law("thickness"), "", "Check", "thickness",
            "Intend the present thicknesses, within a band", needs_body),
    Command("findings", "Findings", lambda w: w.toggle_findings(), "F8", "Check", "triangle-alert",
            "The list of what is wrong or out of band", needs_design, lambda w: not w.findings.isHidden()),
    Command("worst", "Next finding", lambda w: w.findings.go_to_next(), "Ctrl+F8", "Check", "target",
            "Go to the next finding's place", _needs_findings),
    Command("export-solid", "Solid…", lambda w: w.files.ask_export("solid"), "Ctrl+Shift+E", "Deliver", "download",
            "The finished bodies as STEP or IGES, in millimetres, with names, colours and layers", needs_body),
    Command("export-mesh", "Mesh…", lambda w: w.files.ask_export("mesh"), "", "Deliver", "download",
            "Watertight meshes of the finished bodies: 3MF, STL, OBJ, or glTF to be looked at in a browser", needs_body),
    Command("export-table", "Table of stations…", lambda w: w.files.ask_write_table(), "", "Deliver", "table-2",
            "The stations as CSV, from which a design can be made again", needs_design, None, "Tables"),
    Command("export-check", "Check…", lambda w: w.files.ask_write_check(), "", "Deliver", "report",
            "All figures as JSON", needs_body),
    Command("picture", "Picture…", lambda w: w.files.ask_picture(), "", "Deliver", "camera", "The View as PNG",
            needs_body),
    Command("view-round", "Round view", lambda w: w.view.look_from("round"), "1", "", "rotate-3d", "", needs_body),
    Command("view-side", "Side view", lambda w: w.view.look_from("side"), "2", "", "", "Along X", needs_body),
    Command("view-plan", "Plan view", lambda w: w.view.look_from("plan"), "3", "", "", "From above, along Y",
            needs_body),
    Command("view-front", "Front view", lambda w: w.view.look_from("front"), "4", "", "",
            "Along the body, from its end", needs_body),
    Command("fit", "Fit", lambda w: w.view.fit(), "0", "", "maximize", "All of the body in the View", needs_body),
    Command("look", "Shaded, see-through, lines", lambda w: w.tools.next_look(), "L", "", "",
            "Change how the body is drawn", needs_body),
    Command("hide", "Hide or show the body", lambda w: w.view.show_body(not w.view.body_shown), "H", "", "eye",
            "Sections stay", needs_body),
    Command("bodyplan", "Body plan", lambda w: w.body_plan.setVisible(w.body_plan.isHidden()), "Ctrl+B", "", "",
            "Split the View with the body plan", needs_design, lambda w: not w.body_plan.isHidden()),
    Command("grid", "Station grid", lambda w: w.page.toggle_table(w.grid), "Ctrl+T", "Set out", "grid-3x3",
            "The stations as an editable grid", needs_design, lambda w: not w.grid.isHidden()),
    Command("theme", "Light or dark", lambda w: w.toggle_theme(), "Ctrl+Shift+L", "", "sun-moon", "Vellum or slate"),
    Command("find", "Find an action", lambda w: w.find_action(), "Ctrl+K", "", "search", "Type part of a name"),
    Command("help", "Help", lambda w: w.show_help(), "F1", "", "circle-help", "Help for what is in hand"),
    *DATUM_COMMANDS,
    Command("hide-datums", "Hide or show datums", lambda w: w.view.show_datums(not w.view.datums_shown), "D", "", "hidden",
            "All datums in the View, in one go; the design stays as it is", needs_design, lambda w: not w.view.datums_shown),
    *DRAWING_COMMANDS,
    *GUIDE_COMMANDS,
    *TIE_COMMANDS,
    *CUT_COMMANDS,
    *PAPER_COMMANDS,
    *STUDY_COMMANDS,
    *MADE_COMMANDS,
    UNROLL,
    *CHECK_COMMANDS,
    *GAUGE_COMMANDS,
)
# fmt: on

BY_ID = {command.id: command for command in COMMANDS}
MENUS: dict[str, tuple[str, ...]] = {
    "Design": (
        "new",
        "new-empty",
        "table",
        "open",
        "",
        "save",
        "save-as",
        "",
        "export-solid",
        "export-mesh",
        "export-table",
        "export-check",
        "picture",
        "",
        "start",
        "quit",
    ),
    "Edit": ("undo", "redo", "", "number", "station", "insert", "duplicate", "remove", "", "section", "foil-file"),
    "View": (
        "view-round",
        "view-side",
        "view-plan",
        "view-front",
        "look-at",
        "fit",
        "",
        "look",
        "hide",
        "hide-datums",
        "bodyplan",
        "grid",
        "",
        "findings",
        "worst",
        "theme",
    ),
    "Help": ("help", "find"),
}
