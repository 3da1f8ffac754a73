"""The run engine: what is allowed when, what is refused and in which words."""

from dataclasses import replace
from datetime import timedelta
from unittest import TestCase

from metrology.faults import Fault, Faults
from metrology.judgement.policy import resolve_policy
from metrology.methods.registry import METHODS
from metrology.methods.settings import read_settings
from metrology.methods.steps import Field
from metrology.run.current_step import MOST_AHEAD
from metrology.run.events import GENESIS, Event, link
from metrology.run.fields import check_fields
from metrology.run.flags import flags_of
from metrology.run.folding import apply, fold
from metrology.tests.runs import CHECKS, START, Play, instrument, meter, reference

GOOD = [0.05] * 10
ZERO_OFF = [0.8] * 10


class WholeRun(TestCase):
    def test_a_good_transmitter_is_left_alone_and_signed(self):
        run = Play().prepare().read_errors("as_found", GOOD)
        self.assertEqual(run.view["step"]["judge"]["proposal"], "leave")
        run.do("decision_made", step="judge", choice="leave")
        run.finish()
        self.assertEqual(run.state.status, "signed")
        self.assertEqual(run.view["closed"], 1.0)
        self.assertIn("as found stands as as left", str(run.view["rail"]))

    def test_a_zero_shift_is_adjusted_until_both_ends_stay_and_proved_as_left(self):
        run = Play().prepare().read_errors("as_found", ZERO_OFF)
        self.assertEqual(run.view["step"]["judge"]["proposal"], "adjust")
        self.assertEqual(run.view["evidence"][0]["signatures"][0]["code"], "zero-shift")
        run.do("decision_made", step="judge", choice="adjust")
        run.do("adjustment_made", step="adjust", screw="zero", before="4.128", after="4.001")
        run.do("adjustment_made", step="adjust", screw="span", before="20.04", after="20.001")
        run.do("adjustment_made", step="adjust", screw="zero", before="4.03", after="4.002")
        run.do("adjustment_made", step="adjust", screw="span", before="20.003", after="")
        self.assertTrue(run.view["step"]["adjust"]["is_converged"])
        run.do("step_confirmed", step="adjust")
        run.read_errors("as_left", GOOD)
        run.do("decision_made", step="judge_left", choice="leave")
        run.finish()
        titles = [s["title"] for s in run.view["evidence"]]
        self.assertEqual(titles, ["As found", "As left"])

    def test_as_left_out_of_tolerance_may_be_adjusted_again_and_keeps_the_first_take(self):
        run = Play().prepare().read_errors("as_found", ZERO_OFF)
        run.do("decision_made", step="judge", choice="repair", reason="configuration first")
        run.do("step_confirmed", step="repair", values={"work": "Range corrected"})
        run.read_errors("as_left", ZERO_OFF)
        run.do("decision_made", step="judge_left", choice="adjust")
        self.assertEqual(run.current, "adjust_2")
        self.assertEqual(len(run.state.active_readings("as_left")), 10)

    def test_taking_the_points_again_opens_a_second_as_found(self):
        run = Play().prepare().read_errors("as_found", GOOD)
        run.do("decision_made", step="judge", choice="repeat", reason="supply was unstable")
        self.assertEqual(run.current, "as_found_2")

    def test_folding_the_events_again_gives_the_same_view(self):
        run = Play().prepare().read_errors("as_found", ZERO_OFF)
        again = Play()
        again.events, again.state, again.now = run.events, fold(run.events), run.now
        self.assertEqual(again.view, run.view)

    def test_a_returned_run_is_open_for_a_note_and_a_new_signature(self):
        run = Play().prepare().read_errors("as_found", GOOD)
        run.do("decision_made", step="judge", choice="leave")
        run.finish()
        run.do("returned", reason="Which valve was used?")
        self.assertEqual(run.state.status, "returned")
        run.do("note_added", text="Valve V-12.")
        run.do("signed", note="Answered")
        run.do("reviewed", note="")
        self.assertEqual(run.state.status, "accepted")


class FromPaper(TestCase):
    def test_a_reading_from_paper_keeps_both_times(self):
        run = Play().prepare()
        at = (run.now - timedelta(hours=3)).isoformat()
        run.do("reading_taken", step="as_found", slot=0, indicated="4.01", read_at=at, confirmed_unlikely=True)
        row = run.view["evidence"][0]["rows"][0]
        self.assertEqual(row["read_at"], at)
        self.assertEqual(row["at"], run.now.isoformat())
        self.assertEqual(run.state.readings[0].extra["source"], "paper")
        run.do("reading_taken", step="as_found", slot=1, indicated="8.01")
        self.assertIsNone(run.view["evidence"][0]["rows"][1]["read_at"])

    def test_a_time_it_can_t_have_been_is_refused(self):
        run = Play().prepare()
        for text, code in (
            ("half past", "bad_time"),
            ("2026-01-01T10:00", "bad_time"),
            ((run.now + timedelta(hours=1)).isoformat(), "out_of_range"),
            ((run.now - timedelta(days=40)).isoformat(), "out_of_range"),
        ):
            with self.assertRaises(Fault) as caught:
                run.do("reading_taken", step="as_found", slot=0, indicated="4.01", read_at=text)
            self.assertEqual((caught.exception.code, caught.exception.field), (code, "read_at"), text)

    def ask(self, run, slot, at, **more):
        return run.do(
            "reading_taken", step="as_found", slot=slot, indicated=("4.01", "8.01", "12.01")[slot], read_at=at.isoformat(), **more
        )

    def test_a_time_of_before_the_run_or_its_hold_is_asked_about_once(self):
        for of, what in (("started_at", "this run was begun"), ("hold", "its hold was placed")):
            run = Play().prepare()
            hold = next(iter(run.state.holds.values())).placed_at
            limit = run.state.started_at if of == "started_at" else hold
            run.now += timedelta(minutes=30)
            early = limit - timedelta(seconds=1)
            with self.assertRaises(Fault) as caught:
                self.ask(run, 0, early)
            self.assertTrue(caught.exception.context["can_confirm"])
            self.assertIn(what, caught.exception.message)
            self.ask(run, 0, early, confirmed_unlikely=True)
            self.ask(run, 1, early + timedelta(seconds=1) - timedelta(seconds=1))  # as the one before it: not asked again
        run = Play().prepare()
        self.ask(run, 0, max(run.state.started_at, next(iter(run.state.holds.values())).placed_at))

    def test_a_time_far_from_the_reading_before_it_or_before_that_is_asked_about(self):
        for minutes, asked in ((-1, "later than that"), (0, ""), (120, ""), (121, "2.0 h earlier")):
            run = Play().prepare()
            first = run.now
            self.ask(run, 0, first)
            run.now += timedelta(minutes=200)
            at = first + timedelta(minutes=minutes)
            if not asked:
                self.ask(run, 1, at)
                continue
            with self.assertRaises(Fault) as caught:
                self.ask(run, 1, at)
            self.assertIn(asked, caught.exception.message)
            self.ask(run, 1, at, confirmed_unlikely=True)


class Refusals(TestCase):
    def refused(self, code, run, event_type, **payload):
        with self.assertRaises(Fault) as caught:
            run.do(event_type, **payload)
        fault = caught.exception
        codes = [f.code for f in fault.faults] if isinstance(fault, Faults) else [fault.code]
        self.assertIn(code, codes)
        return fault

    def test_as_left_before_as_found(self):
        run = Play().prepare()
        fault = self.refused("as_found_first", run, "reading_taken", step="as_left", slot=0, indicated="4.0")
        self.assertIn("only evidence", fault.message)

    def test_a_reading_for_a_step_that_is_not_current(self):
        self.refused("not_current", Play(), "reading_taken", step="as_found", slot=0, indicated="4.0")

    def test_a_reading_for_another_point(self):
        self.refused("wrong_slot", Play().prepare(), "reading_taken", step="as_found", slot=3, indicated="16.0")

    def test_numbers_that_are_none(self):
        run = Play().prepare()
        for text, code in (
            ("twelve", "not_a_number"),
            ("1e999", "not_finite"),
            ("", "empty"),
            ("  ", "empty"),
            ("nan", "not_a_number"),
            ("12.0.4", "not_a_number"),
            ("4.00 V", "wrong_unit"),
            ("4 kPa", "wrong_unit"),
        ):
            with self.subTest(text=text):
                self.refused(code, run, "reading_taken", step="as_found", slot=0, indicated=text)
        self.assertEqual(run.state.readings, [])

    def test_comma_and_right_unit_are_accepted_and_digits_kept(self):
        run = Play().prepare()
        event = run.do("reading_taken", step="as_found", slot=0, indicated="4,010 mA")
        self.assertEqual(event.payload["indicated"], "4.010")

    def test_an_output_that_cannot_be_is_asked_about_with_the_likely_number(self):
        run = Play().prepare().read("as_found", ["4.0", "8.0"])
        fault = self.refused("unlikely_reading", run, "reading_taken", step="as_found", slot=2, indicated="1204")
        self.assertEqual(fault.context["suggestion"], "12.04")
        self.assertIn("Did you mean 12.04 mA?", fault.message)
        run.do("reading_taken", step="as_found", slot=2, indicated="0.00", confirmed_unlikely=True)
        self.assertTrue(run.state.readings[-1].was_confirmed_unlikely)

    def test_the_wrong_plate_stops_the_run_without_giving_the_right_one_away(self):
        run = Play()
        for tag, serial in (
            ("PT-2102", "MB-48213"),
            ("PT-2101", "MB-48214"),
            ("PT-2101A", "MB-48213"),
            ("PT-210", "MB-48213"),
            ("--", "MB-48213"),
        ):
            fault = self.refused("wrong_instrument", run, "step_confirmed", step="identity", values={"tag": tag, "serial": serial})
            self.assertNotIn("48213" if serial != "MB-48213" else "PT-2101.", fault.message)

    def test_case_hyphens_and_blanks_of_a_plate_do_not_count(self):
        for tag, serial in (("pt-2101", "mb 48213"), ("PT2101", "MB48213"), (" Pt 2101 ", "MB-48213")):
            run = Play()
            run.do("step_confirmed", step="identity", values={"tag": tag, "serial": serial})
            self.assertEqual(dict(run.state.confirmations["identity"].values), {"tag": "PT-2101", "serial": "MB-48213"})

    def test_references_that_will_not_do(self):
        run = Play()
        run.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
        for code, role, ref in (
            ("expired", "applied", reference(due_on="2026-10-31")),
            ("not_covering", "applied", reference(high=250.0)),
            ("wrong_quantity", "applied", meter()),
            ("out_of_service", "applied", reference(state="quarantined")),
            ("too_coarse", "applied", reference(u_absolute=2.5)),
            ("low_tur", "applied", reference(u_absolute=1.0)),
        ):
            with self.subTest(code=code):
                self.refused(code, run, "reference_assigned", role=role, reference=ref)

    def test_a_reference_in_another_unit_is_converted(self):
        run = Play()
        run.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
        event = run.do("reference_assigned", role="applied", reference=reference(unit="bar", high=10.0, u_absolute=0.0005))
        self.assertAlmostEqual(event.payload["tur"], 2.0 / 0.05, places=6)

    def test_readings_wait_for_the_warm_up_unless_it_is_cut_short_with_a_reason(self):
        run = Play(instrument=instrument(warm_up_min=30.0)).prepare()
        self.refused("warming_up", run, "reading_taken", step="as_found", slot=0, indicated="4.0")
        self.refused("missing", run, "timer_ended", step="warm_up")
        run.do("timer_ended", step="warm_up", reason="was powered all night")
        run.do("reading_taken", step="as_found", slot=0, indicated="4.0")

    def test_signing_names_everything_that_is_open(self):
        run = Play().prepare()
        fault = self.refused("still_open", run, "signed")
        self.assertIn("inhibit", fault.message)
        self.assertIn("'Put it back' is not finished", fault.message)

    def test_a_choice_against_the_proposal_needs_a_reason(self):
        run = Play().prepare().read_errors("as_found", ZERO_OFF)
        self.refused("missing", run, "decision_made", step="judge", choice="leave")
        run.do("decision_made", step="judge", choice="leave", reason="shutdown in an hour")

    def test_a_struck_reading_stays_and_its_point_is_taken_again(self):
        run = Play().prepare().read("as_found", ["4.0", "8.8"])
        self.refused("missing", run, "reading_struck", reading=run.state.readings[1].id)
        run.do("reading_struck", reading=run.state.readings[1].id, reason="typed 8.8 for 8.0")
        run.read("as_found", ["8.0"])
        self.assertEqual([r.is_struck for r in run.state.readings], [False, True, False])
        run.read("as_found", ["12", "16", "20", "20", "16", "12", "8", "4"])
        run.do("decision_made", step="judge", choice="leave")
        self.refused("already_judged", run, "reading_struck", reading=run.state.readings[0].id, reason="second thoughts")

    def test_zero_comes_before_span_and_turning_needs_an_after(self):
        run = Play().prepare().read_errors("as_found", ZERO_OFF)
        run.do("decision_made", step="judge", choice="adjust")
        self.refused("wrong_screw", run, "adjustment_made", step="adjust", screw="span", before="20.1", after="20.0")
        self.refused("not_in_aim", run, "adjustment_made", step="adjust", screw="zero", before="4.128", after="")
        self.refused("nothing_adjusted", run, "step_confirmed", step="adjust")

    def test_adjusting_that_does_not_converge_stops_with_a_reason(self):
        run = Play().prepare().read_errors("as_found", ZERO_OFF)
        run.do("decision_made", step="judge", choice="adjust")
        for screw, before, after in (
            ("zero", "4.128", "4.0"),
            ("span", "20.2", "20.0"),
            ("zero", "4.127", "4.0"),
            ("span", "20.19", "20.0"),
            ("zero", "4.127", "4.0"),
        ):
            run.do("adjustment_made", step="adjust", screw=screw, before=before, after=after)
        self.assertTrue(run.view["step"]["adjust"]["is_stuck"])
        self.refused("adjusting_ended", run, "adjustment_made", step="adjust", screw="span", before="20.2", after="20.0")
        self.refused("missing", run, "step_confirmed", step="adjust")
        run.do("step_confirmed", step="adjust", reason="screw slips")

    def test_a_hold_cannot_end_in_the_past_and_voiding_waits_for_its_release(self):
        run = Play()
        run.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
        self.refused("not_current", run, "hold_placed", step="hold", kind="inhibit", reason="Calibration", minutes="60")
        run = Play().prepare()
        self.refused("hold_open", run, "voided", reason="wrong day")
        run.do("hold_released", hold=run.state.open_holds[0].id, reason="called away", values={"reading": "210", "operator": "Control"})
        self.refused("hold_off", run, "reading_taken", step="as_found", slot=0, indicated="4.0")
        run.do("voided", reason="wrong day")
        self.refused("voided", run, "note_added", text="late thought")

    def release(self, run, who, **more):
        told = {"reason": "called away", "values": {"reading": "210", "operator": "Control"}, **more}
        run.do("hold_released", hold=run.state.open_holds[0].id, who=who, **told)

    def test_a_hold_at_work_comes_off_for_its_holder_or_a_lead_and_for_nobody_else(self):
        for by, leads, allowed in (("tomas", False, False), ("ines", False, True), ("marta", True, True)):
            run = Play().prepare()
            if allowed:
                self.release(run, {"by": by, "leads": leads})
                self.assertEqual(run.state.open_holds, [])
            else:
                with self.assertRaisesRegex(Fault, "Ines is at work on PT-2101: the run is at 'As found'.*The hold stays on"):
                    self.release(run, {"by": by, "leads": leads})
                self.assertEqual(len(run.state.open_holds), 1)

    def test_when_the_work_is_done_whoever_is_there_may_take_it_off(self):
        run = Play().prepare().read_errors("as_found", GOOD)
        run.do("decision_made", step="judge", choice="leave")
        run.do("step_confirmed", step="restore", checks=[c["key"] for c in run.view["step"]["checks"]])
        self.release(run, {"by": "tomas", "leads": False}, reason="")
        self.assertEqual(run.current, "sign")

    def test_a_run_that_lost_its_hold_is_made_safe_again_and_goes_on_where_it_was(self):
        run = Play().prepare()
        run.do("reading_taken", step="as_found", slot=0, indicated="4.001")
        self.release(run, {"by": "ines", "leads": False})
        self.assertEqual(run.current, "operator")
        self.assertIn("took the inhibit off while the run was at work: called away", run.view["step"]["cautions"][0])
        self.assertEqual([r["reason"] for r in run.view["reopened"]], ["called away"] * len(run.view["reopened"]))
        self.refused("hold_off", run, "reading_taken", step="as_found", slot=1, indicated="8.0")
        run.make_safe()
        self.assertEqual(run.current, "as_found")
        self.assertNotIn("took the inhibit off", str(run.view["step"]["cautions"]))
        run.do("reading_taken", step="as_found", slot=1, indicated="8.0")
        self.assertEqual(len(run.state.active_readings("as_found")), 2)

    def test_what_is_read_live_counts_at_the_release_and_not_what_was_typed(self):
        run = Play().prepare().read_errors("as_found", GOOD)
        run.do("decision_made", step="judge", choice="leave")
        run.do("step_confirmed", step="restore", checks=[c["key"] for c in run.view["step"]["checks"]])
        seen = {"reading": {"text": "214", "unit": "kPa", "label": "PT-2101 display"}}
        self.release(run, {"by": "ines", "leads": False}, reason="", seen=seen)
        self.assertEqual(run.view["holds"][0]["release_values"]["reading"], "214")

    def test_a_signed_run_takes_no_more_readings(self):
        run = Play().prepare().read_errors("as_found", GOOD)
        run.do("decision_made", step="judge", choice="leave")
        run.finish()
        self.refused("signed", run, "reading_taken", step="as_found", slot=0, indicated="4.0")


class Policies(TestCase):
    def proposal(self, errors, **policy):
        run = Play(policy=resolve_policy(policy)).prepare().read_errors("as_found", errors)
        return run.view["step"]["judge"]

    def test_adjust_schools(self):
        inside = [0.4] * 10
        self.assertEqual(self.proposal(inside)["proposal"], "adjust")  # 80 % of tolerance, past the limit of 70 %
        self.assertEqual(self.proposal(inside, adjust_when="never")["proposal"], "leave")
        self.assertEqual(self.proposal([0.2] * 10)["proposal"], "leave")
        self.assertEqual(self.proposal([0.2] * 10, adjust_when="always")["proposal"], "adjust")

    def test_a_guard_band_makes_a_close_pass_marginal(self):
        close = [0.495] * 10
        self.assertEqual(self.proposal(close)["verdict"], "pass")
        self.assertEqual(self.proposal(close, pass_rule="guard-u")["verdict"], "marginal")

    def test_hysteresis_is_not_adjusted_away(self):
        errors = [0.0, -0.5, -0.7, -0.5, 0.0, 0.0, 0.5, 0.7, 0.5, 0.0]
        self.assertEqual(self.proposal(errors)["proposal"], "repair")

    def test_one_typing_slip_is_taken_again(self):
        errors = [0.02, 0.03, 5.6, 0.03, 0.02, 0.02, 0.03, 0.02, 0.03, 0.02]
        self.assertEqual(self.proposal(errors)["proposal"], "repeat")

    def test_unknown_policies_are_refused(self):
        for layer in ({"adjust": "never"}, {"pass_rule": "hope"}, {"adjust_limit_percent": 0}, {"max_risk": "x"}):
            with self.subTest(layer=layer), self.assertRaises(Fault):
                resolve_policy(layer)


class Chain(TestCase):
    def test_any_change_of_an_event_changes_its_link(self):
        event = Event(2, "e2", "note_added", {"text": "a"}, "ines", "Ines", START)
        base = link(event, run_id="r", previous=GENESIS)
        self.assertEqual(base, link(event, run_id="r", previous=GENESIS))
        for other in (
            Event(2, "e2", "note_added", {"text": "b"}, "ines", "Ines", START),
            Event(3, "e2", "note_added", {"text": "a"}, "ines", "Ines", START),
            Event(2, "e2", "note_added", {"text": "a"}, "otto", "Ines", START),
        ):
            self.assertNotEqual(base, link(other, run_id="r", previous=GENESIS))
        self.assertNotEqual(base, link(event, run_id="r", previous="1" * 64))
        self.assertNotEqual(base, link(event, run_id="s", previous=GENESIS))


class Branch(TestCase):
    def test_what_is_carried_on_leaves_the_state_that_others_read_as_it_was(self):
        run = Play().prepare().read("as_found", ["4.0", "8.0", "12.0"])
        before, taken = fold(run.events), run.events[-1]
        seen = before.active_readings("as_found")
        carried = before.branch()
        struck = replace(taken, seq=taken.seq + 1, id="e-1", type="reading_struck", payload={"reading": taken.id, "reason": "too soon"})
        again = replace(taken, seq=taken.seq + 2, id="e-2")
        apply(carried, struck)
        self.assertEqual(sorted(carried.active_readings("as_found")), [0, 1])
        apply(carried, again)
        apply(carried, replace(again, seq=again.seq + 1, id="e-3", payload={**again.payload, "slot": 3}))
        self.assertEqual([r.id for r in carried.active_readings("as_found").values()], [seen[0].id, seen[1].id, "e-2", "e-3"])
        self.assertEqual(before.active_readings("as_found"), seen)
        self.assertEqual([r.struck_reason for r in before.readings], ["", "", ""])


class Ahead(TestCase):
    """How many points may be entered before they are shown."""

    def ahead(self, run):
        return run.view["step"]["readings"]["next"]["ahead"]

    def test_points_of_one_number_each_are_counted_from_the_next_on(self):
        run = Play().prepare()
        self.assertEqual(self.ahead(run), 10)
        run.read("as_found", ["4.0", "8.0", "12.0"])
        self.assertEqual(self.ahead(run), 7)

    def test_each_of_them_is_told_as_it_is_asked_for_once_it_is_next(self):
        run, texts = Play().prepare(), [f"{4 + 4 * n:.3f}" for n in (0, 1, 2, 3, 4, 4, 3, 2, 1, 0)]
        told = [run.view["step"]["readings"]["next"]]
        told += told[0]["coming"]
        for n, text in enumerate(texts):
            now = run.view["step"]["readings"]["next"]
            self.assertEqual({k: now[k] for k in told[n]} if n else now, told[n])
            self.assertEqual([p["number"] for p in now["coming"]], list(range(n + 2, 11)))
            run.read("as_found", [text])

    def test_of_a_long_set_so_many_as_a_page_needs(self):
        for points, wanted in ((10, 20), (11, MOST_AHEAD)):
            run = Play(points_percent=tuple(100.0 * n / (points - 1) for n in range(points))).prepare()
            self.assertEqual(self.ahead(run), wanted)

    def test_a_struck_one_in_between_is_one_alone(self):
        run = Play().prepare().read("as_found", ["4.0", "8.0", "12.0"])
        run.do("reading_struck", reading=run.state.readings[1].id, reason="valve was not open")
        self.assertEqual((run.view["step"]["readings"]["next"]["slot"], self.ahead(run)), (1, 1))

    def test_a_point_that_asks_for_more_is_shown_before_it_is_entered(self):
        run = Play(instrument=instrument(details=read_settings(METHODS["tx-multipoint"].settings, {"has_digital": True}))).prepare()
        self.assertEqual(self.ahead(run), 0)


class UnlikelyNumbers(TestCase):
    """A number that can be, and hardly is: asked about once, and told on the record when it really is so."""

    def released(self, reading, **more):
        run = Play().prepare().read("as_found", ["4.00", "8.00", "12.00", "16.00", "20.00", "20.00", "16.00", "12.00", "8.00", "4.00"])
        run.do("decision_made", step="judge", choice="leave")
        run.do("step_confirmed", step="restore", checks=CHECKS["restore"])
        run.do("hold_released", hold=run.state.open_holds[0].id, values={"reading": reading, "operator": "Control", **more})
        return run

    def test_a_normal_reading_far_outside_the_range_is_asked_about(self):
        # 0 to 400 kPa, an eighth of it believed on either side
        for reading, is_believed in (("450", True), ("450.1", False), ("-50", True), ("-50.1", False), ("99999", False)):
            with self.subTest(reading):
                if is_believed:
                    self.assertEqual(self.released(reading).state.open_holds, [])
                else:
                    with self.assertRaises(Fault) as caught:
                        self.released(reading)
                    told = caught.exception.as_dict()["details"]["faults"][0]
                    self.assertEqual((told["code"], told["details"]["can_confirm"]), ("unlikely_value", True))

    def test_one_that_really_is_so_is_told_on_the_record(self):
        run = self.released("99999", confirmed="reading")
        self.assertEqual(run.view["holds"][0]["release_values"]["reading"], "99999 (asked about, and confirmed)")
        self.assertNotIn("confirmed", run.view["holds"][0]["release_values"])

    def test_confirming_another_field_or_a_likely_number_says_nothing(self):
        with self.assertRaises(Fault):
            self.released("99999", confirmed="operator")
        self.assertEqual(self.released("212", confirmed="reading").view["holds"][0]["release_values"]["reading"], "212")

    def test_the_likelier_number_is_offered_where_it_is_no_guess(self):
        faults = []
        check_fields((Field("r0", "R0", "number", "ohm", low=1, high=10_000, likely=(98.0, 102.0)),), {"r0": "1003.5"}, faults)
        self.assertEqual(faults[0].context["suggestion"], "100.35")
        with self.assertRaisesRegex(Fault, "is to be expected. Look again."):
            self.released("2125")


class DeviceClock(TestCase):
    def test_a_day_off_is_flagged_and_less_is_not(self):
        for off, flagged in (
            (timedelta(days=1), False),
            (timedelta(days=1, seconds=1), True),
            (-timedelta(days=1), False),
            (-timedelta(days=3), True),
        ):
            run = Play()
            last = run.events[-1]
            apply(run.state, replace(last, seq=last.seq + 1, id="d", type="note_added", payload={"text": "hi"}, device_at=last.at + off))
            told = [f for f in flags_of(run.state, run.method) if "clock" in f]
            self.assertEqual(bool(told), flagged, off)
        self.assertIn("3 d behind; times are the server's", told[0])
