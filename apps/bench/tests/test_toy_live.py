"""A method that only the tests have, read live: its sources, its settling, its capture, and all of it by itself."""

from apps.bench.models import AutoCapture
from apps.bench.tests.test_live import PRESSURE, LiveTestCase
from apps.plant.models import Instrument
from metrology.methods.registry import forget, register
from metrology.tests.toy import TOY


class ToyLive(LiveTestCase):
    world = {"zero_error": 0.5}

    def setUp(self):
        super().setUp()
        register(TOY)
        self.addCleanup(forget, TOY.key)
        Instrument.objects.filter(tag="PT-2110").update(method=TOY.key, details={"at_percent": "50"})

    def test_it_is_captured_by_itself_until_two_looks_agree(self):
        self.start()
        self.forward(PRESSURE, song="A live one")
        self.choose(applied="CAL/p", indicated="CAL/i")
        auto = self.post("auto-captures/", {"runs": [self.run_id]}).json()
        self.until(lambda: AutoCapture.objects.get(pk=auto["id"]).status == "done", 120)
        view = self.view()
        rows = view["evidence"][0]["rows"]
        self.assertGreaterEqual(len(rows), 2)
        self.assertTrue(all(r["captured"] for r in rows))
        self.assertEqual(view["step"]["kind"], "judge")
