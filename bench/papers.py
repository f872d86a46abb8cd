"""What papers cost: 500 labels and 500 spec sheets, against the plain drawing of the same text."""

import io

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from bench.report import Report, seconds
from demo.generator import demo_sheets, demo_standards, make_case
from sortis_core.labels import USUAL_LABEL, USUAL_SIZES, size_called
from sortis_core.papers import Paper, ReleasedUnit, spec_sheet
from sortis_core.policy import Policy
from sortis_core.release import label_lines

COUNT = 500
LINE_MM = 5
ADDRESS = "https://shop.example/p/0123456789abcdef"


def released() -> list[ReleasedUnit]:
    """Generated units as if each had been released."""
    sheets = {sheet.key: sheet for sheet in demo_sheets()}
    standard = demo_standards()[0]
    return [
        ReleasedUnit(
            tag=unit.tag,
            serial=f"SN{number:06d}",
            sheet=sheets[unit.findings.sheet],
            findings=unit.findings,
            standard=standard,
            policy=Policy(),
            gates=(),
            released_on="2026-11-20",
            released_by="nobody",
        )
        for number, unit in enumerate(make_case(5, COUNT).units)
    ]


def plain(pages: list[list[str]]) -> bytes:
    """The same lines, one page each, with nothing else."""
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=A4)
    for lines in pages:
        for number, line in enumerate(lines, start=1):
            canvas.drawString(20 * mm, A4[1] - number * LINE_MM * mm, line)
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def lines_of(paper: Paper) -> list[str]:
    """What stands on a paper, line by line."""
    return paper.words.splitlines()


def main() -> None:
    """Print every target."""
    # Behind the application's settings: what draws papers reads none of the database.
    from sortis_server.labels import Label, labels_pdf
    from sortis_server.papers.pdf import papers_pdf

    report = Report()
    units = released()
    labels = [
        Label(
            tag=unit.tag,
            model=unit.sheet.name,
            serial=unit.serial,
            lines=list(label_lines(unit.sheet, unit.findings, unit.standard, unit.policy)),
        )
        for unit in units
    ]
    size = size_called(USUAL_LABEL, USUAL_SIZES)
    drawn = seconds(lambda: labels_pdf(labels, size))
    bare = seconds(lambda: plain([[one.tag, one.model, *one.lines] for one in labels]))
    report.at_most(f"{COUNT} labels with their codes, against their plain text", drawn / bare, 40)
    papers = [spec_sheet(unit, "Workshop") for unit in units]
    drawn = seconds(lambda: papers_pdf([(paper, ADDRESS) for paper in papers]))
    bare = seconds(lambda: plain([lines_of(paper) for paper in papers]))
    report.at_most(f"{COUNT} spec sheets, against their plain text", drawn / bare, 40)
    report.shown(f"{COUNT} spec sheets, seconds a sheet", f"{drawn / COUNT:.4f}")
    report.end()


if __name__ == "__main__":
    main()
