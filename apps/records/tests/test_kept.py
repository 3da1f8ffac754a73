"""What is kept of a run from one view to the next is what would be worked out anew."""

from django.test import SimpleTestCase

from apps.records.tests.corpus import SEEN, names, read_run
from metrology.methods.registry import METHODS, get_method
from metrology.run.folding import apply, fold
from metrology.run.view import changed_parts, make_view


class Kept(SimpleTestCase):
    def test_event_by_event_the_parts_that_changed_add_up_to_the_view_made_from_nothing(self):
        for key in METHODS:
            name = max((n for n in names() if n.startswith(f"{key}-r")), key=lambda n: len(read_run(n)[1]), default=None)
            if name is None:
                continue
            with self.subTest(name):
                _, events = read_run(name)
                method = get_method(key)
                state = fold(events[:1])
                held = make_view(state, method, SEEN)
                for event in events[1:]:
                    state = state.branch()
                    apply(state, event)
                    now = make_view(state, method, SEEN)
                    held = {**held, **changed_parts(held, now)}
                    self.assertEqual(now, held)
                    if event.seq % 7 == 0 or event is events[-1]:
                        self.assertEqual(held, make_view(fold(events[: event.seq]), method, SEEN))
                self.assertTrue(state.told)
