"""The import rules: arrows point down the list of rooms; Qt, VTK and the kernel stay where they belong."""

from __future__ import annotations

import ast
import subprocess
import sys
import unittest
from functools import cache
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "isotomon"
ORDER = (
    *(
        "quantity",
        "geometry",
        "profile",
        "field",
        "measure",
        "operations",
        "design",
        "kernel",
        "evaluate",
        "inspect",
        "author",
        "solids",
        "metrology",
        "paper",
        "studies",
    ),
    *("exchange", "samples", "app"),
)
"""The rooms in the order of the work: each may use those before it."""
NOT = {
    "geometry": {"quantity"},
    "measure": {"profile"},
    "design": {"geometry", "field", "measure"},
    "kernel": {"quantity", "design", "profile", "field", "measure", "operations"},
    "evaluate": {"kernel"},
    "exchange": {"evaluate", "inspect", "author", "solids"},
    "samples": set(ORDER) - {"design", "quantity", "profile", "operations"},
}
"""What a room does without, though it stands before it."""
ALLOWED = {room: set(ORDER[:k]) - NOT.get(room, set()) for k, room in enumerate(ORDER)}
WITHIN_APP = (
    *(
        "theme",
        "shapes",
        "state",
        "viewport",
        "board",
        "api",
        "middle",
        "command",
        "tools",
        "forms",
        "handles",
        "tables",
    ),
    *("drawing", "paper", "study", "made", "shell"),
)
"""The rooms of the window, as above: nothing imports the shell."""
MOST_LINES, LONGEST = 400, 50
"""Of a module, and of a function."""
OUTSIDE = {"PySide6": "app", "vtkmodules": "app/viewport", "vtk": "app/viewport", "OCP": "kernel"}
SLOW = ("ezdxf", "reportlab", "pypdfium2", "trimesh", "distributed")
"""Libraries that the window loads only when they are wanted."""
PLAIN = "isotomon.kernel.protocol"
"""What of the kernel's room others may load: it loads no kernel."""


@cache
def nodes(source: str) -> tuple[ast.Module, list[ast.AST]]:
    """A text as a tree, and all that is in it."""
    tree = ast.parse(source)
    return tree, list(ast.walk(tree))


@cache
def imports(source: str) -> list[str]:
    """Every module a text imports, wherever in it, and those loaded by name."""
    found = []
    for node in nodes(source)[1]:
        if isinstance(node, ast.Import):
            found += [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
            found += [node.module, *(f"{node.module}.{alias.name}" for alias in node.names)]
        elif isinstance(node, ast.Call) and getattr(node.func, "attr", getattr(node.func, "id", "")) in (
            "import_module",
            "__import__",
        ):
            found += [a.value for a in node.args if isinstance(a, ast.Constant) and isinstance(a.value, str)]
    return found


def violations(path: str, source: str) -> list[str]:
    """What a file (named relative to the package) imports against the rules."""
    room = path.split("/")[0] if "/" in path else ""
    wrong = []
    for module in imports(source):
        top, *rest = module.split(".")
        if top in OUTSIDE and not f"{path}/".startswith(f"{OUTSIDE[top]}/"):
            wrong.append(f"{path} imports {module}")
        if top == "isotomon" and rest and room:
            target = rest[0]
            if target in ALLOWED and target != room and target not in ALLOWED[room]:
                wrong.append(f"{path} imports {module}")
            if room == "app" and target == "app" and len(rest) > 1 and "/" in path:
                own = path.split("/")[1].removesuffix(".py")
                if rest[1] in WITHIN_APP and own in WITHIN_APP and WITHIN_APP.index(rest[1]) > WITHIN_APP.index(own):
                    wrong.append(f"{path} imports {module}")
            if target in ("cli", "script"):
                wrong.append(f"{path} imports {module}")
            if module.startswith("isotomon.kernel.") and room != "kernel" and not f"{module}.".startswith(f"{PLAIN}."):
                wrong.append(f"{path} loads the kernel by {module}")
    return wrong


def circles(sources: dict[str, str]) -> list[set[str]]:
    """Groups of modules that import each other in a circle, annotations included; `sources`: module → text."""
    after = {name: {m for m in imports(text) if m in sources} - {name} for name, text in sources.items()}

    def reached(start: str) -> set[str]:
        seen: set[str] = set()
        left = [start]
        while left:
            for module in after[left.pop()] - seen:
                seen.add(module)
                left.append(module)
        return seen

    reach = {name: reached(name) for name in sources}
    groups = ({other for other in reach[name] if name in reach[other]} for name in sources if name in reach[name])
    return [set(group) for group in {frozenset(g) for g in groups}]


def too_long(path: str, source: str) -> list[str]:
    """A module, and functions in it, that are longer than fits in the head."""
    lines = len(source.splitlines())
    functions = [n for n in nodes(source)[1] if isinstance(n, ast.FunctionDef)]
    found = [(f.name, (f.end_lineno or 0) - f.lineno + 1) for f in functions]
    return [f"{path} has {lines} lines"] * (lines > MOST_LINES) + [
        f"{path}: {name} has {count} lines" for name, count in found if count > LONGEST
    ]


def undocumented(path: str, source: str) -> list[str]:
    """Public functions, classes and methods that do not say what they are."""
    named = (ast.FunctionDef, ast.ClassDef)
    top = [n for n in nodes(source)[0].body if isinstance(n, named) and not n.name.startswith("_")]
    inner = [m for n in top if isinstance(n, ast.ClassDef) for m in n.body if isinstance(m, named)]
    return [f"{path}: {n.name}" for n in (*top, *inner) if not n.name.startswith("_") and not ast.get_docstring(n)]


def class_names(sources: dict[str, str]) -> dict[str, list[str]]:
    """Name of a class, but for a leading underscore → where it is declared."""
    places: dict[str, list[str]] = {}
    for path, source in sources.items():
        for node in nodes(source)[1]:
            if isinstance(node, ast.ClassDef):
                places.setdefault(node.name.lstrip("_"), []).append(path)
    return places


class Rooms(unittest.TestCase):
    """The rules hold, and the check can fail."""

    def test_every_import_points_down(self) -> None:
        """No file of the package breaks the rules."""
        wrong = [w for p in sorted(SOURCE.rglob("*.py")) for w in violations(str(p.relative_to(SOURCE)), p.read_text())]
        self.assertEqual(wrong, [])

    def test_no_circles(self) -> None:
        """No modules import each other in a circle, be it for annotations only; one that is planted is found."""
        paths = list(SOURCE.rglob("*.py"))
        names = [".".join(("isotomon", *p.relative_to(SOURCE).with_suffix("").parts)) for p in paths]
        sources = {n.removesuffix(".__init__"): p.read_text() for n, p in zip(names, paths, strict=True)}
        self.assertEqual(circles(sources), [])
        planted = "from typing import TYPE_CHECKING\nif TYPE_CHECKING:\n    from isotomon.field import making\n"
        round_ = circles({**sources, "isotomon.field.carriers": sources["isotomon.field.carriers"] + planted})
        self.assertTrue(any({"isotomon.field.carriers", "isotomon.field.making"} <= group for group in round_))

    def test_modules_and_functions_fit_in_the_head(self) -> None:
        """No module over 400 lines, no function over 50; a longer one of either is found."""
        long = [w for p in sorted(SOURCE.rglob("*.py")) for w in too_long(str(p.relative_to(SOURCE)), p.read_text())]
        self.assertEqual(long, [])
        self.assertEqual(len(too_long("x.py", "x = 1\n" * 401)), 1)
        self.assertEqual(too_long("x.py", "def f():\n" + "    x = 1\n" * 50), ["x.py: f has 51 lines"])

    def test_names_say_what_they_are(self) -> None:
        """Every public name has a docstring, and no class name stands for two things."""
        sources = {str(p.relative_to(SOURCE)): p.read_text() for p in sorted(SOURCE.rglob("*.py"))}
        self.assertEqual([u for path, source in sources.items() for u in undocumented(path, source)], [])
        self.assertEqual(undocumented("x.py", "class A:\n    def f(self):\n        pass\n"), ["x.py: A", "x.py: f"])
        self.assertEqual({n: at for n, at in class_names(sources).items() if len(at) > 1}, {})
        self.assertEqual(class_names({"a.py": "class X: ...", "b.py": "class _X: ..."}), {"X": ["a.py", "b.py"]})

    def test_every_room_of_the_window_has_its_place(self) -> None:
        """No file of the window's lies outside its rooms."""
        rooms = {p.relative_to(SOURCE / "app").parts[0].removesuffix(".py") for p in (SOURCE / "app").rglob("*.py")}
        self.assertEqual(rooms - {"__init__"}, set(WITHIN_APP))

    def test_planted_violations_are_caught(self) -> None:
        """Direct, lazy, by-name and re-exported imports against the rules are all seen."""
        for path, source in (
            ("design/x.py", "from isotomon.field import mesh"),
            ("field/x.py", "def f():\n    import PySide6.QtCore"),
            ("app/x.py", "import vtkmodules.vtkCommonCore"),
            ("evaluate/x.py", "from OCP.gp import gp_Pnt"),
            ("inspect/x.py", "from isotomon.kernel import making"),
            ("geometry/x.py", "import importlib\nimportlib.import_module('isotomon.design.records')"),
            ("profile/x.py", "from isotomon import evaluate"),
            ("quantity/x.py", "import isotomon.script"),
            ("app/tools/x.py", "from isotomon.app.shell.window import Window"),
            ("app/state/x.py", "from isotomon.app.forms import fields"),
        ):
            with self.subTest(source):
                self.assertTrue(violations(path, source))
        self.assertEqual(violations("field/x.py", "from isotomon.geometry import basis"), [])

    def test_the_window_never_loads_the_kernel_and_the_core_never_qt(self) -> None:
        """In fresh processes: the window's modules leave the kernel out, and what is slow to load and wanted late; the script's leave Qt and VTK out."""
        for load, banned in (
            ("import isotomon.app.shell.main", ("OCP", *SLOW)),
            ("import isotomon; isotomon.rebuilt; isotomon.sample", ("PySide6", "vtkmodules", "OCP")),
        ):
            code = f"{load}\nimport sys\nprint([m for m in sys.modules if m.split('.')[0] in {banned!r}])"
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
            self.assertEqual(done.stdout.strip(), "[]")
