"""The check that nothing outside the catalogue knows a method by name finds what it is there to find."""

from unittest import TestCase

from tools.names import all_findings, findings


class Names(TestCase):
    def test_each_trick_is_found_in_python_and_in_typescript(self):
        for text in (
            'if run.method == "gas-bump":', "const own = ['tx-multipoint'];", 'if method.key.startswith("gas-"):', 'key.startsWith("weigh-")',
            'i.family === "gas detector"', 'if family == "weighing":', "const isGas = true;", 'a.screw.endsWith("zero")',
            'next_screw.startswith("span")',
        ):  # fmt: skip
            self.assertEqual(len(list(findings("x", text))), 1, text)

    def test_plain_words_are_left_alone(self):
        for text in (
            'label = "Gas"',
            'family = row["family"]',
            'sensor.startswith("tc-")',
            'title = "pH, two buffers"',
            "a.screw == target.screw",
        ):
            self.assertEqual(list(findings("x", text)), [], text)

    def test_the_code_has_none(self):
        self.assertEqual(all_findings(), [])
