"""What a word processor and a browser show is what stands in the document: read back by programs that are none of ours."""

import io
import json
import subprocess
import unittest
import zipfile
from html.parser import HTMLParser
from typing import Any

from docx import Document as read_docx

from kumpel.core.review import Review
from kumpel.kinds.registry import KINDS
from kumpel.reports.document import Document, Fact, Facts, FigureLine, Figures, Signature, TablePart, TextPart
from kumpel.reports.marks import said
from kumpel.reports.web_page import web_page
from kumpel.reports.word import word
from tests.kinds.test_all_kinds import assess, made


def document(kind_key: str, keys: tuple[str, ...] | None = None) -> Document:
    """The full report of a kind's made-up recording."""
    kind = KINDS[kind_key]
    recording = made(kind_key).recording
    both = assess(recording)
    parts = kind.report(recording, Review(), both, kind.limit_sets[0], keys or tuple(kind.report_parts))
    who = Facts(facts=[Fact(label="Person", value="Sanna Heikkilä"), Fact(label="Number", value="TF-0421")])
    return Document(
        title="Sanna Heikkilä",
        subtitle=kind.name,
        token="X-01",
        verdict=both.reviewed.verdict.value,
        words=both.reviewed.words,
        footer="Kumpel, report R-2026-00001",
        draft=False,
        house="Tarnfels <mine> & works",
        parts=[
            who,
            *parts,
            TextPart(title="Conclusion", text="First line.\nSecond & <b>last</b>."),
            Signature(name="Runa Halvorsen", date="27 Nov 2026"),
        ],
    )


def tables_wanted(doc: Document) -> list[list[list[str]]]:
    """Every table of numbers of a document as rows of cells, heads first."""
    found = []
    for part in doc.parts:
        if isinstance(part, Figures):
            found.append([["Figure", "Value", "Unit", "Limit", "Verdict"], *(_line(each) for each in part.lines)])
        elif isinstance(part, TablePart) and part.rows:
            found.append([part.columns, *part.rows])
    return found


def _line(line: FigureLine) -> list[str]:
    return [line.name, line.value, line.unit, line.limit, said(line.verdict, line.words) if line.verdict else ""]


def plain(cell: str) -> str:
    """A cell without what only dresses it: the sign of a verdict, spaces."""
    return " ".join(cell.lstrip("○◐■▨ ").split())


def of_pandoc(data: bytes) -> list[list[list[str]]]:
    """The tables of a .docx as pandoc reads them."""
    done = subprocess.run(
        ["pandoc", "-f", "docx", "-t", "json"], input=data, capture_output=True, check=True, timeout=60
    )
    tree = json.loads(done.stdout)
    return [
        [["".join(_words(cell[4])) for cell in row[1]] for row in [*block["c"][3][1], *block["c"][4][0][3]]]
        for block in tree["blocks"]
        if block["t"] == "Table"
    ]


def _words(node: Any) -> list[str]:
    if isinstance(node, dict):
        if node["t"] == "Str":
            return [node["c"]]
        if node["t"] in ("Space", "SoftBreak", "LineBreak"):
            return [" "]
        return _words(node.get("c", []))
    return [word for each in node for word in _words(each)] if isinstance(node, list) else []


class Tables(HTMLParser):
    """The tables, pictures and everything that could run or fetch of a page."""

    def __init__(self, page: bytes) -> None:
        super().__init__()
        self.found: list[list[list[str]]] = []
        self.pictures: list[dict[str, str | None]] = []
        self.forbidden: list[str] = []
        self._cell: list[str] | None = None
        self.feed(page.decode())

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        about = dict(attrs)
        if tag in ("script", "iframe", "object", "link", "form") or any(key.startswith("on") for key in about):
            self.forbidden.append(tag)
        if tag == "img":
            self.pictures.append(about)
        for value in about.values():
            if value and "://" in value:
                self.forbidden.append(value[:60])
        if tag == "table":
            self.found.append([])
        elif tag == "tr":
            self.found[-1].append([])
        elif tag in ("td", "th"):
            self._cell = []

    def handle_endtag(self, tag: str) -> None:
        if tag in ("td", "th") and self._cell is not None:
            self.found[-1][-1].append("".join(self._cell))
            self._cell = None

    def handle_data(self, data: str) -> None:
        if self._cell is not None:
            self._cell.append(data)


class EveryKind(unittest.TestCase):
    maxDiff = None

    def test_every_number_in_word_as_pandoc_reads_it(self) -> None:
        for key in KINDS:
            doc = document(key)
            wanted = [[[plain(c) for c in row] for row in table] for table in tables_wanted(doc)]
            self.assertTrue(wanted)
            read = [[[plain(c) for c in row] for row in table] for table in of_pandoc(word(doc))]
            for table in wanted:
                with self.subTest(kind=key, table=table[0]):
                    self.assertIn(table, read)

    def test_every_number_in_the_page_and_nothing_that_runs_or_fetches(self) -> None:
        for key in KINDS:
            doc = document(key)
            page = Tables(web_page(doc))
            read = [[[plain(c) for c in row] for row in table] for table in page.found]
            for table in tables_wanted(doc):
                with self.subTest(kind=key, table=table[0]):
                    self.assertIn([[plain(c) for c in row] for row in table], read)
            self.assertEqual(page.forbidden, [])
            self.assertTrue(all(p["alt"] for p in page.pictures))
            self.assertTrue(all((p["src"] or "").startswith("data:image/svg+xml") for p in page.pictures))


class Word(unittest.TestCase):
    def test_styles_titles_pictures_with_words_and_the_head_row_again(self) -> None:
        doc = document("blood_pressure")
        data = word(doc)
        read = read_docx(io.BytesIO(data))
        heads = [p.text for p in read.paragraphs if p.style is not None and p.style.name == "Heading 1"]
        wanted = [title for part in doc.parts if (title := getattr(part, "title", ""))]
        self.assertEqual(heads, wanted)
        self.assertEqual([p.text for p in read.paragraphs if p.style and p.style.name == "Title"], ["Sanna Heikkilä"])
        self.assertEqual(read.core_properties.title, "Sanna Heikkilä, Blood pressure")
        xml = zipfile.ZipFile(io.BytesIO(data)).read("word/document.xml").decode()
        self.assertIn("w:tblHeader", xml)
        [picture] = [p.text for p in doc.parts if p.part == "picture" and "Readings" in p.title]
        self.assertIn(f'descr="{picture}"', xml)
        text = "\n".join(p.text for p in read.paragraphs)
        self.assertIn("Second & <b>last</b>.", text)
        self.assertIn("Tarnfels <mine> & works", text)

    def test_a_page_escapes_what_people_write(self) -> None:
        page = web_page(document("blood_pressure")).decode()
        self.assertIn("Second &amp; &lt;b&gt;last&lt;/b&gt;.", page)
        self.assertIn("Tarnfels &lt;mine&gt; &amp; works", page)
