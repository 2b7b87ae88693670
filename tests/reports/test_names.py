"""Names in any script reach the paper; a sign that no font has is its code point; never a failed report."""

import io
import unicodedata
import unittest

import pypdf

from kumpel.core.names import clean_line, clean_text
from kumpel.reports import pages
from kumpel.reports.document import Document, Fact, Facts, TextPart


def document(name: str, conclusion: str = "") -> Document:
    return Document(
        title=name,
        subtitle="Noise",
        token="N-07",
        verdict="within",
        words="within all limits",
        footer="",
        draft=False,
        parts=[Facts(facts=[Fact(label="Person", value=name)]), TextPart(title="Conclusion", text=conclusion)],
    )


def printed(name: str) -> tuple[str, tuple[str, ...]]:
    made, unknown = pages.printable(document(name))
    return "".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(pages.pdf(made))).pages), unknown


class Scripts(unittest.TestCase):
    def test_scripts_that_the_fonts_have(self) -> None:
        for name in (
            "王小明",
            "สมชาย",
            "Ελένη Παπαδοπούλου",
            "Ирина Соколова",
            "김민준",
            "さくら",
            "Zoë Ångström-Łukasz",
            "😀",
        ):
            with self.subTest(name):
                text, unknown = printed(name)
                self.assertEqual(unknown, ())
                plain = unicodedata.normalize("NFC", text.replace(" ", "").replace("\n", ""))
                self.assertIn(name.replace(" ", ""), plain)

    def test_right_to_left_names_are_whole(self) -> None:
        for name in ("محمد علي", "דוד לוי"):
            text, unknown = printed(name)
            self.assertEqual(unknown, ())
            for word in name.split():
                self.assertIn(word, text)

    def test_a_sign_that_no_font_has_is_its_code_point_and_said(self) -> None:
        text, unknown = printed("Ida \u0378 Brandvik \U000f0000")
        self.assertEqual(unknown, ("U+0378", "U+F0000"))
        self.assertIn("[U+0378]", text)
        self.assertIn("[U+F0000]", text)
        self.assertIn("Brandvik", text)

    def test_many_unknown_signs_of_one_kind(self) -> None:
        name = "".join(chr(0xE000 + i) for i in range(20))
        text, unknown = printed(name)
        self.assertEqual(len(unknown), 20)
        self.assertIn("[U+E013]", text.replace("\n", ""))

    def test_plain_documents_are_not_tried(self) -> None:
        made = document("Zoë Ångström", "29 °C ≥ 85 dB(A), “quoted” – €")
        self.assertIs(pages.printable(made)[0], made)


class Cleaning(unittest.TestCase):
    def test_control_signs_go_at_the_entry(self) -> None:
        self.assertEqual(clean_line("  Ida\x00\x07 \t Brand\u202evik\u200b\n"), "Ida Brandvik")
        self.assertEqual(clean_line("نام\u200cخانوادگی"), "نام\u200cخانوادگی")  # the joiner belongs to the word
        self.assertEqual(clean_text("a\r\nb\x00c\td"), "a\nb c\td")
        self.assertEqual(clean_line("e\u0301"), "é")
        self.assertEqual(clean_line("\ud800"), "")


if __name__ == "__main__":
    unittest.main()
