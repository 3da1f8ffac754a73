"""Function checks: when they are due, and a round of them by the API, with slips."""

import uuid
from datetime import timedelta

from django.utils import timezone

from apps.checks.models import CheckRound
from apps.kit.models import GasBottle, GasFitting
from apps.plant.models import Instrument
from apps.runs.models import Hold, KitUse, Run
from apps.runs.tests.base import PASSWORD, PlantTestCase
from apps.runs.tests.test_gas_and_holds import HYDROGEN, make_gas

GAS = {"bottle": "G-H2", "regulator": "V-1", "line": "L-1"}
SAID = {"operator": "Control room", "temperature": "12", "reminder": "reset", "minutes": "30", "stand_in": "patrol with a portable"}


class CheckCase(PlantTestCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        for tag, more in (("AE-A", {"voting_group": "V1"}), ("AE-B", {"voting_group": "V1"}), ("AE-C", {})):
            cls.detector(tag, **more)
        make_gas("G-H2")
        make_gas("G-AIR", gas="")
        GasFitting.objects.create(code="V-1", kind="regulator", material="stainless steel", flow_l_min=0.5)
        GasFitting.objects.create(code="L-1", kind="line", material="PTFE-lined", length_m=1, is_conditioned=True)

    @classmethod
    def detector(cls, tag, **more):
        details = more.pop("own", None) or {**HYDROGEN, "check_days": "90", "inhibit_ma": "3", **(more.pop("details", None) or {})}
        more.pop("details", None)
        fields = {"details": details, "policy": {"countdown_s": 0}, "method": "gas-zero-span", "unit": "%LEL", "urv": 100, **more}
        return Instrument.objects.create(
            tag=tag, serial=f"S-{tag}", service="Hydrogen", area=cls.area, family="gas detector", lrv=0, tolerance_value=5, **fields
        )  # fmt: skip

    def setUp(self):
        self.sign_in(self.ines)

    def made(self, *tags, gases=(GAS,), **said):
        answer = self.post("checks/", {"tags": list(tags), "said": {**SAID, **said}, "gases": list(gases)})
        self.assertEqual(answer.status_code, 201, answer.content)
        self.round_id = answer.json()["id"]
        return answer.json()

    def act(self, what, tag, **more):
        return self.post(f"checks/{self.round_id}/{what}/", {"tag": tag, **more})

    def job(self, what, tag, **more):
        answer = self.act(what, tag, **more)
        self.assertEqual(answer.status_code, 200, answer.content)
        return next(j for j in answer.json()["jobs"] if j["tag"].casefold() == tag.strip().casefold())

    def read(self, tag, text, **more):
        return self.job("read", tag, event_id=str(uuid.uuid4()), indicated=text, **more)

    def done(self, tag, text="50"):
        """One detector from its hold to its hold off."""
        self.job("begin", tag)
        self.read(tag, text)
        self.job("on", tag, said={"purged": "0"})
        return self.job("back", tag, said={"reading": "0"})


class Due(CheckCase):
    def test_a_check_has_an_interval_of_its_own(self):
        today = timezone.localdate()
        found = Instrument.objects.get(tag="AE-A")
        self.assertEqual(found.next_check, today)  # never checked: at once
        for last, left in ((today - timedelta(days=90), 0), (today - timedelta(days=91), -1), (today - timedelta(days=60), 30)):
            found.last_check_on = last
            found.save()
            row = next(r for r in self.get("checks/due/").json() if r["tag"] == "AE-A")
            self.assertEqual(row["next_check"], (today + timedelta(days=left)).isoformat())
            self.assertIn("every 90 days", row["why"])
        found.last_check_on = today - timedelta(days=59)
        found.save()
        self.assertNotIn("AE-A", [r["tag"] for r in self.get("checks/due/").json()])

    def test_a_calibration_counts_as_a_check_and_a_check_is_no_calibration(self):
        self.made("AE-A")
        self.done("AE-A")
        self.post(f"checks/{self.round_id}/sign/", {"password": PASSWORD})
        found = Instrument.objects.get(tag="AE-A")
        self.assertEqual(found.last_check_on, timezone.localdate())
        self.assertEqual(found.next_check, timezone.localdate() + timedelta(days=90))
        self.assertIsNone(found.last_done_on)

    def test_none_is_planned_where_no_days_are_set_or_no_check_exists(self):
        for details, method, unit in (
            ({**HYDROGEN, "check_days": "0"}, "gas-zero-span", "%LEL"),
            ({"check_days": "30"}, "tx-multipoint", "kPa"),
        ):
            i = Instrument(tag="X", method=method, unit=unit, details=details)
            i.fold()
            self.assertIsNone(i.next_check)


class Round(CheckCase):
    def test_a_detector_from_its_hold_to_its_record(self):
        self.made("AE-C")
        job = self.job("begin", "ae-c ")  # as a scanner or a hurried thumb gives it
        self.assertEqual((job["state"], job["is_on_hold"]), ("at work", True))
        hold = Hold.objects.get(instrument__tag="AE-C")
        self.assertIn("patrol with a portable", hold.reason)
        self.assertEqual(self.read("AE-C", "49")["at_step"], "Purge")
        self.assertEqual(self.job("on", "AE-C", said={"purged": "0"})["at_step"], "Put it back")
        job = self.job("back", "AE-C", said={"reading": "0"})
        self.assertEqual((job["state"], job["is_on_hold"]), ("ready", False))
        self.assertFailure(self.post(f"checks/{self.round_id}/sign/", {"password": "wrong"}), 400, "wrong_password")
        with self.captureOnCommitCallbacks(execute=True):
            self.post(f"checks/{self.round_id}/sign/", {"password": PASSWORD})
        self.assertIsNotNone(self.get(f"checks/{self.round_id}/").json()["closed_at"])
        run = Run.objects.get(instrument__tag="AE-C")
        self.assertEqual((run.status, run.method, run.found_verdict), ("signed", "gas-bump", "pass"))
        self.assertFailure(self.post(f"checks/{self.round_id}/sign/", {"password": PASSWORD}), 400, "nothing_ready")

    def test_one_signature_for_all_that_is_ready_a_record_each(self):
        self.made("AE-A", "AE-C", "AE-B")
        self.done("AE-A")
        self.done("AE-C")
        answer = self.post(f"checks/{self.round_id}/sign/", {"password": PASSWORD}).json()
        self.assertEqual([j["state"] for j in answer["jobs"]], ["signed", "signed", "to do"])
        self.assertIsNone(answer["closed_at"])
        self.assertEqual(Run.objects.filter(status="signed").count(), 2)

    def test_two_of_a_vote_are_kept_apart_in_order_and_on_hold(self):
        made = self.made("AE-B", "AE-A", "AE-C")
        self.assertEqual([j["tag"] for j in made["jobs"]], ["AE-A", "AE-C", "AE-B"])
        self.job("begin", "AE-A")
        refused = self.act("begin", "AE-B")
        self.assertFailure(refused, 400, "group_on_hold")
        self.assertFalse(Hold.objects.filter(instrument__tag="AE-B").exists())
        self.read("AE-A", "50")
        self.job("on", "AE-A", said={"purged": "0"})
        self.job("back", "AE-A", said={"reading": "0"})
        self.assertTrue(self.job("begin", "AE-B")["is_on_hold"])

    def test_one_that_fails_waits_and_is_set_aside_with_its_hold(self):
        self.made("AE-C", "AE-A")
        self.job("begin", "AE-C")
        job = self.read("AE-C", "30")
        self.assertEqual((job["at_step"], job["verdict"]), ("Judge as found", "fail"))
        job = self.job("aside", "AE-C", reason="weak, to be calibrated tomorrow")
        self.assertEqual((job["state"], job["is_on_hold"]), ("set aside", True))
        self.assertFailure(self.act("aside", "AE-A", reason=" "), 400, "missing")
        self.assertEqual(self.job("begin", "AE-C")["state"], "at work")  # taken up again

    def test_a_round_is_over_when_its_last_one_is_signed_elsewhere_or_passed_over(self):
        self.made("AE-C", "AE-A")
        self.job("begin", "AE-C")
        self.read("AE-C", "30")
        self.job("aside", "AE-C", reason="to be calibrated")
        self.job("aside", "AE-A", reason="scaffold is missing")
        self.assertIsNone(self.get(f"checks/{self.round_id}/").json()["closed_at"])  # one is open with its hold
        again = self.post("checks/", {"tags": ["AE-A"], "said": SAID, "gases": [GAS]})
        self.assertEqual(again.status_code, 201)  # what was passed over may be in another
        run = Run.objects.get(instrument__tag="AE-C")
        with self.captureOnCommitCallbacks(execute=True):
            self.post(
                f"runs/{run.id}/void/", {"reason": "given up", "password": PASSWORD, "keeps_hold": True, "expected_seq": run.events_count}
            )
        self.assertEqual(Run.objects.get(pk=run.pk).status, "voided")
        self.assertIsNotNone(self.get(f"checks/{self.round_id}/").json()["closed_at"])

    def test_a_failed_one_can_be_exposed_again(self):
        self.made("AE-C")
        self.job("begin", "AE-C")
        self.read("AE-C", "30")
        self.job("again", "AE-C", reason="the cup sat askew")
        self.assertEqual(self.read("AE-C", "50")["at_step"], "Purge")
        self.assertFailure(self.act("again", "AE-C", reason="once more"), 400, "not_at_judge")

    def test_the_same_reading_sent_twice_is_stored_once(self):
        self.made("AE-C")
        self.job("begin", "AE-C")
        sent = {"event_id": str(uuid.uuid4()), "indicated": "50"}
        self.job("read", "AE-C", **sent)
        self.assertEqual(self.job("read", "AE-C", **sent)["at_step"], "Purge")
        self.assertFailure(self.act("read", "AE-C", event_id=str(uuid.uuid4()), indicated="50"), 400, "not_at_readings")

    def test_a_slip_is_asked_about_and_nothing_is_lost(self):
        self.made("AE-C")
        self.job("begin", "AE-C")
        refused = self.act("read", "AE-C", event_id=str(uuid.uuid4()), indicated="120")
        self.assertFailure(refused, 400, "unlikely_reading")
        self.assertEqual(self.read("AE-C", "120", is_sure=True)["verdict"], "fail")

    def test_what_the_round_has_not_said_is_asked_of_the_one_that_needs_it(self):
        oxygen = {"gas": "oxygen", "technology": "oxygen", "partial_pressure": True, "check_days": "30"}
        self.detector("AE-O", method="gas-oxygen", unit="% vol", urv=25, details=None, own=oxygen)
        self.made("AE-O", gases=[{"bottle": "G-AIR", "regulator": "V-1", "line": "L-1"}])
        job = self.job("begin", "AE-O")
        self.assertEqual([a["name"] for a in job["asks"]], ["pressure_kpa"])
        self.assertFalse(job["is_on_hold"])
        self.assertFailure(self.act("begin", "AE-O", said={"pressure_kpa": "200"}), 400, "out_of_range")
        job = self.job("begin", "AE-O", said={"pressure_kpa": "101.2"})
        self.assertEqual((job["asks"], job["is_on_hold"]), ([], True))

    def test_alarms_are_asked_and_only_then_judged(self):
        self.detector("AE-D", details={"alarms": "Low 20 rising latching; High 40 rising"})
        self.made("AE-D")
        self.job("begin", "AE-D")
        self.assertEqual(self.read("AE-D", "50")["at_step"], "Alarms")
        self.job("on", "AE-D", said={"alarms_came": "all"})
        self.job("on", "AE-D", said={"purged": "0"})
        self.assertIn("Latched alarms: Reset, and seen clear", self.get(f"checks/{self.round_id}/tap/?tag=AE-D").json()["says"])
        self.assertEqual(self.job("back", "AE-D", said={"reading": "0"})["state"], "ready")

    def test_gas_left_in_it_keeps_the_hold_on(self):
        self.made("AE-C")
        self.job("begin", "AE-C")
        self.read("AE-C", "50")
        self.assertFailure(self.act("on", "AE-C", said={"purged": "9"}), 400, "out_of_range")
        self.job("on", "AE-C", said={"purged": "0"})
        self.assertFailure(self.act("back", "AE-C", said={"reading": "9"}), 400, "out_of_range")
        self.assertIsNone(Hold.objects.get(instrument__tag="AE-C").released_at)

    def test_litres_are_counted_down_and_others_at_the_bottle_named(self):
        gas = self.made("AE-A", "AE-C")["gases"][0]
        self.assertEqual(gas["checks"], 2)
        left, wanted = gas["litres_left"], gas["litres_wanted"]
        self.done("AE-A")
        gas = self.get(f"checks/{self.round_id}/").json()["gases"][0]
        self.assertLess(gas["litres_left"], left)
        self.assertAlmostEqual(gas["litres_wanted"], wanted / 2, places=1)
        self.assertEqual(gas["others"], [])
        first = self.round_id
        self.sign_in(self.tomas)
        self.made("AE-B")
        self.sign_in(self.ines)
        gas = self.get(f"checks/{first}/").json()["gases"][0]
        self.assertEqual(gas["others"], [f"{self.tomas.name}, in a round of checks"])
        self.assertTrue(KitUse.objects.filter(item="G-H2").exists())

    def test_a_bottle_is_counted_on_by_the_rules_that_judge_it(self):
        oxygen = {"gas": "oxygen", "technology": "oxygen", "check_days": "30"}
        self.detector("AE-O", method="gas-oxygen", unit="% vol", urv=25, own=oxygen)
        air = {**GAS, "bottle": "G-AIR"}
        counted = {g["bottle"]: g["checks"] for g in self.made("AE-O", "AE-C", gases=[GAS, air])["gases"]}
        self.assertEqual(counted, {"G-H2": 1, "G-AIR": 1})  # hydrogen in air is no clean air

    def test_a_bottle_that_runs_short_is_said(self):
        GasBottle.objects.filter(code="G-H2").update(litres=2.0)
        self.assertTrue(self.made("AE-A", "AE-C")["gases"][0]["is_short"])

    def test_a_gas_that_does_not_suit_is_named_with_its_reason_and_another_can_be_added(self):
        self.made("AE-C", gases=[{**GAS, "bottle": "G-AIR"}])
        refused = self.act("begin", "AE-C")
        self.assertFailure(refused, 400, "no_gas")
        self.assertIn("hydrogen is needed", refused.json()["message"])
        self.assertEqual(self.post(f"checks/{self.round_id}/gas/", GAS).status_code, 200)
        self.assertTrue(self.job("begin", "AE-C")["is_on_hold"])

    def test_somebody_elses_round_is_theirs(self):
        self.made("AE-C")
        self.sign_in(self.tomas)
        self.assertFailure(self.act("begin", "AE-C"), 403, "not_yours")
        self.assertFalse(self.get(f"checks/{self.round_id}/").json()["is_mine"])
        self.assertFailure(self.post(f"checks/{self.round_id}/sign/", {"password": PASSWORD}), 403, "not_yours")
        refused = self.post("checks/", {"tags": ["AE-C"], "said": SAID, "gases": [GAS]})
        self.assertFailure(refused, 400, "in_a_round")

    def test_what_is_said_once_must_be_said(self):
        for name in ("operator", "temperature", "reminder"):
            refused = self.post("checks/", {"tags": ["AE-C"], "said": {**SAID, name: ""}, "gases": [GAS]})
            self.assertFailure(refused, 400, "missing")
        for name, text, ok in (
            ("temperature", "70", True),
            ("temperature", "70.1", False),
            ("minutes", "240", True),
            ("minutes", "241", False),
        ):
            answer = self.post("checks/", {"tags": ["AE-C"], "said": {**SAID, name: text}, "gases": [GAS]})
            self.assertEqual(answer.status_code, 201 if ok else 400, (name, text))
            CheckRound.objects.all().delete()
        self.assertFailure(self.post("checks/", {"tags": ["AE-C"], "said": SAID, "gases": []}), 400, "missing")
        self.assertFailure(self.post("checks/", {"tags": ["PT-2110"], "said": SAID, "gases": [GAS]}), 400, "no_check")
        self.assertFailure(self.post("checks/", {"tags": ["NOPE"], "said": SAID, "gases": [GAS]}), 404, "unknown_tag")

    def test_a_tag_of_another_round_or_none_is_told(self):
        self.made("AE-C")
        self.assertFailure(self.act("begin", "AE-A"), 404, "not_in_round")
        self.assertFailure(self.act("on", "AE-C", said={}), 400, "not_begun")
