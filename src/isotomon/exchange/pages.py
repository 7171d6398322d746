"""Pages written as files: PDF (all pages in one), PNG, SVG and DXF (a file a page)."""

from __future__ import annotations

import io
import math
import threading
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np

from isotomon.design.disk import write_atomically
from isotomon.errors import FileError
from isotomon.paper.page import FACES, FONTS, INK, PENS, Bezier, Page, Picture, Stroke, Text
from isotomon.version import VERSION

POINTS = 72.0 / 25.4
"""Of a PDF in a mm."""
LETTERS = {False: "Lato", True: "Lato Bold"}
PNG_DPI = 200.0
ENDINGS = (".pdf", ".svg", ".dxf", ".png")


def write_pages(pages: Sequence[Page], path: Path) -> list[Path]:
    """Write pages by a file's ending; of forms that hold one page only, a numbered file for each. Returns what was written.

    Raises: FileError.
    """
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise FileError(f"'{path.name}' has no ending of a sheet; name it {', '.join(ENDINGS)}")
    if not pages:
        raise FileError("there is nothing on any sheet; choose what is to be drawn")
    if ending == ".pdf":
        write_atomically(path, pdf_of(pages))
        return [path]
    made = {".svg": svg_of, ".dxf": dxf_of, ".png": png_of}[ending]
    names = [path] if len(pages) == 1 else [path.with_stem(f"{path.stem}-{k}") for k in range(1, len(pages) + 1)]
    for page, name in zip(pages, names, strict=True):
        write_atomically(name, made(page))
    return names


# PDF and PNG


def pdf_of(pages: Sequence[Page]) -> bytes:
    """One PDF of all pages."""
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont
    from reportlab.pdfgen.canvas import Canvas

    for bold, name in LETTERS.items():
        if name not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(TTFont(name, str(FONTS / FACES[bold])))
    data = io.BytesIO()
    canvas = Canvas(data, pageCompression=1, invariant=1)
    canvas.setCreator(f"Isotomon {VERSION}")
    canvas.setTitle(pages[0].title)
    for page in pages:
        canvas.setPageSize((page.width * POINTS, page.height * POINTS))
        canvas.bookmarkPage(page.title)
        canvas.addOutlineEntry(page.title, page.title)
        canvas.scale(POINTS, POINTS)
        canvas.setLineCap(1)
        canvas.setLineJoin(1)
        for item in page.items:
            _on_canvas(canvas, item)
        canvas.showPage()
    canvas.save()
    return data.getvalue()


def _on_canvas(canvas: Any, item: Stroke | Bezier | Text | Picture) -> None:
    if isinstance(item, Text):
        canvas.saveState()
        canvas.translate(item.x, item.y)
        canvas.rotate(math.degrees(item.turn))
        canvas.setFont(LETTERS[item.bold], item.size)
        canvas.setFillColor(INK)
        draw = {"left": canvas.drawString, "middle": canvas.drawCentredString, "right": canvas.drawRightString}
        draw[item.align](0.0, 0.0, item.words)
        canvas.restoreState()
    elif isinstance(item, Picture):
        from reportlab.lib.utils import ImageReader

        canvas.drawImage(ImageReader(io.BytesIO(item.png)), item.x, item.y, item.width, item.height)
    else:
        pen, path, points = PENS[item.role], canvas.beginPath(), item.points.tolist()
        path.moveTo(*points[0])
        if isinstance(item, Bezier):
            for k in range(1, len(points), 3):
                path.curveTo(*points[k], *points[k + 1], *points[k + 2])
        else:
            for point in points[1:]:
                path.lineTo(*point)
        if item.closed:
            path.close()
        filled = isinstance(item, Stroke) and item.filled
        canvas.setLineWidth(pen.width)
        canvas.setDash(list(pen.dashes), 0)
        canvas.setStrokeColor(pen.colour)
        canvas.setFillColor(pen.colour)
        canvas.drawPath(path, stroke=int(not filled), fill=int(filled))


_DRAWING = threading.Lock()
"""The library that draws PDF may be used by one thread at a time."""


def png_of(page: Page, dpi: float = PNG_DPI) -> bytes:
    """A page as a picture: its PDF, drawn."""
    import pypdfium2

    written = pdf_of([page])
    with _DRAWING:
        document = pypdfium2.PdfDocument(written)
        try:
            image = document[0].render(scale=dpi / 72.0).to_pil()
        finally:
            document.close()
    data = io.BytesIO()
    image.save(data, "PNG", dpi=(dpi, dpi))
    return data.getvalue()


# SVG


def svg_of(page: Page) -> bytes:
    """A page as SVG, in mm."""
    import base64

    root = ElementTree.Element(
        "svg",
        xmlns="http://www.w3.org/2000/svg",
        width=f"{page.width:g}mm",
        height=f"{page.height:g}mm",
        viewBox=f"0 0 {page.width:g} {page.height:g}",
    )
    ElementTree.SubElement(root, "title").text = page.title
    for item in page.items:
        if isinstance(item, Text):
            own = {"x": _n(item.x), "y": _n(page.height - item.y), "font-size": _n(item.size), "fill": INK}
            own |= {"font-family": "Lato, sans-serif", "text-anchor": ANCHORS[item.align]}
            own |= {"font-weight": "bold"} if item.bold else {}
            if item.turn:
                own["transform"] = f"rotate({_n(-math.degrees(item.turn))} {own['x']} {own['y']})"
            ElementTree.SubElement(root, "text", own).text = item.words
        elif isinstance(item, Picture):
            own = {"x": _n(item.x), "y": _n(page.height - item.y - item.height), "width": _n(item.width)}
            own |= {"height": _n(item.height), "href": f"data:image/png;base64,{base64.b64encode(item.png).decode()}"}
            ElementTree.SubElement(root, "image", own)
        else:
            ElementTree.SubElement(root, "path", _svg_path(item, page.height))
    return ElementTree.tostring(root, encoding="utf-8", xml_declaration=True)


ANCHORS = {"left": "start", "middle": "middle", "right": "end"}


def _n(value: float) -> str:
    return f"{value:.4f}".rstrip("0").rstrip(".")


def _svg_path(item: Stroke | Bezier, height: float) -> dict[str, str]:
    flipped = np.stack([item.points[:, 0], height - item.points[:, 1]], axis=1)
    told = [f"{_n(x)} {_n(y)}" for x, y in flipped.tolist()]
    way = "C" if isinstance(item, Bezier) else "L"
    path = f"M{told[0]}{way}{' '.join(told[1:])}{'Z' if item.closed else ''}"
    pen = PENS[item.role]
    if isinstance(item, Stroke) and item.filled:
        return {"d": path, "fill": pen.colour, "class": item.role}
    own = {"d": path, "fill": "none", "stroke": pen.colour, "stroke-width": _n(pen.width), "class": item.role}
    own |= {"stroke-linecap": "round", "stroke-linejoin": "round"}
    return own | ({"stroke-dasharray": " ".join(map(_n, pen.dashes))} if pen.dashes else {})


# DXF


def dxf_of(page: Page) -> bytes:
    """A page as DXF in mm, a layer for each role; pictures and fillings are left out."""
    import ezdxf
    from ezdxf.enums import TextEntityAlignment

    document = ezdxf.new("R2010", setup=True)
    document.units = 4
    document.header["$INSUNITS"] = 4
    space = document.modelspace()
    for role in {item.role for item in page.items if isinstance(item, Stroke | Bezier)}:
        pen = PENS[role]
        document.layers.add(role, true_color=int(pen.colour[1:], 16), lineweight=_weight(pen.width))
    document.layers.add("text", true_color=int(INK[1:], 16))
    aligned = {
        "left": TextEntityAlignment.LEFT,
        "middle": TextEntityAlignment.CENTER,
        "right": TextEntityAlignment.RIGHT,
    }
    for item in page.items:
        if isinstance(item, Text):
            own = {"layer": "text", "height": item.size * CAPITALS, "rotation": math.degrees(item.turn)}
            space.add_text(item.words, dxfattribs=own).set_placement((item.x, item.y), align=aligned[item.align])
        elif isinstance(item, Bezier):
            count = (len(item.points) - 1) // 3
            knots = np.r_[0.0, np.repeat(np.arange(count + 1.0), 3), float(count)]
            spline = space.add_spline(degree=3, dxfattribs={"layer": item.role})
            spline.control_points = np.column_stack([item.points, np.zeros(len(item.points))])
            spline.knots = knots
        elif isinstance(item, Stroke) and not item.filled:
            space.add_lwpolyline(item.points.tolist(), close=item.closed, dxfattribs={"layer": item.role})
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


CAPITALS = 0.72
"""Of the size of letters that DXF counts by: the height of capitals."""


def _weight(width: float) -> int:
    """The nearest of the line weights that DXF has, in hundredths of a mm."""
    known = np.array([5, 9, 13, 15, 18, 20, 25, 30, 35, 40, 50, 53, 60, 70, 80, 90, 100])
    return int(known[np.abs(known - 100.0 * width).argmin()])
