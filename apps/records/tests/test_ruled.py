"""The tables of a certificate: heights, breaks between pages, what is drawn."""

from __future__ import annotations

import io

from django.test import SimpleTestCase
from pypdf import PdfReader
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable

from apps.records.paper import SMALL, _strips, text
from apps.records.ruled import ABOVE, BELOW, Ruled

ROW = SMALL.leading + ABOVE + BELOW


def table(rows: int, **how: bool) -> Ruled:
    return Ruled([[text(f"a{n}", SMALL), text(f"b{n}", SMALL)] for n in range(rows)], [60, 60], **how)


def first_cells(part: Flowable) -> list[str]:
    assert isinstance(part, Ruled)
    return [row[0].text for row in part.rows]


class RuledTable(SimpleTestCase):
    def test_it_is_as_high_as_its_rows_and_one_that_wraps_is_higher(self) -> None:
        self.assertEqual(table(3).wrap(200, 500), (120, 3 * ROW))
        long = Ruled([[text("word " * 20, SMALL), text("b", SMALL)]], [60, 60])
        self.assertGreater(long.wrap(200, 500)[1], 4 * ROW)

    def test_it_breaks_between_rows_at_the_last_that_fits(self) -> None:
        for height, fits in ((3 * ROW, 3), (3 * ROW - 0.01, 2), (2 * ROW, 2)):
            with self.subTest(height=height):
                parts = table(5).split(200, height)
                self.assertEqual([first_cells(p) for p in parts], [[f"a{n}" for n in range(fits)], [f"a{n}" for n in range(fits, 5)]])
        self.assertEqual(len(table(5).split(200, 5 * ROW)), 1)
        self.assertEqual(table(5).split(200, ROW - 0.01), [])

    def test_a_head_that_repeats_is_there_again_and_never_alone(self) -> None:
        a, b = table(5, head=True, repeats=True).split(200, 3 * ROW)
        self.assertEqual((first_cells(a), first_cells(b)), (["a0", "a1", "a2"], ["a0", "a3", "a4"]))
        self.assertTrue(b.head)
        self.assertEqual(table(5, head=True, repeats=True).split(200, 2 * ROW - 0.01), [])
        self.assertFalse(table(5, head=True).split(200, 3 * ROW)[1].head, "without repeating, the next page has no head to mark")

    def test_every_cell_is_on_the_page_those_that_wrap_too(self) -> None:
        out = io.BytesIO()
        page = Canvas(out, pagesize=(300, 300))
        drawn = Ruled(
            [[text("left", SMALL), text("a cell of many words", SMALL)], [text("", SMALL), text("right", SMALL)]], [60, 40], head=True
        )
        drawn.wrap(300, 300)
        drawn.drawOn(page, 10, 100)
        page.save()
        said = PdfReader(out).pages[0].extract_text().split()
        self.assertEqual(said, ["left", "a", "cell", "of", "many", "words", "–", "right"])


class QrStrips(SimpleTestCase):
    def test_strips_cover_the_dark_modules_and_no_others(self) -> None:
        for row in ([0, 1, 1, 0, 1], [1, 1, 1], [0, 0], [1, 0, 1, 0]):
            with self.subTest(row=row):
                drawn = [0] * len(row)
                for x, n in _strips(row):
                    drawn[x : x + n] = [1] * n
                self.assertEqual(drawn, row)
        self.assertEqual(_strips([0, 1, 1, 0, 1]), [(1, 2), (4, 1)])
