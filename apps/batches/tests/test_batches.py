"""A batch of sensors by the API, typed: proposed, refused with its reasons, begun, put back, signed once."""

import uuid

from apps.batches.models import Batch, BatchSensor
from apps.kit.models import Reference
from apps.plant.models import Instrument
from apps.runs.models import Hold, Run
from apps.runs.store import load_state
from apps.runs.tests.base import PASSWORD, PlantTestCase
from metrology.methods.steps import ON_BENCH
from metrology.quantities.temperature import sensor_signal

SAID = {"operator": "Control room", "temperature": "21", "hold_kind": "inhibit", "permit": "P-7"}


class BatchCase(PlantTestCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        like = Reference.objects.get(code="MB-P01")
        for code, kind, unit, low, high, u, more in (
            ("T01", "probe", "°C", -50, 660, 0.01, {}), ("T02", "probe", "°C", -50, 420, 0.02, {}),
            ("B01", "block", "°C", -50, 160, 0.3, {"gradient": 0.01, "wells": 2}), ("B02", "block", "°C", -50, 650, 0.3, {"gradient": 0.02, "wells": 2}),
            ("R01", "meter", "ohm", 0, 400, 0.002, {}), ("A01", "calibrator", "ohm", 0, 400, 0.001, {}),
        ):  # fmt: skip
            values = {
                "name": f"{kind} {code}",
                "kind": kind,
                "unit": unit,
                "low": low,
                "high": high,
                "u_absolute": u,
                "serial": code,
                **more,
            }
            Reference.objects.create(
                **{**{f.name: getattr(like, f.name) for f in Reference._meta.fields if f.name != "id"}, **PLAIN, "code": code, **values}
            )
        for n in (1, 2, 3):
            cls.sensor(f"TE-{n}", serial=f"SN {n}-x")

    @classmethod
    def sensor(cls, tag, **more):
        fields = {"serial": "S", "urv": 150, "details": {"sensor": "pt", "dwell_min": "0"}, **more}
        return Instrument.objects.create(
            tag=tag, service=f"Liquor {tag}", area=cls.area, family="temperature sensor", method="temp-sensor", unit="°C", lrv=0,
            tolerance_value=0.5, tolerance_basis="unit", **fields,
        )  # fmt: skip

    def setUp(self):
        self.sign_in(self.ines)

    def serials(self, *tags):
        return {t: Instrument.objects.get(tag=t).serial for t in tags}

    def made(self, *tags, **more):
        answer = self.send_batch(*tags, **more)
        self.assertEqual(answer.status_code, 201, answer.content)
        self.batch_id = answer.json()["id"]
        return answer.json()

    def send_batch(self, *tags, **more):
        return self.post("batches/", {"id": str(uuid.uuid4()), "tags": list(tags), "serials": self.serials(*tags), "said": SAID, **more})

    def act(self, what, **body):
        return self.post(f"batches/{self.batch_id}/{what}/", body)

    def rows(self, answer):
        self.assertEqual(answer.status_code, 200, answer.content)
        return {r["tag"]: r for r in answer.json()["sensors"]}

    def read(self, tag, off=0.0):
        """All points of a sensor, typed, so many °C off."""
        self.seq = None
        self.run_id = str(BatchSensor.objects.get(instrument__tag=tag).run_id)
        for n, t in enumerate((0.0, 75.0, 150.0)):
            ohm = sensor_signal("pt", t + off, r0=100.0, cold_junction_c=0.0)
            self.seq = load_state(self.run_id)[2].seq
            self.ok(("reading_taken", {"step": "as_found", "slot": n, "indicated": f"{ohm:.3f}", "applied": f"{t}"}))


PLAIN = {"u_percent_span": 0.0, "u_percent_reading": 0.0, "drift_per_year": 0.0, "resolution": 0.001, "points": []}


class Proposed(BatchCase):
    def test_wells_probes_and_what_is_to_be_said(self):
        told = self.post("batches/proposal/", {"tags": ["TE-1", "TE-2", "TE-3"]}).json()
        self.assertEqual([(s["block"], s["well"]) for s in told["sensors"]], [("B01", 1), ("B01", 2), ("B02", 1)])
        self.assertEqual({s["probe"] for s in told["sensors"]}, {"T01", "T02"})
        self.assertEqual({s["readout"] for s in told["sensors"]}, {"R01"})
        self.assertEqual([s["why_not"] for s in told["sensors"]], ["", "", ""])
        self.assertTrue({"operator", "temperature", "hold_kind"} <= {a["name"] for a in told["asks"]})
        self.assertIn("Sensor out of its well, wires marked and taken off", told["tap"]["says"])
        self.assertFalse([t for t in told["tap"]["says"] if "plate" in t])
        self.assertEqual(told["minutes"] % 15, 0)
        by_hand = self.post("batches/proposal/", {"tags": ["TE-1"], "blocks": {"TE-1": "B02"}}).json()
        self.assertEqual(by_hand["sensors"][0]["block"], "B02")

    def test_too_many_none_and_what_is_no_sensor(self):
        self.sensor("TE-4"), self.sensor("TE-5")
        self.assertFailure(self.post("batches/proposal/", {"tags": []}), 400, "bad_batch")
        self.assertEqual(self.post("batches/proposal/", {"tags": [f"TE-{n}" for n in (1, 2, 3, 4)]}).status_code, 200)
        self.assertFailure(self.post("batches/proposal/", {"tags": [f"TE-{n}" for n in (1, 2, 3, 4, 5)]}), 400, "bad_batch")
        self.assertFailure(self.post("batches/proposal/", {"tags": ["PT-2110"]}), 404, "unknown_tag")

    def test_kit_that_is_out_of_date_or_quarantined_is_not_proposed(self):
        Reference.objects.filter(code="B01").update(state="quarantined")
        told = self.post("batches/proposal/", {"tags": ["TE-1"]}).json()
        self.assertEqual(told["sensors"][0]["block"], "B02")
        Reference.objects.filter(code__startswith="T0").update(state="quarantined")
        told = self.post("batches/proposal/", {"tags": ["TE-1"]}).json()
        self.assertIn("No reference probe", told["sensors"][0]["why_not"])
        self.assertFailure(self.send_batch("TE-1"), 400, "no_well")

    def test_a_ratio_below_the_wanted_takes_a_reason(self):
        Reference.objects.filter(code__startswith="T0").update(u_absolute=0.2)
        told = self.post("batches/proposal/", {"tags": ["TE-1"]}).json()
        self.assertIn("why_reference", {a["name"] for a in told["asks"]})
        answer = self.send_batch("TE-1")
        self.assertFailure(answer, 400, "missing")
        self.assertEqual(Run.objects.count(), 0)
        row = self.made("TE-1", said={**SAID, "why_reference": "coarse, agreed with the lead"})["sensors"][0]
        self.assertEqual((row["state"], row["note"]), ("at work", ""))


class Made(BatchCase):
    def test_a_plate_of_another_sensor_stops_it_before_anything_is_stored(self):
        for serial, code in (("SN 9-x", "wrong_instrument"), ("", "missing"), ("SN 2-x", "wrong_instrument")):
            answer = self.send_batch("TE-1", "TE-2", serials={"TE-1": serial, "TE-2": "sn2x"})
            told = self.assertFailure(answer, 400, code)
            self.assertEqual(told["field"], "serial:TE-1")
        self.assertEqual((Batch.objects.count(), Run.objects.count()), (0, 0))

    def test_everything_that_is_missing_is_told_at_once(self):
        told = self.send_batch("TE-1", serials={}, said={}).json()
        fields = {f["field"] for f in told["details"]["faults"]}
        self.assertTrue({"serial:TE-1", "operator", "temperature", "hold_kind"} <= fields, fields)

    def test_begun_at_their_readings_with_a_hold_each(self):
        made = self.made("TE-1", "TE-2")
        self.assertEqual([(s["state"], s["at_step"], s["is_on_hold"]) for s in made["sensors"]], [("at work", "As found", True)] * 2)
        self.assertEqual(Hold.objects.filter(released_at=None).count(), 2)
        _, _, state = load_state(made["sensors"][0]["run"])
        self.assertEqual(
            {r: v["reference"]["code"] for r, v in state.references.items()}, {"applied": "T01", "block": "B01", "indicated": "R01"}
        )
        self.assertIsNone(made["auto"])  # nothing of it is live
        again = self.assertFailure(self.send_batch("TE-1"), 400, "no_well")
        self.assertIn("under way already", again["message"])

    def test_one_sent_twice_is_made_once_and_one_that_waits_is_in_no_other(self):
        batch_id = str(uuid.uuid4())
        first, second = (self.send_batch("TE-1", id=batch_id) for _ in range(2))
        self.assertEqual((first.status_code, second.status_code), (201, 201))
        self.assertEqual(first.json()["sensors"], second.json()["sensors"])
        self.assertEqual((Batch.objects.count(), Run.objects.count()), (1, 1))
        self.sign_in(self.tomas)
        self.assertFailure(self.send_batch("TE-1", id=batch_id), 403, "not_yours")
        waiting = BatchSensor.objects.get()
        BatchSensor.objects.update(run=None)
        Run.objects.filter(pk=waiting.run_id).update(status="voided")
        told = self.post("batches/proposal/", {"tags": ["TE-1"]}).json()
        self.assertIn("It is in a batch of Ines", told["sensors"][0]["why_not"])

    def test_plain_ones_are_judged_put_back_released_and_signed_together(self):
        self.made("TE-1", "TE-2", "TE-3")
        self.read("TE-1", 0.1)
        self.read("TE-2", -0.1)
        self.read("TE-3", 0.9)
        rows = self.rows(self.get(f"batches/{self.batch_id}/"))
        self.assertEqual({t: r["state"] for t, r in rows.items()}, {"TE-1": "plain", "TE-2": "plain", "TE-3": "to decide"})
        self.assertEqual((rows["TE-1"]["verdict"], rows["TE-1"]["share"], rows["TE-3"]["verdict"]), ("pass", "20", "fail"))
        self.assertEqual([a["name"] for a in rows["TE-1"]["asks"]], ["reading"])
        self.assertIn("Sensor back in its well, touching the bottom, spring-loaded where it should be", rows["TE-1"]["says"])
        told = self.act("back", said={"TE-1": {"reading": "80"}, "TE-2": {"reading": ""}, "TE-3": {"reading": "80"}})
        rows = self.rows(told)
        self.assertEqual({t: r["state"] for t, r in rows.items()}, {"TE-1": "ready", "TE-2": "plain", "TE-3": "to decide"})
        slip = self.act("back", said={"TE-2": {"reading": "8000"}})
        self.assertEqual(self.assertFailure(slip, 400, "unlikely_value")["field"], "reading:TE-2")
        sure = {"TE-2": {"reading": "8000", "confirmed": "reading"}}
        self.assertEqual(self.rows(self.act("back", said=sure))["TE-2"]["state"], "ready")
        self.assertFailure(self.act("sign", password="wrong"), 400, "wrong_password")
        rows = self.rows(self.act("sign", password=PASSWORD))
        self.assertEqual({t: r["state"] for t, r in rows.items()}, {"TE-1": "signed", "TE-2": "signed", "TE-3": "to decide"})
        self.assertEqual({(r["taken"], r["total"]) for r in rows.values()}, {(3, 3)})
        self.assertEqual(Hold.objects.filter(released_at=None).count(), 1)  # what failed keeps its hold
        self.assertIsNone(Batch.objects.get().closed_at)
        self.assertFailure(self.act("sign", password=PASSWORD), 400, "nothing_ready")

    def test_it_is_over_with_its_last_run_and_only_its_owner_works_on_it(self):
        self.made("TE-1")
        self.read("TE-1")
        self.sign_in(self.tomas)
        self.assertFailure(self.act("back", said={"TE-1": {"reading": "80"}}), 403, "not_yours")
        self.sign_in(self.ines)
        self.assertEqual(self.rows(self.act("back", said={"TE-1": {"reading": "80"}}))["TE-1"]["state"], "ready")
        with self.captureOnCommitCallbacks(execute=True):
            self.assertEqual(self.rows(self.act("sign", password=PASSWORD))["TE-1"]["state"], "signed")
        self.assertIsNotNone(Batch.objects.get().closed_at)
        self.assertEqual(self.get("batches/").json(), [])
        self.assertEqual(Run.objects.get().status, "signed")

    def test_taken_to_the_bench_says_where_and_no_hold_is_pretended(self):
        said = {**SAID, "hold_kind": ON_BENCH}
        self.assertEqual(self.assertFailure(self.send_batch("TE-1", said=said), 400, "missing")["field"], "hold_why")
        self.made("TE-1", said={**said, "hold_why": "Workshop, bench 2"})
        self.assertEqual(Hold.objects.count(), 0)
        self.read("TE-1")
        rows = self.rows(self.get(f"batches/{self.batch_id}/"))
        self.assertEqual([a["name"] for a in rows["TE-1"]["asks"]], ["stored", "label"])
        rows = self.rows(self.act("back", said={"TE-1": {"stored": "Rack 3", "label": "ok 29 Nov"}}))
        self.assertEqual(rows["TE-1"]["state"], "ready")

    def test_what_stops_on_its_way_is_told_and_goes_on_once_it_is_said(self):
        Instrument.objects.filter(tag__in=("TE-1", "TE-2")).update(voting_group="V1")
        rows = {s["tag"]: s for s in self.made("TE-1", "TE-2")["sensors"]}
        self.assertEqual((rows["TE-1"]["note"], rows["TE-2"]["at_step"]), ("", "Place the hold"))
        self.assertIn("TE-1", rows["TE-2"]["note"])
        rows = self.rows(self.act("on", said={"agreement": "shift lead, one at a time in trip"}))
        self.assertEqual((rows["TE-2"]["note"], rows["TE-2"]["at_step"]), ("", "As found"))
        self.assertFailure(self.act("drop", tag="TE-2"), 400, "begun")
