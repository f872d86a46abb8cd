"""Sizes of labels: the usual ones, and the workshop's own (docs/rules.md, Workshop)."""

from collections.abc import Sequence

from pydantic import Field, model_validator

from sortis_core.base import Record, SortisError

A4_MM = (210.0, 297.0)
USUAL_LABEL = "roll-70x36"
USUAL_SHEET = "sheet-24"


class LabelRefused(SortisError):
    """The labels cannot be made as asked."""

    title = "No labels were made"


class LabelSize(Record):
    """A size of label; with columns and rows it is a sheet of A4."""

    key: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")
    name: str = Field(min_length=1, max_length=60)
    width_mm: float = Field(ge=20, le=210)
    height_mm: float = Field(ge=10, le=297)
    columns: int = Field(default=1, ge=1, le=10)
    rows: int = Field(default=1, ge=1, le=29)

    @property
    def on_sheets(self) -> bool:
        """Whether several stand on a page of A4."""
        return self.columns * self.rows > 1

    @model_validator(mode="after")
    def _on_the_page(self) -> "LabelSize":
        wide, high = self.columns * self.width_mm, self.rows * self.height_mm
        if self.on_sheets and (wide > A4_MM[0] or high > A4_MM[1]):
            raise ValueError(
                f"{self.name}: {self.columns} × {self.rows} labels take {wide:g} × {high:g} mm, "
                "more than a page of A4 (210 × 297 mm). Fewer columns or rows, or a smaller label."
            )
        return self


USUAL_SIZES = (
    LabelSize(key=USUAL_LABEL, name="roll, 70 × 36 mm", width_mm=70, height_mm=36),
    LabelSize(key="roll-50x25", name="roll, 50 × 25 mm", width_mm=50, height_mm=25),
    LabelSize(
        key=USUAL_SHEET, name="A4, 24 of 70 × 36 mm", width_mm=70, height_mm=36, columns=3, rows=8
    ),
    LabelSize(
        key="sheet-14", name="A4, 14 of 99 × 38 mm", width_mm=99, height_mm=38, columns=2, rows=7
    ),
    LabelSize(
        key="sheet-65", name="A4, 65 of 38 × 21 mm", width_mm=38, height_mm=21, columns=5, rows=13
    ),
)


def size_called(key: str, sizes: Sequence[LabelSize]) -> LabelSize:
    """The size of this key.

    :raises LabelRefused: naming the sizes there are.
    """
    for size in sizes:
        if size.key == key:
            return size
    raise LabelRefused(
        f"There is no label size {key}. There are {', '.join(size.key for size in sizes)}."
    )
