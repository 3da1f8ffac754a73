"""Gas in runs and the holds board, over HTTP."""

import uuid
from datetime import date, timedelta

from django.utils import timezone

from apps.kit.models import GasBottle, GasFitting
from apps.plant.models import Instrument
from apps.runs.models import Hold, KitUse, Result, Run
from apps.runs.tests.base import PASSWORD, PlantTestCase

HYDROGEN = {"gas": "hydrogen", "basis": "iec", "technology": "catalytic", "t90_s": "10", "signal_unit": "mV", "new_sensitivity": "0.5"}


def make_gas(code, gas="hydrogen", value=50.0, **more):
    gases = [{"gas": gas, "value": value, "unit": "%LEL", "u_percent": 2.0, "basis": "iec"}] if gas else []
    fields = {"balance": "air", "oxygen": 20.9, "litres": 100, "expires_on": timezone.localdate() + timedelta(days=200), **more}
    return GasBottle.objects.create(code=code, name="Gas", gases=gases, **fields)


class GasCase(PlantTestCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        for tag in ("AE-A", "AE-B", "AE-C"):
            cls.detector(tag)
        make_gas("G-H2")
        make_gas("G-AIR", gas="")
        GasFitting.objects.create(code="V-1", kind="regulator", material="stainless steel", flow_l_min=0.5)
        GasFitting.objects.create(code="L-1", kind="line", material="PTFE-lined", length_m=1, is_conditioned=True)

    @classmethod
    def detector(cls, tag, **more):
        fields = {"details": HYDROGEN, "voting_group": "V1", "policy": {"countdown_s": 0}, "feeds": "Cell trip", **more}
        return Instrument.objects.create(
            tag=tag, serial=f"S-{tag}", service="Hydrogen", area=cls.area, family="gas detector", method="gas-zero-span",
            unit="%LEL", lrv=0, urv=100, tolerance_value=5, **fields,
        )  # fmt: skip

    def to(self, kind, *, agreement="", span="G-H2", **values):
        """Confirm step after step until a step of that kind or key."""
        given = {
            "operator": "Control",
            "temperature": "20",
            "exposed_to": "none",
            "condition": "clean",
            "purged": "0",
            "reading": "0",
            "latches": "none",
            "reminder": "none",
            **values,
        }
        for _ in range(30):
            view = self.get(f"runs/{self.run_id}/").json()["view"]
            self.seq, step = view["seq"], view["step"]
            if step is None or kind in (step["kind"], step["key"]):
                return view
            if step["kind"] == "hold":
                place = {"step": "hold", "kind": "inhibit", "reason": "Calibration", "minutes": "60", "agreement": agreement}
                self.ok(("hold_placed", place))
                continue
            for f in step["fields"]:
                if f["kind"] == "gas":
                    code = "G-AIR" if f["name"] == "zero" else span
                    self.ok(("gas_assigned", {"role": f["name"], "bottle": code, "regulator": "V-1", "line": "L-1"}))
            i = view["instrument"]
            mine = {f["name"]: given.get(f["name"], "") for f in step["fields"] if f["kind"] != "gas"} | {
                "tag": i["tag"],
                "serial": i["serial"],
            }
            if step["kind"] == "release":
                self.ok(("hold_released", {"hold": view["holds"][0]["id"], "values": mine}))
            else:
                self.ok(("step_confirmed", {"step": step["key"], "values": mine, "checks": [c["key"] for c in step["checks"]]}))
        raise AssertionError(f"stuck at {step['key']}")

    def expose(self, *texts, step="as_found", **more):
        return self.ok(*[("reading_taken", {"step": step, "slot": n, "indicated": t, **more}) for n, t in enumerate(texts)])

    def leave(self):
        """Left as it is, with what stands in for it where it failed."""
        told = {
            "step": "judge",
            "choice": "leave",
            "reason": "looks good enough",
            "stand_in": "portable at the cells",
            "stand_in_hours": "24",
        }
        body = {"type": "decision_made", "expected_seq": self.seq, "id": str(uuid.uuid4()), "payload": told, "second": "tomas"}
        answer = self.post(f"runs/{self.run_id}/second/", {**body, "password": PASSWORD})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.seq = answer.json()["view"]["seq"]

    def whole(self, tag, span_reads, signal="25"):
        """A run left as found and signed."""
        self.start(tag)
        self.to("readings", agreement="Holt agreed: portable stands in")
        self.expose("0", span_reads, signal=signal)
        self.leave()
        self.to("sign")
        self.assertEqual(self.sign().status_code, 200)


class Gas(GasCase):
    def test_bottles_are_ranked_with_their_reasons_and_the_best_proposed(self):
        make_gas("G-OLD", expires_on=timezone.localdate() - timedelta(days=1))
        make_gas("G-CH4", gas="methane")
        make_gas("G-N2", balance="nitrogen", oxygen=0.0)
        self.start("AE-A")
        told = self.get(f"runs/{self.run_id}/gas/span/").json()
        first, *others = told["bottles"]
        self.assertEqual((first["code"], first["is_proposed"], first["regulator"], first["line"]), ("G-H2", True, "V-1", "L-1"))
        says = {b["code"]: " ".join(r["says"] for r in b["remarks"] if r["standing"] == "refuse") for b in others}
        self.assertIn("expired", says["G-OLD"])
        self.assertIn("hydrogen is needed", says["G-CH4"])
        self.assertIn("reads low", says["G-N2"])
        self.assertFailure(self.get(f"runs/{self.run_id}/gas/helium/"), 400, "unknown_role")

    def test_a_bottle_is_dry_and_the_air_of_the_place_is_not(self):
        i = Instrument.objects.get(tag="AE-A")
        i.details = {**i.details, "needs_humid": "yes"}
        i.save()
        self.start("AE-A")
        says = {b["code"]: " ".join(r["says"] for r in b["remarks"]) for b in self.get(f"runs/{self.run_id}/gas/zero/").json()["bottles"]}
        self.assertIn("the bottle is dry", says["G-AIR"])
        self.assertNotIn("dry", says["AMBIENT"])

    def test_a_wrong_or_unknown_bottle_is_refused_and_claims_of_a_page_do_not_count(self):
        make_gas("G-CH4", gas="methane")
        self.start("AE-A")
        self.to("gas")
        self.assertFailure(self.send(("gas_assigned", {"role": "span", "bottle": "G-CH4"})), 400, "kit_refused")
        self.assertFailure(self.send(("gas_assigned", {"role": "span", "bottle": "NOBODY"})), 404, "unknown_bottle")
        claim = {"role": "span", "bottle": {"code": "G-H2", "litres_left": 1e9}}
        self.assertEqual(self.send(("gas_assigned", claim)).status_code, 404)

    def test_runs_use_up_their_bottles(self):
        self.whole("AE-A", "50")
        used = KitUse.objects.get(item="G-H2").amount
        self.assertAlmostEqual(used, 0.5 * 70 / 60, places=3)
        row = next(b for b in self.get("gas/").json()["bottles"] if b["code"] == "G-H2")
        self.assertAlmostEqual(row["litres_left"], 100 - used, delta=0.06)

    def test_three_detectors_low_alike_raise_the_bottle(self):
        for tag in ("AE-A", "AE-B"):
            self.whole(tag, "41")
        self.start("AE-C")
        self.to("readings", agreement="Holt agreed: portable stands in")
        view = self.expose("0", "40.5")["view"]
        self.assertEqual(view["evidence"][0]["signatures"][0]["code"], "same-bottle")
        row = next(b for b in self.get("gas/").json()["bottles"] if b["code"] == "G-H2")
        self.assertIn("the bottle, not the detectors", row["suspicion"])
        self.assertIn("the bottle, not the detectors", " ".join(self.get("today/").json()["first"]))

    def test_a_sensors_life_is_told_from_finished_runs(self):
        for n, signal in enumerate(("25", "22", "19.5", "17")):
            self.whole("AE-A", "50", signal=signal)
            Result.objects.filter(run_id=self.run_id).update(at=timezone.localtime() - timedelta(days=90 * (4 - n)))
        told = self.get("instruments/AE-A/sensor-life/").json()["channels"][0]
        self.assertAlmostEqual(told["relative_percent"], 68.0, delta=0.1)
        self.assertEqual(len(told["points"]), 4)
        self.assertIsNotNone(told["replace_by"])
        self.assertIn("As of the last calibration", told["says"])

    def test_a_sensor_ends_by_its_signal_its_date_or_its_dose_whichever_is_first(self):
        for n, signal in enumerate(("25", "22", "19.5", "17")):
            self.whole("AE-A", "50", signal=signal)
            Result.objects.filter(run_id=self.run_id).update(at=timezone.localtime() - timedelta(days=90 * (4 - n)))
        since = (timezone.localdate() - timedelta(days=400)).isoformat()
        for more, first in (
            ({}, "its signal"),
            ({"sensor_since": since, "life_months": "14"}, "its date"),
            ({"dose_limit": "5"}, "its dose"),
        ):
            Instrument.objects.filter(tag="AE-A").update(details={**HYDROGEN, **more})
            told = self.get("instruments/AE-A/sensor-life/").json()["channels"][0]
            self.assertEqual(told["ends"][0]["by"], first, told["ends"])
            self.assertEqual(told["replace_by"], min(e["on"] for e in told["ends"]))

    def test_a_poisoned_sensor_is_given_half_of_what_would_be_left(self):
        for n, signal in enumerate(("25", "22", "19.5", "17")):
            self.whole("AE-A", "50", signal=signal)
            Result.objects.filter(run_id=self.run_id).update(at=timezone.localtime() - timedelta(days=90 * (4 - n)))
        before = self.get("instruments/AE-A/sensor-life/").json()["channels"][0]
        last = Result.objects.filter(run_id=self.run_id, name="exposure").latest("at")
        last.more = {**last.more, "poison": "silicone"}
        last.save()
        after = self.get("instruments/AE-A/sensor-life/").json()["channels"][0]
        of = date.fromisoformat(before["as_of"][:10])
        left = [(date.fromisoformat(told["ends_on"]) - of).days for told in (before, after)]
        self.assertAlmostEqual(left[1], left[0] / 2, delta=1)
        self.assertIn("exposed to silicone", after["says"])

    def test_a_replaced_sensor_starts_a_new_life(self):
        self.whole("AE-A", "50")
        self.start("AE-A")
        self.to("readings")
        self.expose("0", "20")
        self.ok(("decision_made", {"step": "judge", "choice": "exchange", "reason": "worn out"}))
        fitted = {"new_serial": "N-77", "work": "new sensor fitted"}
        self.ok(("step_confirmed", {"step": "exchange", "values": fitted, "checks": ["type", "stable"]}))
        for screw, read in (("zero", "0"), ("span", "50")):
            self.ok(("adjustment_made", {"step": "adjust", "screw": screw, "before": read, "after": ""}))
        self.ok(("step_confirmed", {"step": "adjust"}))
        self.expose("0", "50", step="as_left", signal="25.5")
        self.ok(("decision_made", {"step": "judge_left", "choice": "leave"}))
        self.to("sign")
        self.assertEqual(self.sign().status_code, 200)
        told = self.get("instruments/AE-A/sensor-life/").json()["channels"][0]
        self.assertEqual((told["life"], told["lives_before"], len(told["points"])), ("N-77", 1, 1))
        self.assertEqual([(e["life"], len(e["points"])) for e in told["earlier"]], [("first", 1)])  # its course is kept
        self.assertEqual(Instrument.objects.get(tag="AE-A").details["sensor_serial"], "N-77")

    def test_the_register_wants_the_basis_of_percent_lel_and_the_gas(self):
        self.sign_in(self.ruben)
        data = {
            "tag": "AE-N", "serial": "1", "service": "H2", "area": "RO", "family": "gas detector", "method": "gas-bump", "unit": "%LEL",
            "lrv": "0", "urv": "100", "tolerance_value": "5", "details": {"gas": "hydrogen"},
        }  # fmt: skip
        body = self.post("instruments/", data)
        self.assertEqual(body.status_code, 400)
        self.assertIn("without its basis means nothing", body.content.decode())
        self.assertIn("which gas", self.post("instruments/", {**data, "details": {}}).content.decode())
        self.assertEqual(self.post("instruments/", {**data, "details": {"gas": "hydrogen", "basis": "iec"}}).status_code, 201)

    def test_a_failed_check_is_left_in_service_with_a_stand_in_and_a_second_person(self):
        self.start("AE-A", method="gas-bump")
        self.to("readings")
        self.ok(("reading_taken", {"step": "as_found", "slot": 0, "indicated": "20"}))
        told = {
            "step": "judge",
            "choice": "replace",
            "reason": "no sensor in store",
            "stand_in": "portable at the cells",
            "stand_in_hours": "24",
        }
        claimed = {**told, "second": {"by": "tomas", "name": "T"}}
        refused = self.assertFailure(self.send(("decision_made", claimed)), 400, "needs_stand_in")
        self.assertEqual([f["field"] for f in refused["details"]["faults"]], ["second"])
        body = {
            "type": "decision_made",
            "expected_seq": self.seq,
            "id": str(uuid.uuid4()),
            "payload": told,
            "second": "tomas",
            "password": PASSWORD,
        }
        self.assertFailure(self.post(f"runs/{self.run_id}/second/", {**body, "second": "ines"}), 403, "same_person")
        answer = self.post(f"runs/{self.run_id}/second/", body)
        self.assertEqual(answer.status_code, 200, answer.content)
        self.seq = answer.json()["view"]["seq"]
        self.to("sign")
        self.assertEqual(self.sign().status_code, 200)
        page = self.get("instruments/AE-A/").json()
        self.assertIn("portable at the cells, until", str(page))
        self.assertIn("agreed by Tomas", str(page))

    def test_forcing_with_a_second_person(self):
        Instrument.objects.filter(tag="AE-A").update(policy={"forced": "second-person"})
        self.start("AE-A")
        self.to("readings")
        self.expose("8", "58")
        self.ok(("decision_made", {"step": "judge", "choice": "adjust", "reason": "zero is off"}))
        turn = {"step": "adjust", "screw": "zero", "before": "8", "after": "0"}
        refused = self.assertFailure(self.send(("adjustment_made", turn)), 400, "out_of_acceptance")
        self.assertTrue(refused["details"]["needs_second"])
        claimed = {**turn, "force_reason": "proved", "second": {"by": "tomas", "name": "T"}}
        self.assertFailure(self.send(("adjustment_made", claimed)), 400, "out_of_acceptance")

        def force(second, password=PASSWORD):
            body = {
                "expected_seq": self.seq,
                "id": str(uuid.uuid4()),
                "payload": {**turn, "force_reason": "proved twice", "gas_proof": "bottle G-2 reads the same"},
            }
            return self.post(f"runs/{self.run_id}/second/", {**body, "second": second, "password": password})

        self.assertFailure(force("ines"), 403, "same_person")
        self.assertGreaterEqual(force("tomas", "wrong").status_code, 400)
        answer = force("tomas")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertIn("with Tomas", answer.json()["view"]["flags"][0])


class Holds(GasCase):
    def held(self, tag="AE-A", **more):
        self.start(tag)
        self.to("readings", **more)
        return Hold.objects.get(run_id=self.run_id)

    def act(self, hold, **given):
        return self.post(f"holds/{hold.event_id}/", given)

    def test_two_of_a_voting_group_take_a_recorded_agreement(self):
        self.held("AE-A")
        self.start("AE-B")
        self.to("hold")
        place = {"step": "hold", "kind": "inhibit", "reason": "Calibration", "minutes": "60"}
        said = self.assertFailure(self.send(("hold_placed", place)), 400, "group_on_hold")
        self.assertIn("AE-A (voting group V1)", said["message"])
        self.ok(("hold_placed", {**place, "agreement": "Holt, shift lead: portable stands in"}))
        rows = {h["tag"]: h for h in self.get("holds/").json()}
        self.assertIn("portable stands in", rows["AE-B"]["agreement"])
        self.assertIn("feeds Cell trip", rows["AE-A"]["risk"])

    def test_a_hold_outlives_its_voided_run_and_is_released_on_the_board(self):
        hold = self.held()
        void = {"expected_seq": self.seq, "reason": "wrong adapter", "release": None}
        self.assertFailure(self.post(f"runs/{self.run_id}/void/", void), 400, "hold_open")
        answer = self.post(f"runs/{self.run_id}/void/", {**void, "keeps_hold": True})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(Run.objects.get(pk=self.run_id).status, "voided")
        self.assertEqual([h["run_status"] for h in self.get("holds/").json()], ["voided"])
        self.assertEqual([f["name"] for f in self.get(f"holds/{hold.event_id}/").json()], ["reading", "latches", "operator"])
        gas = {"reading": "12", "latches": "reset", "operator": "Control"}
        self.assertFailure(self.act(hold, act="release", values=gas), 400, "out_of_range")
        answer = self.act(hold, act="release", values={**gas, "reading": "0.5"})
        self.assertEqual((answer.status_code, answer.json()), (200, []))

    def test_a_hold_is_not_ended_under_somebodys_hands(self):
        hold = self.held()
        release = {"act": "release", "values": {"reading": "0.5", "latches": "reset", "operator": "Control"}, "reason": "wanted back"}
        self.sign_in(self.tomas)
        said = self.assertFailure(self.act(hold, **release), 400, "at_work")["message"]
        self.assertIn("Ines Calder is at work on AE-A: the run is at 'As found'", said)
        seq = self.get(f"runs/{self.run_id}/").json()["view"]["seq"]
        event = {
            "id": str(uuid.uuid4()),
            "type": "hold_released",
            "payload": {"hold": str(hold.event_id), **release, "who": {"leads": True}},
        }
        said = self.post(f"runs/{self.run_id}/events/", {"expected_seq": seq, "events": [event]})
        self.assertFailure(said, 400, "at_work")
        self.sign_in(self.ines)
        self.assertEqual(self.act(hold, act="hand over", to="tomas", note="I am called away").status_code, 200)
        self.sign_in(self.tomas)
        self.assertFailure(self.act(hold, **release), 400, "at_work")
        self.assertEqual(self.act(hold, act="accept").status_code, 200)
        self.sign_in(self.ines)
        self.assertFailure(self.act(hold, **release), 400, "at_work")
        self.sign_in(self.marta)
        self.assertFailure(self.act(hold, **{**release, "reason": ""}), 400, "missing")
        self.assertEqual(self.act(hold, **release).json(), [])
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        self.assertIn("Marta", view["step"]["cautions"][0])
        self.assertEqual(view["step"]["key"], "operator")

    def test_extending_and_handing_over(self):
        hold = self.held()
        self.assertFailure(self.act(hold, act="extend", minutes="-5", reason="later"), 400, "out_of_range")
        self.assertFailure(self.act(hold, act="extend", minutes="30"), 400, "missing")
        before = Hold.objects.get(pk=hold.pk).until
        self.act(hold, act="extend", minutes="180", reason="slow sensor")
        self.assertGreater(Hold.objects.get(pk=hold.pk).until, before)
        self.assertFailure(self.act(hold, act="hand over", to="marta", note="purge next"), 404, "unknown_person")
        answer = self.act(hold, act="hand over", to="tomas", note="purge next")
        told = {k: answer.json()[0][k] for k in ("holder", "offered_to", "note")}
        self.assertEqual(told, {"holder": "ines", "offered_to": "tomas", "note": "purge next"})
        self.assertIn("slow sensor", answer.json()[0]["extended"][0])
        self.assertFailure(self.act(hold, act="accept"), 400, "not_yours")
        self.sign_in(self.tomas)
        row = self.act(hold, act="accept").json()[0]
        self.assertEqual((row["holder"], row["offered_to"], row["note"]), ("tomas", "", "purge next"))
        self.sign_in(self.ines)
        self.assertFailure(self.act(hold, act="extend", minutes="1440", reason="over night"), 400, "needs_approval")
        self.assertEqual(
            self.act(hold, act="extend", minutes="1440", reason="over night", approval="Holt, lead").json()[0]["approval"], "Holt, lead"
        )
        self.assertFailure(self.post(f"holds/{uuid.uuid4()}/", {"act": "release"}), 404, "unknown_hold")
        self.sign_in(self.ruben)
        self.assertFailure(self.act(hold, act="extend", minutes="30", reason="x y"), 403, "not_allowed")

    def test_the_board_tells_what_is_overdue_and_what_soon_will_be(self):
        hold = self.held()
        Hold.objects.filter(pk=hold.pk).update(until=timezone.now() + timedelta(minutes=5))
        row = self.get("holds/").json()[0]
        self.assertEqual((row["is_due_soon"], row["is_overdue"]), (True, False))
        Hold.objects.filter(pk=hold.pk).update(until=timezone.now() - timedelta(minutes=5))
        row = self.get("holds/").json()[0]
        self.assertEqual((row["is_due_soon"], row["is_overdue"]), (False, True))
        self.assertEqual([c["username"] for c in self.get("colleagues/").json()], ["ines", "tomas"])
