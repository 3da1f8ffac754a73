"""Records: found by number, tag, status and verdict; exported so that others can use them."""

import csv
import io

from apps.runs.tests.base import GOOD, PlantTestCase


class Records(PlantTestCase):
    def total(self, query=""):
        return self.get(f"records/?{query}").json()["total"]

    def test_open_runs_are_not_records_yet_and_signed_ones_are(self):
        self.to_sign()
        self.assertEqual(self.total(), 0)
        self.sign()
        self.assertEqual(self.total(), 1)

    def test_filters(self):
        self.signed_run()
        for query, count in (
            ("search=VL-000001", 1),
            ("search=1", 1),
            ("search=000001", 1),
            ("search=pt-21", 1),
            ("search=permeate", 1),
            ("search=zzz", 0),
            ("status=signed", 1),
            ("status=accepted", 0),
            ("verdict=pass", 1),
            ("verdict=fail", 0),
            ("search=99999999999999999999", 0),
        ):
            with self.subTest(query=query):
                self.assertEqual(self.total(query), count)

    def test_pages_never_run_past_the_end(self):
        self.signed_run()
        for page in ("0", "-3", "2", "x", "9" * 30, "²"):
            with self.subTest(page=page):
                self.assertEqual(self.get(f"records/?page={page}").json()["page"], 1)

    def test_the_csv_has_a_line_a_reading_with_units_in_the_heading(self):
        self.signed_run()
        text = self.get(f"runs/{self.run_id}/export.csv").content.decode("utf-8-sig")
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertEqual(len(rows), len(GOOD))
        self.assertEqual(rows[2]["indicated (mA)"], "12.01")
        self.assertEqual(rows[2]["applied (kPa)"], "200.00")
        self.assertAlmostEqual(float(rows[2]["error (% of span)"]), 0.0625)
        self.assertEqual({r["verdict"] for r in rows}, {"pass"})

    def test_the_log_tells_everything_in_order(self):
        self.signed_run()
        log = self.get(f"runs/{self.run_id}/log/").json()
        self.assertEqual([e["seq"] for e in log], list(range(1, len(log) + 1)))
        self.assertEqual(log[0]["what"], "started the run on PT-2110")
        self.assertEqual(log[-1]["what"], "signed the run")

    def test_file_names_are_safe(self):
        self.instrument.tag = 'PT/"21\n10'
        self.instrument.save()
        self.start('PT/"21\n10')
        for name in ("certificate.pdf", "export.csv", "export.json"):
            answer = self.get(f"runs/{self.run_id}/{name}")
            self.assertEqual(answer.status_code, 200)
            self.assertIn('filename="VL-000001-PT__21_10.', answer.headers["Content-Disposition"])
