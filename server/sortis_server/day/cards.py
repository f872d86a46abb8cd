"""Job cards as PDF: one page an order, for a bench without a screen."""

import io
import itertools

import segno
from reportlab.lib import colors
from reportlab.lib.pagesizes import A5
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    KeepTogether,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
    Table,
)

from sortis_core.cautions import Caution
from sortis_core.route.graph import Depth, Tool
from sortis_core.route.work import WorkOrder, WorkStep
from sortis_server.fit.views import WorkView

INK = colors.HexColor("#1C2B33")
QUIET = colors.HexColor("#56646B")
FIT = colors.HexColor("#C4561B")
HAZARD = colors.HexColor("#A3123F")
TEXT = ParagraphStyle("text", fontName="Helvetica", fontSize=8.5, leading=11, textColor=INK)
BOLD = ParagraphStyle("bold", parent=TEXT, fontName="Helvetica-Bold", fontSize=9.5, leading=12)
TITLE = ParagraphStyle("title", parent=BOLD, fontSize=15, leading=18)
SMALL = ParagraphStyle("small", parent=TEXT, fontSize=7.5, leading=9.5, textColor=QUIET)
WARN = ParagraphStyle("warn", parent=TEXT, fontName="Helvetica-Oblique", fontSize=8, leading=10)
DANGER = ParagraphStyle("danger", parent=WARN, textColor=HAZARD)
MARGIN = 10 * mm


class _Code(Flowable):
    """The tag as a QR code, which jumps to the order when scanned."""

    def __init__(self, tag: str, side: float) -> None:
        super().__init__()
        self._matrix = segno.make(tag, error="m").matrix
        self.width = self.height = side

    def draw(self) -> None:
        dot = self.width / len(self._matrix)
        self.canv.setFillColor(INK)
        for y, row in enumerate(self._matrix):
            for x, dark in enumerate(row):
                if dark:
                    at = self.height - (y + 1) * dot
                    self.canv.rect(x * dot, at, dot, dot, stroke=0, fill=1)


class _Box(Flowable):
    """A box to tick."""

    def __init__(self) -> None:
        super().__init__()
        self.width = self.height = 3 * mm

    def draw(self) -> None:
        self.canv.setStrokeColor(INK)
        self.canv.setLineWidth(0.8)
        self.canv.rect(0, 0, self.width, self.height, stroke=1, fill=0)


class _Dive(Flowable):
    """The order as depth against steps, like on the screen."""

    def __init__(self, work: WorkOrder, width: float) -> None:
        super().__init__()
        self.width, self.height = width, 22 * mm
        self._steps = work.steps

    def draw(self) -> None:
        depths = list(Depth)
        line = self.height / len(depths)
        gap = (self.width - 22 * mm) / max(1, len(self._steps) - 1)
        self.canv.setFont("Helvetica", 6.5)
        for number, depth in enumerate(depths):
            y = self.height - (number + 0.5) * line
            self.canv.setFillColor(QUIET)
            self.canv.drawString(0, y - 2, str(depth))
            self.canv.setStrokeColor(colors.HexColor("#D8D0C0"))
            self.canv.line(15 * mm, y, self.width, y)
        points = [
            (18 * mm + n * gap, self.height - (depths.index(step.depth) + 0.5) * line)
            for n, step in enumerate(self._steps)
        ]
        self.canv.setStrokeColor(INK)
        for (x, y), (to_x, to_y) in itertools.pairwise(points):
            self.canv.line(x, y, to_x, to_y)
        for (x, y), step in zip(points, self._steps, strict=True):
            self.canv.setStrokeColor(FIT if step.actions else INK)
            self.canv.setFillColor(colors.white if step.actions else INK)
            self.canv.circle(x, y, 2.2, stroke=1, fill=1)


def cards_pdf(views: list[WorkView]) -> bytes:
    """One card an order, in the order given."""
    out = io.BytesIO()
    page = BaseDocTemplate(
        out,
        pagesize=A5,
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN,
        title="Job cards",
    )
    frame = Frame(MARGIN, MARGIN, page.width, page.height, 0, 0, 0, 0)
    page.addPageTemplates([PageTemplate(frames=[frame])])
    story: list[Flowable] = []
    for view in views:
        story += [*_card(view, page.width), PageBreak()]
    page.build(story or [Paragraph("No order stands in these days.", TEXT)])
    return out.getvalue()


def _card(view: WorkView, width: float) -> list[Flowable]:
    work = view.work
    purpose = "donor: taken apart" if work.donor else f"fit to {view.standard}"
    head = [
        Paragraph(view.tag, TITLE),
        Paragraph(f"{view.model}, {purpose}", BOLD),
        Paragraph(
            f"{view.estimate.low:.0f} to {view.estimate.high:.0f} min · {len(work.steps)} steps · "
            f"{', '.join([*work.tools, *work.lay_ready])}",
            SMALL,
        ),
    ]
    top = Table([[head, _Code(view.tag, 18 * mm)]], colWidths=[width - 20 * mm, 20 * mm])
    top.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
    story: list[Flowable] = [top, _Dive(work, width), Spacer(0, 2 * mm)]
    if view.fetch:
        rows = [
            [
                _Box(),
                Paragraph(f"<b>{part.label}</b> for {part.for_place}", TEXT),
                Paragraph(f"{part.where} {part.lot}", TEXT),
            ]
            for part in view.fetch
        ]
        story += [_ruled(rows, [6 * mm, width - 46 * mm, 40 * mm]), Spacer(0, 2 * mm)]
    story += [KeepTogether(_step(step, width)) for step in work.steps]
    if view.remains:
        left = ", ".join(f"{one.stream} {one.weight.words}" for one in view.remains)
        story.append(Paragraph(f"The rest, about: {left}.", SMALL))
    return story


def _step(step: WorkStep, width: float) -> list[Flowable]:
    words: list[Flowable] = [
        Paragraph(caution.words, DANGER if caution.key is Caution.LITHIUM else WARN)
        for caution in step.cautions
    ]
    words.append(Paragraph(f"<b>{step.number}. {step.title}</b> {step.how}", TEXT))
    screws = "; ".join(
        f"{s.count} × {s.length_mm:g} mm {s.drive}{', captive' if s.captive else ''} {s.where}"
        for s in step.screws
    )
    wells = f" · well {', '.join(map(str, step.wells))}" if step.wells else ""
    if screws or step.tool != Tool.HAND:
        tool = Tool.HAND.label if step.tool == Tool.HAND else step.tool
        words.append(Paragraph(f"{tool}{' · ' + screws if screws else ''}{wells}", SMALL))
    words += [Paragraph(words_, WARN) for words_ in step.breaks]
    return [_ruled([[_Box(), words]], [6 * mm, width - 6 * mm])]


def _ruled(rows: list[list[object]], widths: list[float]) -> Table:
    table = Table(rows, colWidths=widths)
    table.setStyle(
        [
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ("TOPPADDING", (0, 0), (-1, -1), 1.5),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
            ("LINEBELOW", (0, 0), (-1, -1), 0.3, colors.HexColor("#D8D0C0")),
        ]
    )
    return table
