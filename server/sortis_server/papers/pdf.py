"""Draw a paper as PDF: fonts embedded, text that can be copied and read aloud in its order.

What is drawn marks itself as heading, paragraph or figure; the rest of a page is its furniture.
"""

import io
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from xml.sax.saxutils import escape

import reportlab
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    Flowable,
    PageBreak,
    Paragraph,
    SimpleDocTemplate,
    Spacer,
    Table,
)

from sortis_core.papers import Paper
from sortis_server.labels import draw_code
from sortis_server.papers.archival import Tag, archival

INK, QUIET, RULE, VOID = (HexColor(one) for one in ("#1C2B33", "#56646B", "#D8D0C0", "#A3123F"))
FONTS = Path(reportlab.__file__).parent / "fonts"
MARGIN = 18 * mm
LABEL_WIDTH = 52 * mm
CODE_MM = 24
PADDING = 6
"""Of the frame that paragraphs stand in, in points."""

for name, file in (("Paper", "Vera.ttf"), ("Paper-Bold", "VeraBd.ttf")):
    pdfmetrics.registerFont(TTFont(name, str(FONTS / file)))

TITLE = ParagraphStyle("title", fontName="Paper-Bold", fontSize=19, leading=23, textColor=INK)
SUBTITLE = ParagraphStyle("subtitle", fontName="Paper", fontSize=10, leading=14, textColor=QUIET)
HEADING = ParagraphStyle(
    "heading", fontName="Paper-Bold", fontSize=11, leading=14, textColor=INK, spaceBefore=12
)
LABEL = ParagraphStyle("label", fontName="Paper", fontSize=9, leading=12, textColor=QUIET)
TEXT = ParagraphStyle("text", fontName="Paper", fontSize=9, leading=12, textColor=INK)


def papers_pdf(papers: list[tuple[Paper, str]]) -> bytes:
    """Papers one after another, each from a page of its own.

    :param papers: each with what its code leads to; empty for none.
    """
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out,
        pagesize=A4,
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN,
        title=papers[0][0].title if len(papers) == 1 else f"{len(papers)} papers",
        subject=papers[0][0].subtitle,
        lang="en",
        invariant=1,
    )
    story: list[Flowable] = []
    for number, (paper, address) in enumerate(papers):
        if number:
            story.append(PageBreak())
        story += _drawn(paper, address)
    void = any(paper.void for paper, _ in papers)
    tags: list[Tag] = []

    class Marked(_MarkingCanvas):
        said = tags

    document.build(story, onFirstPage=_page(void), onLaterPages=_page(void), canvasmaker=Marked)
    return archival(out.getvalue(), tags)


class _MarkingCanvas(Canvas):
    """A canvas that writes down what is said on it, in the order in which it is drawn."""

    said: list[Tag]

    @contextmanager
    def saying(self, role: str, words: str = "") -> Iterator[None]:
        """Mark what is drawn meanwhile."""
        page = self.getPageNumber() - 1
        number = self.said[-1].number + 1 if self.said and self.said[-1].page == page else 0
        self.said.append(Tag(page, number, role, words))
        self.addLiteral(f"/{role} <</MCID {number}>> BDC")
        yield
        self.addLiteral("EMC")


class _Said(Paragraph):
    """A paragraph that marks itself; what is split over pages is marked on each."""

    role = "P"

    def draw(self) -> None:
        with self.canv.saying(self.role):
            super().draw()


class _Title(_Said):
    role = "H1"


class _Heading(_Said):
    role = "H2"


def _page(void: bool):
    def mark(canvas: Canvas, document: SimpleDocTemplate) -> None:
        canvas.addLiteral("/Artifact BMC")
        canvas.saveState()
        canvas.setFont("Paper", 8)
        canvas.setFillColor(QUIET)
        canvas.drawRightString(A4[0] - MARGIN, 10 * mm, f"{document.page}")
        if void:
            canvas.setFillColor(VOID)
            canvas.setFont("Paper-Bold", 90)
            canvas.setFillAlpha(0.14)
            canvas.translate(A4[0] / 2, A4[1] / 2)
            canvas.rotate(35)
            canvas.drawCentredString(0, 0, "VOID")
        canvas.restoreState()
        canvas.addLiteral("EMC")

    return mark


def _drawn(paper: Paper, address: str) -> list[Flowable]:
    head: list[Flowable] = [
        _Title(escape(paper.title), TITLE),
        _Said(escape(paper.subtitle), SUBTITLE),
    ]
    width = A4[0] - 2 * MARGIN - 2 * PADDING
    story: list[Flowable] = head
    if address:
        code = CODE_MM * mm
        story = [Table([[head, _Code(address)]], colWidths=[width - code, code], style=TOP)]
    for part in paper.parts:
        story.append(_Heading(escape(part.heading), HEADING))
        rows = [
            [_Said(escape(line.label), LABEL), _Said(escape(line.text), TEXT)]
            for line in part.lines
        ]
        story.append(
            Table(rows, colWidths=[LABEL_WIDTH, width - LABEL_WIDTH], style=LINES, repeatRows=0)
        )
    story += [Spacer(1, 8 * mm), _Said(escape(paper.foot), SUBTITLE)]
    story += [_Said(escape(line), SUBTITLE) for line in paper.address.splitlines()]
    return story


TOP = [("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)]
LINES = [
    ("VALIGN", (0, 0), (-1, -1), "TOP"),
    ("LEFTPADDING", (0, 0), (0, -1), 0),
    ("LINEABOVE", (0, 0), (-1, -1), 0.5, RULE),
    ("TOPPADDING", (0, 0), (-1, -1), 3),
    ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
]


class _Code(Flowable):
    """The code of an address, dark cells of a row drawn as one."""

    def __init__(self, address: str) -> None:
        super().__init__()
        self.address = address
        self.width = self.height = CODE_MM * mm

    def draw(self) -> None:
        with self.canv.saying("Figure", f"Code of {self.address}"):
            self.canv.setFillColor(INK)
            draw_code(self.canv, self.address, 0, self.height, self.width)
