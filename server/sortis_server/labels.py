"""Labels as PDF: readable tag, QR code of the tag, what the unit is; alone or on sheets."""

import io
from collections.abc import Mapping, Sequence
from itertools import groupby

import segno
from pydantic import BaseModel
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from sortis_core.labels import LabelRefused, LabelSize

MOST_LABELS = 2000
USUAL_LINES = 5
MOST_LINES = 6


class Label(BaseModel):
    """What stands on one label; six claims are drawn a little smaller than five."""

    tag: str
    model: str
    serial: str
    lines: list[str] = []
    code: str = ""
    """What its code says; empty for the tag."""


def labels_pdf(labels: list[Label], size: LabelSize) -> bytes:
    """All labels in order, as many pages as they take.

    :raises LabelRefused: where there are none or far too many.
    """
    if not labels:
        raise LabelRefused("No unit is chosen. Choose at least one, then print.")
    if len(labels) > MOST_LABELS:
        raise LabelRefused(
            f"{len(labels):,} labels are too many for one print; {MOST_LABELS:,} is the most. "
            "Print them in parts."
        )
    width, height = size.width_mm * mm, size.height_mm * mm
    page = A4 if size.on_sheets else (width, height)
    left = (page[0] - size.columns * width) / 2
    top = page[1] - (page[1] - size.rows * height) / 2
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=page, pageCompression=0, invariant=1)
    canvas.setTitle(f"Label {labels[0].tag}" if len(labels) == 1 else f"{len(labels)} labels")
    a_page = size.columns * size.rows
    for number, label in enumerate(labels):
        if number and number % a_page == 0:
            canvas.showPage()
        place = number % a_page
        x = left + place % size.columns * width
        y = top - (place // size.columns + 1) * height
        _draw(canvas, label, x, y, width, height)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _draw(canvas: Canvas, label: Label, x: float, y: float, width: float, height: float) -> None:
    margin = min(3 * mm, height / 9)
    small = height < 30 * mm
    code = height - 2 * margin - (0 if small else 6 * mm)
    draw_code(canvas, label.code or label.tag, x + margin, y + height - margin, code)
    text = x + margin + code + 2 * mm
    room = x + width - margin - text
    size = 15 if not small else 10
    line = y + height - margin - size * 0.8
    canvas.setFont("Courier-Bold", size)
    canvas.drawString(text, line, _fit(canvas, label.tag, "Courier-Bold", size, room))
    rest = [(label.model, "Helvetica-Bold", 8.0 if not small else 6.0)]
    points = 7.5 if len(label.lines) <= USUAL_LINES else 6.3
    rest += [(words, "Helvetica", points) for words in label.lines[:MOST_LINES] if not small]
    if small:
        rest.append((label.serial, "Helvetica", 5.5))
    for words, font, points in rest:
        line -= points * 1.35
        canvas.setFont(font, points)
        canvas.drawString(text, line, _fit(canvas, words, font, points, room))
    if not small:
        canvas.setFont("Helvetica", 6)
        canvas.drawString(x + margin, y + margin, f"Serial {label.serial}"[:60])


def _fit(canvas: Canvas, words: str, font: str, size: float, room: float) -> str:
    """Words cut to the room beside the code."""
    while words and canvas.stringWidth(words, font, size) > room:
        words = words[:-2].rstrip() + "…" if len(words) > 2 else ""
    return words


def draw_code(canvas: Canvas, text: str, x: float, top: float, size: float) -> None:
    """The QR code of a text, its upper left corner at ``x`` and ``top``, in the fill set."""
    matrix = tuple(segno.make(text, error="m", micro=False).matrix)
    module = size / len(matrix)
    path = canvas.beginPath()
    for row, cells in enumerate(matrix):
        column = 0
        for dark, run in groupby(cells):
            wide = sum(1 for _ in run)
            if dark:
                path.rect(x + column * module, top - (row + 1) * module, wide * module, module)
            column += wide
    canvas.drawPath(path, stroke=0, fill=1)


def code_svg(text: str) -> bytes:
    """The QR code of a text as SVG."""
    out = io.BytesIO()
    segno.make(text, error="m", micro=False).save(out, kind="svg", border=2, scale=4)
    return out.getvalue()


def codes_pdf(title: str, groups: Mapping[str, Sequence[tuple[str, str]]]) -> bytes:
    """A sheet of scan codes.

    :param groups: heading -> (what is in the code, the words below it).
    """
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=A4, pageCompression=0, invariant=1)
    canvas.setTitle(title)
    code, step, left = 17 * mm, 24 * mm, 14 * mm
    y = A4[1] - 16 * mm
    canvas.setFont("Helvetica-Bold", 13)
    canvas.drawString(left, y, title)
    for heading, codes in groups.items():
        if not codes:
            continue
        y -= 10 * mm
        if y < step + 20 * mm:
            canvas.showPage()
            y = A4[1] - 16 * mm
        canvas.setFont("Helvetica-Bold", 10)
        canvas.drawString(left, y, heading)
        x = left
        y -= 3 * mm
        for told, words in codes:
            if x + code > A4[0] - left:
                x, y = left, y - step
                if y < step:
                    canvas.showPage()
                    y = A4[1] - 16 * mm
            draw_code(canvas, told, x, y, code)
            canvas.setFont("Helvetica", 7.5)
            canvas.drawCentredString(
                x + code / 2, y - code - 3 * mm, _fit(canvas, words, "Helvetica", 7.5, step)
            )
            x += step
        y -= code + 5 * mm
    canvas.showPage()
    canvas.save()
    return out.getvalue()
