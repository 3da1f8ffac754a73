"""The check for circles in the front end finds one where there is one."""

import tempfile
from pathlib import Path
from unittest import TestCase

from tools.circles import circle, imports


class Circles(TestCase):
    def test_a_circle_is_found_through_types_and_late_imports(self):
        with tempfile.TemporaryDirectory() as folder:
            root = Path(folder).resolve()
            (root / "a.tsx").write_text('import { B } from "./b";\n')
            (root / "b.ts").write_text('import type { C } from "./in/c";\n')
            (root / "in").mkdir()
            (root / "in" / "c.tsx").write_text('const A = lazy(() => import("../a"));\n')
            self.assertEqual(set(circle(imports(root))), {"a.tsx", "b.ts", "in/c.tsx"})
            (root / "in" / "c.tsx").write_text('import { x } from "react";\n')
            self.assertEqual(circle(imports(root)), [])

    def test_the_front_end_has_none(self):
        self.assertEqual(circle(imports()), [])
