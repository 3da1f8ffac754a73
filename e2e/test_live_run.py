"""Readings taken by the tool: captured by one key, by itself, through a lost source; and a batch left alone."""

from playwright.sync_api import expect

from e2e.bench import BenchJourney

SCPI = "(SCPI over TCP)"


class LiveRun(BenchJourney):
    def to_live(self):
        self.forward("PT-2110", "MB-2110", {"Input reference": "MB-P01", "Output meter": "MB-I01"})
        expect(self.page.get_by_role("heading", name="As found", exact=True)).to_be_visible()
        self.choose_sources(Really_applied=f"Pressure source {SCPI}", Reading=f"Loop current {SCPI}")

    def test_five_points_up_and_down_are_captured_by_themselves(self):
        p = self.page
        self.to_live()
        live = p.get_by_role("region", name="Live signals")
        expect(live.get_by_role("button", name="Loop current: Settled")).to_be_visible()
        expect(live).to_contain_text("limit 0.008 mA")
        p.get_by_role("button", name="Sources").click()
        p.get_by_role("button", name="All by itself").click()
        expect(p.get_by_text("Capturing by itself.")).to_be_visible()
        # Another looks on, and a reload loses nothing of the picture.
        other = self.open_browser()
        self.sign_in(other, "tomas")
        other.goto(p.url)
        expect(other.get_by_role("region", name="Live signals")).to_be_visible()
        p.reload()
        expect(p.get_by_role("region", name="Live signals").or_(p.get_by_role("heading", name="Judge as found"))).to_be_visible()
        self.shot("live-run")
        expect(p.get_by_role("heading", name="Judge as found")).to_be_visible(timeout=150_000)
        expect(other.get_by_role("heading", name="Judge as found")).to_be_visible()
        evidence = p.get_by_role("complementary", name="Evidence")
        expect(evidence.get_by_text("pass", exact=True)).to_have_count(11)
        evidence.get_by_role("button", name="U of reading 3", exact=True).click()
        expect(evidence.get_by_text("settled after").first).to_be_visible()
        expect(evidence.get_by_text("Settle spread, Loop current")).to_be_visible()

    def test_one_key_captures_and_a_lost_source_is_said_and_regained(self):
        p = self.page
        self.to_live()
        expect(p.get_by_role("button", name="Capture reading 1")).to_be_enabled()
        self.check_step(p, "As found")
        self.capture(1)
        self.bench.calibrator.misbehaves.silent = True
        live = p.get_by_role("region", name="Live signals")
        expect(live.get_by_text("Source lost").first).to_be_visible()
        expect(live).to_contain_text("no answer to")
        p.get_by_role("button", name="Not ready to capture").click()
        expect(p.get_by_text("type the reading, or capture when it is back")).to_be_visible()
        p.get_by_label("Reading, typed instead").fill("8.02")
        p.get_by_label("Really applied, typed instead").fill("100")
        p.get_by_label("Reading, typed instead").press("Enter")
        expect(p.get_by_role("status", name="Last reading")).to_contain_text("Reading 2, 8.02 mA")
        self.bench.calibrator.misbehaves.silent = False
        self.bench.world.channel("PT-2110").source.go_to(200)
        expect(p.get_by_role("button", name="Capture reading 3")).to_be_enabled()
        self.capture(3)

    def capture(self, number):
        """Enter in the empty field captures; noise may make it ask for a second press."""
        p = self.page
        last = p.get_by_role("status", name="Last reading").get_by_text(f"Reading {number},")
        for _ in range(5):
            expect(p.get_by_role("button", name=f"Capture reading {number}").or_(last)).to_be_visible()
            if last.count():
                break
            p.get_by_label("Reading, typed instead").press("Enter")
            expect(last.or_(p.get_by_role("alert"))).to_be_visible()
        expect(last).to_be_visible()

    def test_a_batch_of_two_sensors_is_left_alone_and_found_finished(self):
        p = self.page
        for code, probe in (("A", "MB-T01"), ("B", "MB-T02")):
            self.forward(
                f"TE-{code}", f"MB-TE{code}", {"Reference probe": probe, "Block or bath": "MB-B01", "Readout of the sensor": "MB-R01"}
            )
            expect(p.get_by_role("heading", name="As found", exact=True)).to_be_visible()
            self.choose_sources(Reference_reads=f"other: Probe in {code} {SCPI}", Sensor_reads=f"Sensor in {code} {SCPI}")
        p.get_by_role("link", name="Plan", exact=True).click()
        p.get_by_role("link", name="Several at once on the bench").click()
        for code in ("A", "B"):
            p.get_by_text(f"TE-{code}, Liquor {code}").click()
        expect(p.get_by_role("region", name="Plan of the batch")).to_contain_text("saved")
        p.get_by_role("button", name="Start the batch of 2").click()
        expect(p.get_by_role("heading", name="Batch under way")).to_be_visible()
        self.shot("batch")
        self.check(p, "batch")
        p.goto("about:blank")
        p.wait_for_timeout(4000)
        p.goto("/batch")
        expect(p.get_by_role("heading", name="Batch finished")).to_be_visible(timeout=150_000)
        expect(p.get_by_role("region", name="Batch")).to_contain_text("3 of 3 points")
        p.get_by_role("region", name="Batch").get_by_role("link", name="TE-B").click()
        expect(p.get_by_role("heading", name="Judge as found")).to_be_visible()
        expect(p.get_by_text("ohm everywhere: a lead or contact carries resistance").first).to_be_visible()
