"""Every case is judged as it was: a rule changed on purpose is told anew (`python -m metrology.tests.as_judged`), and the files show what changed."""

from __future__ import annotations

from collections.abc import Callable
from unittest import TestCase

from metrology import CORE_VERSION
from metrology.tests.as_judged.around import around, made
from metrology.tests.as_judged.cases import JUDGED
from metrology.tests.as_judged.told_anew import FOLDER, VERSION, lines_of, read, said

SHOWN = 5


class AsJudged(TestCase):
    """One test to a rule, put in below."""

    def as_told(self, name: str) -> None:
        was, now = read(name), lines_of(name)
        changed = [
            f"{k}\n  was {was.get(k, 'not a case')}\n  now {now.get(k, 'not a case')}" for k in {**was, **now} if was.get(k) != now.get(k)
        ]
        self.assertFalse(changed, f"{len(changed)} of {len(was)} cases of {name} are judged otherwise:\n" + "\n".join(changed[:SHOWN]))

    def test_every_file_belongs_to_a_rule_and_tells_of_cases(self) -> None:
        self.assertEqual({p.stem for p in FOLDER.glob("*.txt")}, set(JUDGED))
        for name in JUDGED:
            self.assertGreater(len(set(read(name).values())), 2, f"{name} always says the same")

    def test_the_version_that_seals_name_is_raised_with_what_is_said(self) -> None:
        self.assertEqual(VERSION.read_text(encoding="utf-8").split(), [CORE_VERSION, said()], "run: python -m metrology.tests.as_judged")


def _test_of(name: str) -> Callable[[AsJudged], None]:
    return lambda self: self.as_told(name)


for _name in JUDGED:
    setattr(AsJudged, f"test_{_name.replace('-', '_')}", _test_of(_name))


class Around(TestCase):
    def test_each_figure_word_and_row_is_changed_by_itself(self) -> None:
        found = {how: made(case) for how, case in around({"a": 2.0, "b": ("x", 3.0), "c": True, "d": ""})}
        self.assertEqual(found["as it is"], {"a": 2.0, "b": ("x", 3.0), "c": True, "d": ""})
        self.assertEqual(found["a x0.5"]["a"], 1.0)
        self.assertEqual(found["b without the last"]["b"], ("x",))
        self.assertEqual(found["b 1 x2"]["b"], ("x", 6.0))
        self.assertIs(found["c not"]["c"], False)
        self.assertEqual(found["no a"], {"b": ("x", 3.0), "c": True, "d": ""})
