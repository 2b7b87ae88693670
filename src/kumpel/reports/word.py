"""A document for a word processor (Office Open XML): styled, its tables as tables, every picture with its words."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from typing import Any

import docx
from docx.document import Document as Docx
from docx.enum.section import WD_ORIENT
from docx.enum.table import WD_TABLE_ALIGNMENT
from docx.enum.text import WD_ALIGN_PARAGRAPH, WD_BREAK
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Mm, Pt, RGBColor
from docx.table import Table, _Cell, _Row
from docx.text.paragraph import Paragraph

from kumpel.reports import marks
from kumpel.reports.document import (
    Document,
    Facts,
    Figures,
    ListPart,
    Part,
    Picture,
    Signature,
    TablePart,
    TextPart,
    WriteIn,
)
from kumpel.reports.raster import png

MEDIA_TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml.document"
FONT, INK, SOFT, RULE = "Calibri", RGBColor(0x1D, 0x2B, 0x33), RGBColor(0x55, 0x62, 0x6A), "DDD8CC"
MARGIN_MM, WIDTH_MM = 17, {"a4": 176, "a5": 124}
PAPER_MM = {"a4": (210, 297), "a5": (148, 210)}
LONGEST, PADDING, MANY = 44, 3, 6
"""Letters of a cell that count for its width, room beside them; from more columns on the letters are smaller."""
RIGHT, LEFT = WD_ALIGN_PARAGRAPH.RIGHT, WD_ALIGN_PARAGRAPH.LEFT


def word(document: Document) -> bytes:
    """The document as .docx bytes."""
    made = docx.Document()
    _styles(made)
    _page(made, document)
    _head(made, document)
    width = Mm(WIDTH_MM[document.paper])
    parts = list(document.parts)
    while parts:
        part = parts.pop(0)
        if isinstance(part, Picture) and part.size == "half" and parts and _is_half(parts[0]):
            _side_by_side(made, part, parts.pop(0), width)
            continue
        _part(made, part, width)
    made.core_properties.title = f"{document.title}, {document.subtitle}"
    made.core_properties.author = "Kumpel"
    made.core_properties.language = "en"
    made.core_properties.comments = ""
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def _is_half(part: Part) -> bool:
    return isinstance(part, Picture) and part.size == "half"


def _styles(made: Docx) -> None:
    for name, size, bold in (("Normal", 10, False), ("Title", 20, True), ("Heading 1", 12.5, True)):
        style: Any = made.styles[name]
        style.font.name, style.font.size, style.font.bold, style.font.color.rgb = FONT, Pt(size), bold, INK
        fonts = style.element.get_or_add_rPr().get_or_add_rFonts()
        for kind in ("w:ascii", "w:hAnsi", "w:cs", "w:eastAsia"):
            fonts.set(qn(kind), FONT)
        for theme in ("w:asciiTheme", "w:hAnsiTheme", "w:cstheme", "w:eastAsiaTheme"):
            fonts.attrib.pop(qn(theme), None)
    normal: Any = made.styles["Normal"]
    normal.paragraph_format.space_after, normal.paragraph_format.space_before = Pt(2), Pt(0)
    title: Any = made.styles["Title"]
    title.paragraph_format.space_after = Pt(0)
    border = title.element.find(f".//{qn('w:pBdr')}")
    if border is not None:
        border.getparent().remove(border)
    heading: Any = made.styles["Heading 1"]
    heading.paragraph_format.space_before, heading.paragraph_format.space_after = Pt(10), Pt(3)
    heading.paragraph_format.keep_with_next = True


def _page(made: Docx, document: Document) -> None:
    section = made.sections[0]
    section.orientation = WD_ORIENT.PORTRAIT
    width, height = PAPER_MM[document.paper]
    section.page_width, section.page_height = Mm(width), Mm(height)
    section.left_margin = section.right_margin = Mm((width - WIDTH_MM[document.paper]) / 2)
    section.top_margin, section.bottom_margin = Mm(14), Mm(16)
    foot = section.footer.paragraphs[0]
    _run(foot, f"{document.footer}   page ", 7.5, SOFT)
    _field(foot, "PAGE")
    _run(foot, " of ", 7.5, SOFT)
    _field(foot, "NUMPAGES")


def _head(made: Docx, document: Document) -> None:
    if document.house:
        _run(made.add_paragraph(), document.house, 11, INK, bold=True)
    if document.address:
        _run(made.add_paragraph(), ", ".join(document.address.splitlines()), 8.5, SOFT)
    if document.logo:
        made.add_picture(io.BytesIO(png(document.logo)), height=Mm(11))
        _describe(made, f"Logo of {document.house}")
    made.add_paragraph(document.title, style="Title")
    about = f"{document.token}   {document.subtitle}" if document.token else document.subtitle
    line = made.add_paragraph()
    _run(line, about, 10, SOFT)
    if document.draft:
        _run(line, "   draft, not issued", 8.5, SOFT)
    if document.words:
        _verdict(made.add_paragraph(), document.verdict, document.words, 12)


def _part(made: Docx, part: Part, width: int) -> None:
    if part.size == "page":
        made.add_paragraph().add_run().add_break(WD_BREAK.PAGE)
    title = getattr(part, "title", "")
    if title:
        made.add_paragraph(title, style="Heading 1")
    makers: dict[type, Callable[[Docx, Any, int], None]] = {
        Facts: _facts,
        Figures: _figures,
        Picture: _picture,
        TablePart: _table,
        TextPart: _text,
        ListPart: _list,
        WriteIn: _write_in,
        Signature: _signature,
    }
    makers[type(part)](made, part, width)


def _facts(made: Docx, part: Facts, width: int) -> None:
    rows = (len(part.facts) + 1) // 2
    table = _grid(made, rows, 4, [0.16, 0.34, 0.16, 0.34], width, ruled=False)
    for i, fact in enumerate(part.facts):
        cells = table.rows[i // 2].cells
        _cell(cells[i % 2 * 2], fact.label, colour=SOFT)
        _cell(cells[i % 2 * 2 + 1], fact.value)


def _figures(made: Docx, part: Figures, width: int) -> None:
    table = _grid(made, 1, 5, [0.38, 0.11, 0.11, 0.1, 0.3], width)
    _header(table, ["Figure", "Value", "Unit", "Limit", "Verdict"], [LEFT, RIGHT, LEFT, RIGHT, LEFT])
    for line in part.lines:
        cells = _row(table).cells
        _cell(cells[0], line.name)
        _cell(cells[1], line.value, RIGHT, bold=True)
        _cell(cells[2], line.unit, colour=SOFT)
        _cell(cells[3], line.limit, RIGHT)
        if line.verdict:
            _verdict(cells[4].paragraphs[0], line.verdict, line.words, 9)


def _table(made: Docx, part: TablePart, width: int) -> None:
    if not part.rows:
        _run(made.add_paragraph(), part.empty, 10, SOFT)
        return
    aligned = [LEFT if i == 0 else RIGHT for i in range(len(part.columns))]
    table = _grid(made, 1, len(part.columns), _shares(part), width)
    size = 9.5 if len(part.columns) <= MANY else 8
    _header(table, part.columns, aligned, size - 1)
    for row in part.rows:
        for cell, words, align in zip(_row(table).cells, row, aligned, strict=True):
            _cell(cell, words, align, size=size)


def _shares(part: TablePart) -> list[float]:
    """Widths by the longest words of each column, a head broken between its words; alike where the part asks for it."""
    if part.even:
        return [1 / len(part.columns)] * len(part.columns)
    needed = []
    for i, name in enumerate(part.columns):
        cells = max((len(row[i]) for row in part.rows), default=0)
        needed.append(max(min(cells, LONGEST), *(len(word) for word in name.split() or [""]), 3) + PADDING)
    return [n / sum(needed) for n in needed]


def _picture(made: Docx, part: Picture, width: int) -> None:
    share = 0.5 if part.size == "half" else 1.0
    made.add_picture(io.BytesIO(png(part.svg)), width=int(width * share))
    _describe(made, part.text)


def _side_by_side(made: Docx, left: Part, right: Part, width: int) -> None:
    table = _grid(made, 1, 2, [0.5, 0.5], width, ruled=False)
    for cell, part in zip(table.rows[0].cells, (left, right), strict=True):
        assert isinstance(part, Picture)
        cell.paragraphs[0].style = made.styles["Heading 1"]
        cell.paragraphs[0].add_run(part.title)
        run = cell.add_paragraph().add_run()
        run.add_picture(io.BytesIO(png(part.svg)), width=int(width * 0.48))
        _describe(made, part.text)


def _text(made: Docx, part: TextPart, width: int) -> None:
    lines = part.text.strip().splitlines()
    for line in lines:
        made.add_paragraph(line)
    if not lines:
        _run(made.add_paragraph(), "none written", 10, SOFT)


def _list(made: Docx, part: ListPart, width: int) -> None:
    for line in part.lines:
        made.add_paragraph(line, style="List Bullet")


def _write_in(made: Docx, part: WriteIn, width: int) -> None:
    shares = [w / sum(part.widths) for w in part.widths]
    table = _grid(made, 1, len(part.columns), shares, width)
    _header(table, part.columns, [LEFT] * len(part.columns))
    for _ in range(part.rows):
        _row(table).height = Mm(9)


def _signature(made: Docx, part: Signature, width: int) -> None:
    made.add_paragraph().paragraph_format.space_before = Pt(14)
    table = _grid(made, 2, 2, [0.5, 0.5], width, ruled=False)
    _cell(table.rows[0].cells[0], part.name)
    _cell(table.rows[0].cells[1], part.date)
    for cell, words in zip(table.rows[1].cells, ("responsible person", "date, signature"), strict=True):
        _cell(cell, words, colour=SOFT)
        _rule(cell, "top", "1D2B33")


# ---------------------------------------------------------------- tables


def _grid(made: Docx, rows: int, columns: int, shares: Sequence[float], width: int, ruled: bool = True) -> Table:
    table: Table = made.add_table(rows, columns)
    table.alignment, table.autofit = WD_TABLE_ALIGNMENT.LEFT, False
    for column, share in zip(table.columns, shares, strict=True):
        column.width = int(width * share)
        for cell in column.cells:
            cell.width = int(width * share)
    if ruled:
        borders = OxmlElement("w:tblBorders")
        for side in ("top", "bottom", "insideH"):
            borders.append(_border(side, RULE))
        table._tbl.tblPr.append(borders)
    return table


def _row(table: Table) -> _Row:
    add: Callable[[], _Row] = table.add_row  # the library gives this one no types
    return add()


def _border(side: str, colour: str) -> Any:
    line = OxmlElement(f"w:{side}")
    for key, value in (("val", "single"), ("sz", "4"), ("space", "0"), ("color", colour)):
        line.set(qn(f"w:{key}"), value)
    return line


def _rule(cell: _Cell, side: str, colour: str) -> None:
    borders = OxmlElement("w:tcBorders")
    borders.append(_border(side, colour))
    cell._tc.get_or_add_tcPr().append(borders)


def _header(table: Table, names: Sequence[str], aligned: Sequence[WD_ALIGN_PARAGRAPH], size: float = 8.5) -> None:
    """The first row, which comes again on every page."""
    for cell, name, align in zip(table.rows[0].cells, names, aligned, strict=True):
        _cell(cell, name, align, colour=SOFT, size=size)
    again = OxmlElement("w:tblHeader")
    again.set(qn("w:val"), "true")
    table.rows[0]._tr.get_or_add_trPr().append(again)


def _cell(
    cell: _Cell,
    words: str,
    align: WD_ALIGN_PARAGRAPH = LEFT,
    *,
    bold: bool = False,
    colour: RGBColor = INK,
    size: float = 9.5,
) -> None:
    paragraph = cell.paragraphs[0]
    paragraph.alignment = align
    paragraph.paragraph_format.space_after = Pt(1)
    _run(paragraph, words, size, colour, bold=bold)


def _run(paragraph: Paragraph, words: str, size: float, colour: RGBColor, *, bold: bool = False) -> None:
    run = paragraph.add_run(words)
    run.font.size, run.font.color.rgb, run.font.bold = Pt(size), colour, bold or None


def _verdict(paragraph: Paragraph, verdict: str, words: str, size: float) -> None:
    colour = RGBColor.from_string(marks.COLOURS.get(verdict, marks.SOFT).upper())
    _run(paragraph, marks.words(verdict, words), size, colour, bold=True)


def _field(paragraph: Paragraph, code: str) -> None:
    """A number that the word processor counts: of this page, of all."""
    for kind, text in (("begin", ""), ("instr", code), ("end", "")):
        run = paragraph.add_run()
        run.font.size, run.font.color.rgb = Pt(7.5), SOFT
        if kind == "instr":
            element = OxmlElement("w:instrText")
            element.set(qn("xml:space"), "preserve")
            element.text = text
        else:
            element = OxmlElement("w:fldChar")
            element.set(qn("w:fldCharType"), kind)
        run._r.append(element)


def _describe(made: Docx, words: str) -> None:
    """Says in words what the picture that was put in last shows."""
    shown = made.element.body.findall(f".//{qn('wp:docPr')}")[-1]
    shown.set("descr", words)
