"""How many queries a page takes: as many for a large plant as for a small one."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from apps.kit.models import Reference
from apps.runs.tests.base import PlantTestCase

PLAN, REFERENCE, TODAY = 25, 20, 20


class Queries(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)
        self.day = timezone.localdate() + timedelta(days=1)

    def grow(self, count):
        for n in range(count):
            self.instrument.pk, self.instrument.tag, self.instrument.serial = None, f"PT-{count}{n:03d}", f"S{count}{n}"
            self.instrument.next_due = timezone.localdate()
            self.instrument.save()

    def asked(self, path):
        with CaptureQueriesContext(
            connection,
        ) as found:
            answer = self.get(path)
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        return [q["sql"][:110] for q in found.captured_queries]

    def plan(self):
        crew = [{"username": u, "start": "07:30", "end": "15:30"} for u in ("ines", "tomas")]
        made = self.post("plans/", {"day": self.day.isoformat(), "crew": crew, "areas": []}).json()
        self.post(f"plans/{made['id']}/solve/", {"seconds": 2})
        return made["id"]

    def test_today_the_page_of_a_reference_and_a_plan(self):
        self.grow(13)
        plan = self.plan()
        pages = {f"plans/{plan}/": PLAN, "kit/reference/MB-P01/": REFERENCE, "today/": TODAY}
        few = {}
        for path, limit in pages.items():
            asked = self.asked(path)
            few[path] = len(asked)
            self.assertLessEqual(len(asked), limit, path + "\n" + "\n".join(asked))
        self.grow(120)
        for code in range(30):
            like = Reference.objects.get(code="MB-P01")
            like.pk, like.code, like.serial = None, f"MB-X{code:02d}", f"X{code}"
            like.save()
        for path in pages:
            self.assertLessEqual(len(self.asked(path)), few[path] + 1, path)
