"""Make a drawn paper one that can be kept: PDF/A-2u, with what is read aloud in its order.

The drawing marks each thing that it says; here these marks become a tree of headings, paragraphs
and figures, beside what an archive asks for: the meaning of colours, and who says so in the file.
"""

import io
from collections.abc import Sequence
from functools import cache
from typing import NamedTuple

import pikepdf
from pikepdf import Array, Dictionary, Name, Pdf, String
from PIL import ImageCms

PART, CONFORMANCE = "2", "U"
LANGUAGE = "en"


class Tag(NamedTuple):
    """One marked thing of a page, in the order in which it is read."""

    page: int
    """From 0."""
    number: int
    """Of the mark within its page, from 0."""
    role: str
    """Of the standard structure types: ``H1``, ``P``, ``Figure``."""
    words: str = ""
    """What stands for a figure."""


@cache
def _colours() -> bytes:
    """The profile that says what red, green and blue mean."""
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def archival(drawn: bytes, tags: Sequence[Tag]) -> bytes:
    """The same pages with structure, language, colours and the archive's own mark.

    :param drawn: pages whose content is marked as ``tags`` say.
    """
    with Pdf.open(io.BytesIO(drawn)) as pdf:
        profile = pdf.make_stream(_colours())
        profile.N = 3
        pdf.Root.OutputIntents = Array(
            [
                Dictionary(
                    Type=Name.OutputIntent,
                    S=Name.GTS_PDFA1,
                    OutputConditionIdentifier=String("sRGB"),
                    Info=String("sRGB"),
                    DestOutputProfile=profile,
                )
            ]
        )
        pdf.Root.Lang = String(LANGUAGE)
        pdf.Root.MarkInfo = Dictionary(Marked=True)
        pdf.Root.ViewerPreferences = Dictionary(DisplayDocTitle=True)
        _tree(pdf, tags)
        if "/Trapped" in pdf.docinfo:
            # Of printing plates, which have no word in the archive's own account of the file.
            del pdf.docinfo["/Trapped"]
        with pdf.open_metadata(set_pikepdf_as_editor=False) as told:
            told.load_from_docinfo(pdf.docinfo)
            told["dc:language"] = [LANGUAGE]
            told["pdfaid:part"], told["pdfaid:conformance"] = PART, CONFORMANCE
        out = io.BytesIO()
        pdf.save(out, deterministic_id=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)
        return out.getvalue()


def _tree(pdf: Pdf, tags: Sequence[Tag]) -> None:
    """Everything that is marked, under one document, and for each page whose mark is which."""
    root = pdf.make_indirect(Dictionary(Type=Name.StructTreeRoot))
    document = pdf.make_indirect(Dictionary(Type=Name.StructElem, S=Name.Document, P=root))
    by_page: dict[int, list[pikepdf.Object]] = {}
    said: list[pikepdf.Object] = []
    for tag in tags:
        one = Dictionary(
            Type=Name.StructElem,
            S=Name(f"/{tag.role}"),
            P=document,
            Pg=pdf.pages[tag.page].obj,
            K=tag.number,
        )
        if tag.words:
            one.Alt = String(tag.words)
        element = pdf.make_indirect(one)
        by_page.setdefault(tag.page, []).append(element)
        said.append(element)
    document.K = Array(said)
    root.K = document
    numbers: list[object] = []
    for page, elements in sorted(by_page.items()):
        pdf.pages[page].obj.StructParents = page
        pdf.pages[page].obj.Tabs = Name.S
        numbers += [page, pdf.make_indirect(Array(elements))]
    root.ParentTree = pdf.make_indirect(Dictionary(Nums=Array(numbers)))
    root.ParentTreeNextKey = len(pdf.pages)
    pdf.Root.StructTreeRoot = root
