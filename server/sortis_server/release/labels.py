"""Labels as PDF: readable tag, QR code of the tag, what the unit is."""

import io

import segno
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

WIDTH, HEIGHT = 70 * mm, 36 * mm
MARGIN = 3 * mm
QR_SIZE = 24 * mm


def label_pdf(tag: str, model: str, serial: str, lines: list[str]) -> bytes:
    """One label of 70 by 36 mm.

    :param lines: what the label claims, at most five lines.
    """
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(WIDTH, HEIGHT), pageCompression=0, invariant=1)
    canvas.setTitle(f"Label {tag}")
    _qr(canvas, tag)
    left = MARGIN + QR_SIZE + 2 * mm
    canvas.setFont("Courier-Bold", 15)
    canvas.drawString(left, HEIGHT - MARGIN - 4.2 * mm, tag)
    canvas.setFont("Helvetica-Bold", 8)
    canvas.drawString(left, HEIGHT - MARGIN - 8.4 * mm, _fit(canvas, model, 8))
    canvas.setFont("Helvetica", 7.5)
    for number, line in enumerate(lines[:5]):
        canvas.drawString(
            left, HEIGHT - MARGIN - (12.4 + 3.5 * number) * mm, _fit(canvas, line, 7.5)
        )
    canvas.setFont("Helvetica", 6)
    canvas.drawString(MARGIN, MARGIN, f"Serial {serial}"[:60])
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _fit(canvas: Canvas, words: str, size: float) -> str:
    """Words cut to the room beside the code."""
    room = WIDTH - 2 * MARGIN - QR_SIZE - 2 * mm
    font = "Helvetica-Bold" if size == 8 else "Helvetica"
    while canvas.stringWidth(words, font, size) > room:
        words = words[:-2].rstrip() + "…"
    return words


def _qr(canvas: Canvas, tag: str) -> None:
    matrix = tuple(segno.make(tag, error="m", micro=False).matrix)
    module = QR_SIZE / len(matrix)
    top = HEIGHT - MARGIN
    for row, cells in enumerate(matrix):
        for column, dark in enumerate(cells):
            if dark:
                canvas.rect(
                    MARGIN + column * module,
                    top - (row + 1) * module,
                    module,
                    module,
                    stroke=0,
                    fill=1,
                )


def code_svg(tag: str) -> bytes:
    """The QR code of a tag as SVG."""
    out = io.BytesIO()
    segno.make(tag, error="m", micro=False).save(out, kind="svg", border=2, scale=4)
    return out.getvalue()
