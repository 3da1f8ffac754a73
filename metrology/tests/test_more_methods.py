"""Methods played in memory: displacer, temperature sensor, loop check, smart transmitter, and what tx-multipoint gained."""

import json
from dataclasses import replace
from unittest import TestCase

from metrology.faults import Fault, Faults
from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.parameters import check_pending, differences, read_values
from metrology.methods.registry import get_method, settings_of
from metrology.methods.settings import load_settings, read_settings
from metrology.methods.setup import RunSetup, setup_from, setup_payload
from metrology.quantities.temperature import pt_resistance, thermocouple_emf
from metrology.quantities.transfer import Transfer
from metrology.run.parameters import against_register, held_output
from metrology.run.upcast import start_payload
from metrology.tests.runs import Play, instrument, meter, reference

TOLERANT = Tolerance((Term(0.5, "span"),))
BEFORE = {
    "tag": "PT1",
    "unit": "bar",
    "lrv": 0,
    "urv": 100,
    "damping": 1,
    "lrl": -1,
    "url": 100,
    "min_span": 1,
    "transfer": "linear",
    "write_protect": False,
}
AS_REGISTERED = {"tag": "PT2101", "unit": "kPa", "lrv": 0.0, "urv": 400.0, "transfer": "linear"}


class More(Play):
    """Plays any method to its first readings, whatever its steps are."""

    refs: dict[str, dict] = {}

    def forward(self, **values):
        """Confirm what comes until readings, a judgement, or a parameter set is asked for."""
        for _ in range(20):
            step = self.view["step"]
            key, kind = step["key"], step["kind"]
            if kind in ("readings", "judge", "compare", "release", "sign"):
                return self
            if key == "identity":
                i = self.state.setup.instrument
                self.do("step_confirmed", step=key, values={"tag": i.tag, "serial": i.serial})
            elif key == "references":
                for role, ref in self.refs.items():
                    self.do("reference_assigned", role=role, reference=ref, reason="")
                self.do("step_confirmed", step=key)
            elif kind == "hold":
                self.do("hold_placed", step=key, kind="inhibit", reason="Calibration", minutes="60")
            else:
                given = {"operator": "Control room", "temperature": "21", **values}
                mine = {f["name"]: given[f["name"]] for f in step["fields"] if f["name"] in given}
                self.do("step_confirmed", step=key, values=mine, checks=[c["key"] for c in step["checks"]])
        raise AssertionError(f"stuck at {key}")

    def take(self, told=lambda n, q: q["expected"]):
        """All readings of the current set."""
        step = self.view["step"]["key"]
        for _ in range(60):
            now = self.view["step"]
            if not now or now["key"] != step:
                return self
            n = now["readings"]["next"]
            q = {x["name"]: x for x in n["quantities"]}
            self.do("reading_taken", step=step, slot=n["slot"], indicated=told(n, q["indicated"]))
        raise AssertionError("the set never ended")


def play(method, refs, details, **changes):
    """A run of a method whose instrument has these details."""
    made = More(
        method, instrument=instrument(details=settings_of(method)(**details), tolerance=TOLERANT, **changes.pop("inside", {})), **changes
    )
    made.refs = refs
    return made


WEIGHTS = reference(code="REF-W", unit="kg", low=0, high=10, u_absolute=0.0001, resolution=0)


class Displacer(TestCase):
    details = {
        "displacer_weight": 2.0,
        "displacer_volume": 1000.0,
        "density": 0.001,
        "weights_on_hand": (1, 0.5, 0.2, 0.2, 0.1, 0.05),
        "has_column": True,
    }

    def run_to_readings(self, **values):
        inside = {"unit": "%", "lrv": 0, "urv": 100}
        return play("level-displacer", {"applied": WEIGHTS, "indicated": meter()}, self.details, inside=inside).forward(**values)

    def test_the_load_made_decides_what_is_applied(self):
        run = self.run_to_readings(weights_on_hand="1 0.5 0.2 0.2 0.1")
        plan = run.method.plan(run.state.setup, "as_found")
        self.assertAlmostEqual(plan[1].nominal, 30.0)
        self.assertAlmostEqual(plan[1].ideal, 8.8)
        self.assertIn("1.7000 kg (1 + 0.5 + 0.2)", plan[1].how)
        run.take()
        row = run.view["evidence"][0]["rows"][1]
        self.assertEqual((row["applied"], row["error"], row["simulated"]), ("30.00", "0.000 %", "1.7000 kg (1 + 0.5 + 0.2)"))

    def test_a_set_that_is_more_than_five_percent_off_is_refused(self):
        with self.assertRaisesRegex(Fault, "bring smaller weights"):
            self.run_to_readings(weights_on_hand="1 1")

    def test_two_full_passes_are_made_even_when_the_first_is_inside(self):
        run = self.run_to_readings().take(lambda n, q: f"{float(q['expected']) + 0.3:.3f}")
        self.assertEqual(run.view["step"]["judge"]["proposal"], "adjust")
        run.do("decision_made", step="judge", choice="adjust")
        ends = [t.ideal for t in run.method.adjusting.targets(run.state.setup, "adjust")]
        for n in range(4):
            self.assertFalse(run.view["step"]["adjust"]["is_converged"])
            run.do("adjustment_made", step="adjust", screw=("zero", "span")[n % 2], before=f"{ends[n % 2]:.3f}", after="")
        self.assertTrue(run.view["step"]["adjust"]["is_converged"])

    def test_the_wet_proof_follows_the_dry_test_and_counts_as_left(self):
        run = self.run_to_readings().take()
        run.do("decision_made", step="judge", choice="leave")
        self.assertEqual(run.current, "mount")
        run.forward()
        self.assertEqual(run.current, "wet_proof")
        self.assertEqual(run.method.plan(run.state.setup, "wet_proof")[1].nominal, 25.0)
        run.take(lambda n, q: f"{float(q['expected']) + 0.02:.3f}")
        run.do("decision_made", step="judge_wet", choice="leave")
        self.assertEqual(run.current, "restore")
        self.assertTrue(next(s for s in run.view["evidence"] if s["key"] == "wet_proof")["is_final"])

    def second(self, **values):
        """A run of revision 2, at its first readings."""
        inside = {"unit": "%", "lrv": 0, "urv": 100}
        run = play("level-displacer", {"applied": WEIGHTS, "indicated": meter()}, self.details, inside=inside)
        run.state.setup = replace(run.state.setup, revision="2")
        return run.forward(**values)

    def test_gravity_is_not_counted_and_the_tray_is(self):
        self.details = {**self.details, "gravity": 1.05, "weights_on_hand": ()}
        plan = self.run_to_readings().method.trial.plan
        loads = [s.extra["load"] for s in plan(self.run_to_readings().state.setup, "as_found").slots[:5]]
        self.assertEqual(loads[-1], "0.9500 kg")  # the first revision: 2 - 1.05 x 1
        self.details = {**self.details, "tray_weight": 0.1}
        loads = [s.extra["load"] for s in plan(self.second().state.setup, "as_found").slots[:5]]
        self.assertEqual((loads[0], loads[-1]), ("1.9000 kg", "0.9000 kg"))

    def test_another_load_is_typed_as_a_load(self):
        run = self.second(weights_on_hand="1 0.5 0.2 0.2 0.1")
        asked = run.view["step"]["readings"]["next"]["quantities"][0]
        self.assertEqual((asked["label"], asked["unit"], asked["expected"]), ("Load hung", "kg", "2.0000"))
        run.do("reading_taken", step="as_found", slot=0, applied="2.0000", indicated="4.000")
        run.do("reading_taken", step="as_found", slot=1, applied="1.7400", indicated="8.160")
        row = run.view["evidence"][0]["rows"][1]
        self.assertEqual((row["applied"], row["error"], row["simulated"]), ("26.000", "0.000 %", "1.7400 kg"))

    def test_the_wet_proof_counts_what_the_filling_lifts_and_how_well_the_glass_is_read(self):
        self.details = {**self.details, "density": 0.0008}
        run = self.second().take()
        run.do("decision_made", step="judge", choice="leave")
        run.forward(filling_density="0.001")
        plan = run.method.plan(run.state.setup, "wet_proof")
        self.assertEqual([float(s.extra["glass"]) for s in plan[:5]], [0.0, 20.0, 40.0, 60.0, 80.0])
        self.assertIn("Fill to 20.0 % in the glass", plan[1].how)
        run.do("reading_taken", step="wet_proof", slot=0, applied="0", indicated="4.000")
        run.do("reading_taken", step="wet_proof", slot=1, applied="20", indicated="8.000")
        row = run.view["evidence"][-1]["rows"][1]
        self.assertEqual((row["applied"], row["error"], row["simulated"]), ("25.000", "0.000 %", "20 % in the glass"))
        self.assertIn("Gauge glass", [c["name"] for c in row["budget"]["rows"]])

    def test_a_light_filling_ends_at_the_full_glass(self):
        run = self.second().take()
        run.do("decision_made", step="judge", choice="leave")
        run.forward(filling_density="0.0009")
        plan = run.method.plan(run.state.setup, "wet_proof")
        self.assertEqual([round(s.nominal, 3) for s in plan[:5]], [0.0, 25.0, 50.0, 75.0, 90.0])

    def test_densities_and_weights_that_cannot_be_are_refused(self):
        check = get_method("level-displacer").check
        good = read_settings(settings_of("level-displacer"), {**self.details, "weights_on_hand": "1 0.5"})
        check(good, {})
        for change, field in (
            ({"density": 1.0}, "density"), ({"density": 4.9e-5}, "density"), ({"weights_on_hand": (10.1,)}, "weights_on_hand"),
            ({"tray_weight": 2.0}, "tray_weight"),
        ):  # fmt: skip
            with self.assertRaises(Fault) as caught:
                check(replace(good, **change), {})
            self.assertEqual(caught.exception.field, field)
        check(replace(good, density=5e-5, displacer_volume=10.0, weights_on_hand=()), {})

    def test_without_a_column_the_wet_proof_is_left_out_and_said(self):
        self.details = {**self.details, "has_column": False}
        run = self.run_to_readings().take()
        run.do("decision_made", step="judge", choice="leave")
        self.assertEqual(run.current, "restore")
        why = [s["why"] for p in run.view["rail"] for s in p["steps"] if s["key"] == "wet_proof"]
        self.assertIn("can't be filled", why[0])


PROBE = reference(code="REF-T", unit="°C", low=-50, high=700, u_absolute=0.02, resolution=0.001, drift_per_year=0.01)
BLOCK = reference(code="REF-B", unit="°C", low=-50, high=700, u_absolute=0.5, resolution=0.01, gradient=0.02)
OHM = reference(code="REF-O", unit="ohm", low=0, high=400, u_absolute=0.003, resolution=0.001)
MILLIVOLT = reference(code="REF-V", unit="mV", low=-10, high=80, u_absolute=0.002, resolution=0.001)


class Sensor(TestCase):
    def platinum(self, **changes):
        details = dict(sensor="pt", sensor_class="pt-a", **changes)
        refs = {"applied": PROBE, "block": BLOCK, "indicated": OHM}
        return play("temp-sensor", refs, details, inside={"unit": "°C", "lrv": 0, "urv": 150}, points_percent=(0.0, 50.0, 100.0)).forward()

    def test_it_is_compared_at_the_temperature_the_reference_really_had(self):
        run = self.platinum()
        run.do("reading_taken", step="as_found", slot=0, applied="0.213", indicated=f"{pt_resistance(0.213 + 0.1):.4f}")
        row = run.view["evidence"][0]["rows"][0]
        self.assertEqual(row["error_unit"], "+0.10 °C")
        self.assertEqual(row["verdict"], "pass")  # class A: 0.15 + 0.002 x 0.2

    def test_both_turs_are_shown_and_the_block_may_be_coarse(self):
        turs = {r["role"]: r["tur"] for r in self.platinum().view["references"]}
        self.assertEqual(turs["applied"], "7.5:1")
        self.assertEqual(turs["block"], "0.3:1")

    def test_the_budget_holds_probe_drift_gradient_readout_and_resolution(self):
        run = self.platinum()
        run.do("reading_taken", step="as_found", slot=0, applied="0.0", indicated="100.040")
        names = [r["name"] for r in run.view["evidence"][0]["budget"]["rows"]]
        for part in (
            "Reference probe REF-T",
            "Drift of REF-T since its certificate",
            "Gradient of REF-B",
            "Output meter REF-O",
            "Resolution of the reading",
        ):
            self.assertIn(part, names)

    def test_a_drifted_element_is_replaced_and_never_adjusted(self):
        run = self.platinum()
        for slot, t in enumerate((0.0, 75.0, 150.0)):
            run.do("reading_taken", step="as_found", slot=slot, applied=f"{t}", indicated=f"{1.004 * pt_resistance(t):.4f}")
        self.assertEqual(run.view["step"]["judge"]["proposal"], "replace")
        self.assertNotIn("adjust", [o["value"] for o in run.view["step"]["options"]])
        self.assertEqual(run.view["evidence"][0]["signatures"][0]["code"], "r0-drift")

    def test_matching_coefficients_are_proposed_loaded_and_proved(self):
        run = self.platinum(matches_coefficients=True)
        for slot, t in enumerate((0.0, 75.0, 150.0)):
            run.do("reading_taken", step="as_found", slot=slot, applied=f"{t}", indicated=f"{1.004 * pt_resistance(t):.5f}")
        self.assertEqual(run.view["step"]["judge"]["proposal"], "coefficients")
        self.assertIn({"name": "Matching R0", "value": "100.4000 ohm"}, run.view["evidence"][0]["findings"])
        run.do("decision_made", step="judge", choice="coefficients")
        offered = {f["name"]: f["suggested"] for f in run.view["step"]["fields"]}
        self.assertEqual(offered["loaded_r0"], "100.4000")
        run.do("step_confirmed", step="coefficients", values=offered)
        for slot, t in enumerate((0.0, 75.0, 150.0)):
            run.do("reading_taken", step="as_left", slot=slot, applied=f"{t}", indicated=f"{1.004 * pt_resistance(t):.5f}")
        left = run.view["evidence"][-1]
        self.assertEqual(left["verdict"], "pass")
        self.assertLess(abs(float(left["rows"][2]["error_unit"].split()[0])), 0.02)

    def test_coefficients_fitted_to_as_many_points_as_they_have_want_an_independent_one(self):
        from dataclasses import replace

        from metrology.methods.trials.comparison import independent_percent

        run = self.platinum(matches_coefficients=True)
        for revision, points, wanted in (
            ("2", (0.0, 50.0, 100.0), 25.0), ("2", (0.0, 100.0), 50.0), ("2", (0.0, 30.0, 100.0), 65.0),
            ("2", (0.0, 25.0, 50.0, 100.0), None), ("1", (0.0, 50.0, 100.0), None),
        ):  # fmt: skip
            setup = replace(run.state.setup, revision=revision, points_percent=points)
            self.assertEqual(independent_percent(setup), wanted, (revision, points))
        run.state.setup = replace(run.state.setup, revision="2")
        for slot, t in enumerate((0.0, 75.0, 150.0)):
            run.do("reading_taken", step="as_found", slot=slot, applied=f"{t}", indicated=f"{1.004 * pt_resistance(t):.5f}")
        told = {f["name"]: f["value"] for f in run.view["evidence"][0]["findings"]}
        self.assertIn("no more than it has coefficients", told["What that proves"])
        run.do("decision_made", step="judge", choice="coefficients")
        run.do("step_confirmed", step="coefficients", values={f["name"]: f["suggested"] for f in run.view["step"]["fields"]})
        run.do("reading_taken", step="as_left", slot=0, applied="0", indicated=f"{1.004 * pt_resistance(0.0):.5f}")
        self.assertEqual(run.view["step"]["readings"]["total"], 4)
        self.assertIn("No coefficient was fitted to this point", run.view["step"]["readings"]["next"]["how"])

    def test_known_leads_of_a_two_wire_connection_are_taken_off(self):
        run = self.platinum(wires=2, lead_ohm=0.8)
        run.do("reading_taken", step="as_found", slot=0, applied="0", indicated="100.8")
        self.assertAlmostEqual(run.view["evidence"][0]["rows"][0]["y"], 0.0, places=3)

    def test_an_open_circuit_is_refused_and_nothing_is_stored(self):
        run = self.platinum()
        with self.assertRaisesRegex(Fault, "open circuit"):
            run.do("reading_taken", step="as_found", slot=0, applied="0", indicated="4000", confirmed_unlikely=True)
        self.assertEqual(run.state.active_readings("as_found"), {})

    def test_a_thermocouple_is_read_against_its_cold_junction(self):
        details = {"sensor": "tc-k", "sensor_class": "tc-k-2"}
        refs = {"applied": PROBE, "block": BLOCK, "indicated": MILLIVOLT}
        run = play("temp-sensor", refs, details, inside={"unit": "°C", "lrv": 0, "urv": 600}, points_percent=(0.0, 50.0, 100.0))
        run.forward(cold_junction_c="23,5")
        run.do("reading_taken", step="as_found", slot=0, applied="0", indicated=f"{thermocouple_emf('K', 1.0, cold_junction_c=23.5):.4f}")
        self.assertEqual(run.view["evidence"][0]["rows"][0]["error_unit"], "+1.00 °C")


class Loop(TestCase):
    def test_every_display_at_every_point_and_every_alarm(self):
        given = {"displays": "Isolator mA 4 20; Control system kPa 0 400", "alarms": "High 380 rising"}
        details = vars(read_settings(settings_of("loop-check"), given))
        run = play("loop-check", {"applied": meter()}, details).forward()
        plan = run.method.plan(run.state.setup, "as_found")
        self.assertEqual(len(plan), 11)
        self.assertEqual([s.channel for s in plan[:3]], ["Isolator", "Control system", "Isolator"])
        self.assertAlmostEqual(plan[-1].nominal, 19.2)
        run.take(lambda n, q: f"{float(q['expected']) + (4.0 if n['channel'] == 'Control system' else 0.0):.3f}")
        view = run.view
        self.assertEqual(view["step"]["judge"]["proposal"], "repair")
        self.assertIn("Control system", view["step"]["judge"]["reason"])
        self.assertTrue(view["evidence"][0]["signatures"][0]["says"].startswith("Control system: The same error everywhere"))
        self.assertEqual(view["evidence"][0]["rows"][1]["error"], "+1.00 %")  # 4 kPa of 400

    def test_the_injected_current_counts_as_it_really_was(self):
        run = play("loop-check", {"applied": meter()}, {}).forward()
        run.do("reading_taken", step="as_found", slot=0, applied="4.08", indicated="2.0")
        self.assertAlmostEqual(run.view["evidence"][0]["rows"][0]["y"], 0.0, places=6)


class Configure(TestCase):
    def to_edit(self):
        run = play("tx-configure", {"indicated": meter()}, {}, points_percent=(0.0, 50.0, 100.0)).forward()
        run.do("parameters_captured", step="read_device", kind="before", values=BEFORE)
        run.do("step_confirmed", step="read_device")
        run.take()
        run.do("decision_made", step="judge", choice="leave")
        return run

    def test_any_trim_asks_for_the_proof_as_left(self):
        for act in ("zero_trim", "lower_trim", "upper_trim", "trim_output_low", "trim_output_high"):
            with self.subTest(act):
                run = self.to_edit()
                run.do("device_acted", step="configure", act=act, words="trimmed", values={})
                run.do("step_confirmed", step="configure")
                self.assertEqual(run.current, "as_left")
                run.take()
                run.do("decision_made", step="judge_left", choice="leave")
                self.assertEqual(run.current, "read_after")
        run = self.to_edit()
        run.do("device_acted", step="configure", act="fix_output", words="held", values={})
        run.do("step_confirmed", step="configure")
        self.assertEqual(run.current, "read_after")  # nothing that it reads has changed

    def test_an_output_that_is_held_blocks_the_release(self):
        def to_release(*acts):
            run = self.to_edit()
            for act, value in acts:
                run.do("device_acted", step="configure", act=act, words=act, values={"value": value} if value else {})
            run.do("step_confirmed", step="configure")
            run.do("parameters_captured", step="read_after", kind="after", values=BEFORE)
            run.do("step_confirmed", step="read_after", reason="the register is of another device here")
            run.do("step_confirmed", step="restore", checks=["loop_test", "write_lock", "test_gear", "range", "covers"])
            return run, {"hold": run.state.open_holds[0].id, "values": {"reading": "50", "operator": "Control"}}

        run, seen = to_release(("fix_output", "12"))
        with self.assertRaisesRegex(Fault, "still holds the output at 12 mA"):
            run.do("hold_released", **seen)
        self.assertTrue(run.state.open_holds)
        with self.assertRaisesRegex(Fault, "still holds the output"):
            run.do("hold_released", **seen, reason="we were called away")  # another reason does not stand for it
        self.assertEqual(held_output(run.state), "12 mA")
        run.do("hold_released", **seen, ended="with the communicator, current seen moving")
        self.assertFalse(run.state.open_holds)
        self.assertEqual(held_output(run.state), "")  # nothing is left to be ended from here
        self.assertIn("with the communicator, current seen moving", [n["text"] for n in run.view["notes"]])
        run, seen = to_release(("fix_output", "12"), ("follow", ""))
        run.do("hold_released", **seen)
        self.assertFalse(run.state.open_holds)

    def test_a_loop_test_is_ended_wherever_its_run_stands_and_only_under_a_hold(self):
        run = self.to_edit()
        with self.assertRaisesRegex(Fault, "not the current step"):
            run.do("device_acted", step="judge", act="follow", words="followed", values={})  # nothing is held
        run.do("device_acted", step="configure", act="fix_output", words="held", values={"value": "12"})
        run.do("voided", reason="wrong manifold", keeps_hold=True)
        with self.assertRaisesRegex(Fault, "was voided"):
            run.do("device_acted", step="configure", act="zero_trim", words="trimmed", values={})
        run.do("device_acted", step="configure", act="follow", words="followed", values={})
        self.assertEqual(held_output(run.state), "")
        with self.assertRaisesRegex(Fault, "was voided"):
            run.do("device_acted", step="configure", act="follow", words="followed", values={})

    def test_nothing_is_edited_before_the_device_was_read(self):
        run = play("tx-configure", {"indicated": meter()}, {}, points_percent=(0.0, 50.0, 100.0)).forward()
        with self.assertRaisesRegex(Fault, "Read the device first"):
            run.do("parameters_captured", step="read_device", kind="pending", values={"urv": "80"})
        with self.assertRaisesRegex(Fault, "set before"):
            run.do("step_confirmed", step="read_device")

    def test_an_edit_is_pending_until_sent_and_counts_when_read_back(self):
        run = self.to_edit()
        run.do("parameters_captured", step="configure", kind="pending", values={"urv": "80", "lrv": "0"})
        self.assertEqual(run.view["step"]["compare"]["state"], "pending")
        self.assertEqual(run.state.parameters[-1].values, {"urv": 80.0})  # LRV is what it was
        for refused in ("not sent", "not been read back"):
            with self.assertRaisesRegex(Fault, refused):
                run.do("step_confirmed", step="configure")
            if refused == "not sent":
                run.do("parameters_captured", step="configure", kind="sent", values={"lrv": 0})
        run.do("parameters_captured", step="configure", kind="read back", values={"lrv": 0, "urv": 100})
        with self.assertRaisesRegex(Fault, "sent 80, reads 100"):
            run.do("step_confirmed", step="configure")
        run.do("parameters_captured", step="configure", kind="read back", values={**BEFORE, "urv": 80.0000001})
        self.assertEqual(run.view["step"]["compare"]["state"], "proved")
        run.do("step_confirmed", step="configure")
        self.assertEqual(run.current, "read_after")

    def test_sending_is_refused_without_an_open_hold(self):
        run = self.to_edit()
        run.do("parameters_captured", step="configure", kind="pending", values={"urv": "80"})
        for hold in list(run.state.open_holds):
            run.do("hold_released", hold=hold.id, reason="called away", values={"reading": "10", "operator": "Control room"})
        with self.assertRaisesRegex(Fault, "took the .* off while the run was at work: called away"):
            run.do("parameters_captured", step="configure", kind="sent", values={})
        with self.assertRaisesRegex(Fault, "no hold is open"):
            run.do("device_acted", step="configure", act="zero_trim", words="trimmed zero", values={})

    def test_protection_that_was_on_must_be_back_on(self):
        run = self.to_edit()
        run.state.parameters[0] = replace(run.state.parameters[0], values={**BEFORE, "write_protect": True})
        run.do("step_confirmed", step="configure")
        run.do("parameters_captured", step="read_after", kind="after", values=BEFORE)
        with self.assertRaisesRegex(Fault, "Put it back on"):
            run.do("step_confirmed", step="read_after")
        run.do("step_confirmed", step="read_after", reason="site rule: off during commissioning")
        self.assertEqual(run.current, "restore")

    def test_a_device_that_is_not_as_the_register_has_it_is_told_and_takes_a_reason(self):
        run = self.to_edit()
        known = run.state.setup.instrument
        cases = (
            ({}, ""),
            ({"urv": 80.0}, "URV: the device says 80 kPa, the register 400 kPa."),
            ({"unit": "bar", "lrv": 0.0, "urv": 4.0}, ""),  # the same range in another unit
            ({"unit": "bar", "lrv": 0.0, "urv": 2.0}, "URV: the device says 2 bar, the register 400 kPa."),
            ({"tag": "XX9999"}, "Tag: the device says XX9999, the register PT-2101."),
            ({"tag": ""}, ""),
            ({"transfer": "sqrt"}, "It must be applied once only."),
            ({"unit": "°C"}, "These units can't be compared."),
        )
        for changed, told in cases:
            with self.subTest(changed=changed):
                found = " ".join(against_register(known, {**AS_REGISTERED, **changed}))
                self.assertTrue(found == "" if told == "" else told in found, found)
        long = replace(known, tag="PT-2101-A-EAST")
        self.assertEqual(against_register(long, {"tag": "PT2101AE"}), ())  # eight letters are all a device keeps
        reverse = replace(known, transfer=Transfer("reverse"))
        self.assertEqual(against_register(reverse, {"lrv": known.urv, "urv": known.lrv}), ())

    def test_a_range_beside_the_register_ends_only_with_a_reason_that_is_flagged(self):
        run = self.to_edit()
        run.do("step_confirmed", step="configure")
        run.do("parameters_captured", step="read_after", kind="after", values={**AS_REGISTERED, "urv": 80.0})
        self.assertEqual(len(run.view["step"]["compare"]["register"]), 1)
        with self.assertRaisesRegex(Fault, "Say which one is right"):
            run.do("step_confirmed", step="read_after")
        run.do("step_confirmed", step="read_after", reason="register follows by change 12")
        self.assertTrue(any("register follows by change 12" in f for f in run.view["flags"]))

    def test_a_new_unit_carries_the_range_over_and_an_end_that_stays_counts_as_typed(self):
        for typed, unit, ends in (
            ({"unit": "kPa"}, "kPa", (0.0, 10_000.0)),  # both carried over
            ({"unit": "kPa", "urv": "8000"}, "kPa", (0.0, 8000.0)),
            ({"unit": "kPa", "lrv": "0", "urv": "100"}, "kPa", (0.0, 100.0)),  # 100 stays the same number, and is kPa now
        ):
            run = self.to_edit()
            run.do("parameters_captured", step="configure", kind="pending", values=typed)
            held = run.state.parameters[-1].values
            self.assertEqual((held["unit"], held["lrv"], held["urv"]), (unit, *ends), typed)

    def test_limits_are_those_of_the_new_unit(self):
        for urv, good in (("9999", True), ("10000", True), ("10001", False), ("101", True), ("100", True), ("99", False)):
            run = self.to_edit()
            edit = {"step": "configure", "kind": "pending", "values": {"unit": "kPa", "urv": urv}}
            if good:
                run.do("parameters_captured", **edit)
            else:
                with self.assertRaises(Fault, msg=urv):
                    run.do("parameters_captured", **edit)

    def test_what_the_device_cannot_take_is_refused_with_the_field(self):
        for pending, field in (({"urv": 500.0}, "urv"), ({"lrv": 99.5}, "urv"), ({"damping": -1.0}, "damping"), ({"unit": "°C"}, "unit")):
            with self.subTest(pending=pending), self.assertRaises(Fault) as caught:
                check_pending(pending, BEFORE)
            self.assertEqual(caught.exception.field, field)
        with self.assertRaises(Faults):
            read_values({"tag": "MUCH TOO LONG", "urv": "abc"}, settable_only=True)

    def test_two_sets_differ_where_a_device_would_keep_a_difference(self):
        rows = differences(BEFORE, {**BEFORE, "urv": 100.00001, "damping": 2, "pv": 5})
        self.assertEqual([r[0] for r in rows], ["damping"])


class FailureSignal(TestCase):
    def test_a_current_from_21_ma_on_is_asked_about(self):
        for text, is_asked in (
            ("20.5", False),
            ("20.99", False),
            ("21.0", True),
            ("21.5", True),
            ("22.0", True),
            ("3.6", False),
            ("3.59", True),
        ):
            run = Play().prepare()
            with self.subTest(text=text):
                if is_asked:
                    with self.assertRaises(Fault) as caught:
                        run.read("as_found", [text])
                    self.assertTrue(caught.exception.context["can_confirm"])
                else:
                    run.read("as_found", [text])


class Transmitter(TestCase):
    def digital(self, shift_pv, shift_ma):
        run = play("tx-multipoint", {"applied": reference(), "indicated": meter()}, {"has_digital": True}).forward()
        for slot in run.method.plan(run.state.setup, "as_found"):
            pv, ma = slot.nominal + 4 * shift_pv, slot.ideal + 0.16 * (shift_pv + shift_ma)
            run.do("reading_taken", step="as_found", slot=slot.index, indicated=f"{ma:.3f}", pv=f"{pv:.3f}")
        return run

    def test_the_side_that_is_off_is_trimmed(self):
        for pv, ma, choice in ((0.8, 0.0, "trim_sensor"), (0.0, 0.8, "trim_output")):
            run = self.digital(pv, ma)
            self.assertEqual(run.view["step"]["judge"]["proposal"], choice)
            named = {s["code"]: s["first_action"] for s in run.view["evidence"][0]["signatures"]}
            side = "sensor-side" if choice == "trim_sensor" else "output-side"
            self.assertEqual(named["zero-shift"], named[side])  # proposal and cause say the same
            self.assertIn("sensor +", run.view["evidence"][0]["rows"][0]["split"].replace("sensor 0", "sensor +0"))

    def test_one_trim_may_not_hide_the_other_side(self):
        run = self.digital(0.8, 0.0)
        with self.assertRaisesRegex(Fault, "would only hide the sensor's error"):
            run.do("decision_made", step="judge", choice="trim_output", reason="quicker")
        run.do("decision_made", step="judge", choice="trim_sensor")
        target = run.view["step"]["adjust"]
        self.assertEqual((target["output_unit"], target["target"]["ideal"]), ("kPa", "0.00"))

    def test_a_simulated_thermocouple_is_computed_against_the_terminals(self):
        source = reference(code="REF-M", unit="mV", low=-10, high=80, u_absolute=0.003)
        run = play(
            "tx-multipoint", {"applied": source, "indicated": meter()}, {"sensor": "tc-k"}, inside={"unit": "°C", "lrv": 0, "urv": 600}
        )
        run.forward(cold_junction_c="25")
        applied = run.view["step"]["readings"]["next"]["quantities"][0]
        self.assertEqual((applied["unit"], applied["expected"]), ("mV", "-1.000"))  # E(25 °C) = 1.000 mV
        run.do("reading_taken", step="as_found", slot=0, indicated="4.00")
        row = run.view["evidence"][0]["rows"][0]
        self.assertAlmostEqual(float(row["applied"]), 0.0, delta=0.01)
        self.assertEqual(row["simulated"], "-1.000 mV")

    def with_dead_band(self):
        run = play("tx-multipoint", {"applied": reference(), "indicated": meter()}, {"tests_dead_band": True}).forward()
        return run.take()

    def test_a_dead_band_is_tested_after_the_as_found_points_and_before_anything_is_judged(self):
        run = self.with_dead_band()
        step = run.view["step"]
        self.assertEqual((step["key"], step["phase"]), ("dead_band", "as found"))
        self.assertIn("Come to 200 kPa from below", step["instruction"])
        with self.assertRaises(Fault):
            run.do("step_confirmed", step="dead_band", values={"dead_band_up": "200.6", "dead_band_down": "900"})
        run.do("step_confirmed", step="dead_band", values={"dead_band_up": "200,6", "dead_band_down": "199.4"})
        told = {f["name"]: f["value"] for f in run.view["evidence"][0]["findings"]}
        self.assertEqual(told["Dead band"], "0.30 % of span, at mid-range as found")  # 1.2 kPa of 400
        self.assertEqual(run.current, "judge")

    def test_without_the_flag_no_dead_band_is_asked_for_nor_told(self):
        run = play("tx-multipoint", {"applied": reference(), "indicated": meter()}, {}).forward().take()
        self.assertEqual(run.current, "judge")
        self.assertEqual(run.view["evidence"][0]["findings"], [])

    def test_a_loop_that_a_communicator_cannot_use_needs_a_reason(self):
        run = play(
            "tx-multipoint", {"applied": reference(), "indicated": meter()}, {"supply_v": 24.0, "loop_ohm": 50.0, "lift_off_v": 10.5}
        )
        with self.assertRaisesRegex(Fault, "50 ohm is too little for a digital communicator"):
            run.forward()
        run.do("step_confirmed", step="loop_budget", reason="no communicator is used today")
        self.assertIn("too little", run.view["computed"][0]["says"])

    def test_the_loop_must_carry_the_alarm_current(self):
        # 24 V - 12.75 V lift-off leave 11.25 V: at 22 mA that is 511.36 ohm, at 20 mA it would be 562.5 ohm
        for ohms, is_enough in ((511.3, True), (511.4, False), (560.0, False)):
            with self.subTest(ohms=ohms):
                run = play(
                    "tx-multipoint",
                    {"applied": reference(), "indicated": meter()},
                    {"supply_v": 24.0, "loop_ohm": ohms, "lift_off_v": 12.75},
                )
                if is_enough:
                    self.assertNotIn("short", str(run.forward().view["computed"]))
                else:
                    with self.assertRaisesRegex(Fault, "At 22 mA the transmitter is"):
                        run.forward()
        own = {"supply_v": 24.0, "loop_ohm": 500.0, "lift_off_v": 12.75, "alarm_ma": 23.0}
        with self.assertRaisesRegex(Fault, "At 23 mA the transmitter is"):
            play("tx-multipoint", {"applied": reference(), "indicated": meter()}, own).forward()

    def test_only_what_is_known_of_the_loop_is_filled_in(self):
        run = play("tx-multipoint", {"applied": reference(), "indicated": meter()}, {"supply_v": 24.0})
        with self.assertRaisesRegex(Fault, "Resistance in the loop is missing"):
            run.forward()
        shown = run.view["step"]["compute"]
        self.assertEqual(shown["values"], {"supply_v": "24", "ohms": "", "lift_off_v": "", "max_ma": "22"})
        self.assertEqual(shown["failed"], "")

    def test_repeatability_over_the_cycles_is_in_the_budget(self):
        run = play("tx-multipoint", {"applied": reference(), "indicated": meter()}, {}, cycles=3).forward()
        for slot in run.method.plan(run.state.setup, "as_found"):
            run.do("reading_taken", step="as_found", slot=slot.index, indicated=f"{slot.ideal + 0.004 * slot.cycle:.3f}")
        rows = {r["name"]: r for r in run.view["evidence"][0]["budget"]["rows"]}
        self.assertEqual(rows["Repeatability over the cycles"]["value"], "0.0250 %")  # s of 0.025, 0.050, 0.075 %

    def test_a_captured_reading_brings_its_settle_spread(self):
        run = play("tx-multipoint", {"applied": reference(), "indicated": meter()}, {}).forward()
        told = {
            "label": "Loop",
            "unit": "mA",
            "mean": 4.01,
            "sd": 0.004,
            "slope": 0.0,
            "window_s": 5,
            "n": 50,
            "settle_s": 2.0,
            "peak": 4.02,
            "t90_s": None,
        }
        run.do("reading_taken", step="as_found", slot=0, indicated="4.010", captured={"indicated": told})
        row = run.view["evidence"][0]["rows"][0]
        self.assertIn("Settle spread, Loop", [r["name"] for r in row["budget"]["rows"]])
        self.assertIn("settled after 2.0 s", row["captured"][0]["says"])


class Registered(TestCase):
    def test_details_are_read_checked_and_come_back_from_a_run(self):
        for method, raw, seen in (
            ("level-displacer", {"displacer_volume": "5,08 x 81,3", "weights_on_hand": "0,1 1 0.5"}, {"weights_on_hand": (1.0, 0.5, 0.1)}),
            ("loop-check", {"alarms": "Low low 2 falling", "displays": "Isolator mA 4 20"}, {}),
            ("temp-sensor", {"wires": "3", "sensor": "pt"}, {"wires": 3}),
            ("gas-multichannel", {"basis": "iec", "channels": "A, hydrogen, 100, %LEL, 2.5"}, {}),
        ):
            with self.subTest(method=method):
                details = read_settings(settings_of(method), raw)
                for name, value in seen.items():
                    self.assertEqual(getattr(details, name), value)
                payload = json.loads(json.dumps(setup_payload(RunSetup(method, "1", instrument(details=details)))))
                self.assertEqual(setup_from(payload, settings_of(method)).instrument.details, details)
        self.assertAlmostEqual(
            read_settings(settings_of("level-displacer"), {"displacer_volume": "5,08 x 81,3"}).displacer_volume, 1647.8, places=1
        )
        self.assertEqual(load_settings(settings_of("loop-check"), {}), settings_of("loop-check")())

    def test_details_of_a_detector_that_once_stood_in_a_part_of_their_own_are_read(self):
        old = {
            "alarms": [{"name": "Low", "set_point": 20.0, "rising": True, "latching": True}],
            "detector": {"gas": "hydrogen", "t90_s": 12.0},
        }
        payload = start_payload({"method": "gas-bump", "instrument": {"tag": "AE-1", "details": old}})
        found = load_settings(settings_of("gas-bump"), payload["instrument"]["details"])
        self.assertEqual((found.gas, found.t90_s, found.alarms[0].latching), ("hydrogen", 12.0, True))

    def test_what_does_not_hold_names_its_field(self):
        for method, raw, field in (
            ("loop-check", {"displays": "Isolator mA"}, "displays"),
            ("loop-check", {"alarms": "High 3 sideways"}, "alarms"),
            ("temp-sensor", {"r0": "0"}, "r0"),
            ("temp-sensor", {"sensor": "pt", "sensor_class": "tc-k-1"}, "sensor_class"),
            ("temp-sensor", {"wires": "5"}, "wires"),
            ("gas-bump", {"sensor_since": "last year"}, "sensor_since"),
        ):
            with self.subTest(raw=raw), self.assertRaises(Fault) as caught:
                read_settings(settings_of(method), raw)
            self.assertEqual(caught.exception.field, field)

    def test_what_another_method_asks_is_passed_over(self):
        self.assertEqual(read_settings(settings_of("temp-sensor"), {"displays": "nothing", "sensor": "pt"}).sensor, "pt")
