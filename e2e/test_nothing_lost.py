"""Reload, a second tab, an ended session, a lost connection: the work is still there."""

import re

from django.contrib.sessions.models import Session
from playwright.sync_api import expect

from apps.runs.models import Run, RunEvent
from apps.runs.store import load_state
from e2e.base import GOOD, PASSWORD, BrowserTestCase, RunSteps
from e2e.fast_typing import read_at_speed, slow_answers


class NothingLost(BrowserTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.page)
        self.steps = RunSteps(self.page)
        self.steps.to_as_found()

    def test_a_reload_resumes_at_the_same_step_with_every_reading_and_what_was_half_typed(self):
        p = self.page
        self.steps.read(GOOD[:4])
        p.get_by_label("Reading, mA").fill("20.")
        p.reload()
        expect(p.get_by_role("button", name="Record reading 5")).to_be_visible()
        expect(p.get_by_label("Reading, mA")).to_have_value("20.")
        expect(p.get_by_role("region", name="As found readings").get_by_role("row")).to_have_count(5)

    def test_a_stale_tab_is_told_what_happened_and_keeps_its_number(self):
        p = self.page
        other = self.open_browser()
        self.sign_in(other, "tomas")
        other.goto(p.url)
        expect(other.get_by_role("button", name="Record reading 1")).to_be_visible()
        p.route(re.compile(r"/api/v1/runs/[0-9a-f-]+/$"), lambda route: route.abort())  # this tab hears nothing new
        RunSteps(other).read(["4.01"])
        p.get_by_label("Reading, mA").fill("4.02")
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_text("Meanwhile: Tomas Calder took reading 1 (as found): 4.01")).to_be_visible()
        expect(p.get_by_label("Reading, mA")).to_have_value("4.02")
        p.unroute_all()
        p.reload()
        expect(p.get_by_role("button", name="Record reading 2")).to_be_visible()
        expect(p.get_by_label("Reading, mA")).to_have_value("4.02")

    def test_an_answer_that_comes_late_does_not_take_the_page_back(self):
        p = self.page
        asked, answered = [], []

        def late(route):
            """What the server told before the next reading, delivered after it."""
            asked.append(route)
            told = route.fetch()
            p.get_by_label("Reading, mA").fill(GOOD[0])
            p.get_by_label("Reading, mA").press("Enter")
            expect(p.get_by_role("status", name="Last reading")).to_contain_text(GOOD[0])
            route.fulfill(response=told)
            answered.append(True)

        p.route(re.compile(r"/api/v1/runs/[0-9a-f-]+/$"), late, times=1)
        with p.expect_response(re.compile(r"/api/v1/runs/[0-9a-f-]+/$")):
            p.evaluate("document.dispatchEvent(new Event('visibilitychange'))")
        self.steps.read(GOOD[1:2], first=2)
        self.assertEqual((len(asked), answered), (1, [True]))
        expect(p.get_by_text("Meanwhile:")).to_have_count(0)
        expect(p.get_by_text("All saved")).to_be_visible()
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 2)

    def test_when_another_went_on_to_the_next_step_that_is_said_too(self):
        p = self.page
        self.steps.read(GOOD[:9])
        other = self.open_browser()
        self.sign_in(other, "tomas")
        other.goto(p.url)
        expect(other.get_by_role("button", name="Record reading 10")).to_be_visible()
        p.route(re.compile(r"/api/v1/runs/[0-9a-f-]+/$"), lambda route: route.abort())
        RunSteps(other).read(["4.01"], first=10)
        p.get_by_label("Reading, mA").fill("4.02")
        p.unroute_all()
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_text("Meanwhile: Tomas Calder took reading 10 (as found): 4.01")).to_be_visible()
        expect(p.get_by_role("heading", name="Judge as found")).to_be_visible()
        p.get_by_role("button", name="I have read it").click()
        expect(p.get_by_text("Meanwhile:")).to_have_count(0)

    def test_an_ended_session_asks_to_sign_in_over_the_page_and_the_number_is_still_there(self):
        p = self.page
        p.get_by_label("Reading, mA").fill("4.01")
        Session.objects.all().delete()
        p.get_by_label("Reading, mA").press("Enter")
        dialog = p.get_by_role("dialog", name="Sign in again")
        expect(dialog.get_by_role("heading")).to_be_visible()
        dialog.get_by_label("Password").fill(PASSWORD)
        dialog.get_by_role("button", name="Sign in").click()
        expect(dialog).to_have_count(0)
        expect(p.get_by_label("Reading, mA")).to_have_value("4.01")
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_role("button", name="Record reading 2")).to_be_visible()

    def lose_answers(self, times):
        """The server stores what is sent, but its answer never arrives."""
        lost = []

        def answer_lost(route):
            lost.append(route.fetch())
            route.abort()

        self.page.route("**/events/", answer_lost, times=times)
        return lost

    def test_an_answer_lost_once_is_asked_for_again_without_anybody_noticing(self):
        p = self.page
        lost = self.lose_answers(1)
        p.get_by_label("Reading, mA").fill("4.01")
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_role("region", name="As found readings").get_by_role("row")).to_have_count(2)
        expect(p.get_by_text("All saved")).to_be_visible()
        self.assertEqual((len(lost), RunEvent.objects.filter(type="reading_taken").count()), (1, 1))

    def test_a_lost_connection_keeps_the_number_and_sending_again_stores_it_once(self):
        p = self.page
        lost = self.lose_answers(3)
        p.get_by_label("Reading, mA").fill("4.01")
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_text("The server can't be reached")).to_be_visible()
        expect(p.get_by_label("Reading, mA")).to_have_value("4.01")
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_role("button", name="Record reading 2")).to_be_visible()
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 1)
        self.assertEqual(len(lost), 3)

    def test_what_the_server_can_not_store_is_sent_again_by_itself_and_said_on_every_page(self):
        p = self.page
        full = {"code": "store_full", "message": "There is no room left where the plant's data is kept.", "field": "", "details": {}}
        p.route("**/events/", lambda route: route.fulfill(status=503, json=full))
        p.get_by_label("Reading, mA").fill("4.01")
        p.get_by_label("Reading, mA").press("Enter")
        said = p.get_by_role("alert").filter(has_text="There is no room left")
        expect(said).to_be_visible()
        p.get_by_role("link", name="Kit", exact=True).click()
        expect(p.get_by_role("heading", name="Kit", level=1)).to_be_visible()
        expect(said).to_be_visible()
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 0)
        p.unroute_all()
        expect(said).to_have_count(0, timeout=30_000)
        p.go_back()
        expect(p.get_by_role("button", name="Record reading 2")).to_be_visible()
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 1)

    def test_slips_are_asked_about_refused_or_struck_in_plain_words(self):
        p = self.page
        self.steps.read(GOOD[:2])
        field = p.get_by_label("Reading, mA")
        for typed, words in (
            ("abc", "not a number"),
            ("1e999", "too large"),
            ("12 V", "asked in mA"),
            ("", "is empty"),
            ("1204", "Did you mean 12.04 mA?"),
        ):
            field.fill(typed)
            field.press("Enter")
            expect(p.get_by_text(re.compile(re.escape(words))).first).to_be_visible()
            expect(field).to_have_value(typed)
        p.get_by_role("button", name="Yes, 12.04 mA").click()
        expect(p.get_by_role("button", name="Record reading 4")).to_be_visible()
        expect(p.get_by_role("region", name="As found readings")).to_contain_text("12.04")  # stored: until then nothing can be struck
        strike = p.get_by_role("button", name="Strike a reading")
        expect(strike).to_be_enabled()
        strike.press("Enter")
        dialog = p.get_by_role("dialog")
        dialog.get_by_label("Reason").fill("valve was passing")
        dialog.get_by_role("button", name="Strike it").click()
        expect(p.get_by_role("region", name="As found readings")).to_contain_text("struck by Ines Calder: valve was passing")
        expect(p.get_by_role("button", name="Record reading 3")).to_be_visible()

    def test_voiding_asks_for_the_hold_first_and_leaves_nothing_open(self):
        p = self.page
        p.get_by_role("button", name="Void", exact=True).click()
        dialog = p.get_by_role("dialog")
        dialog.get_by_label("Reason").fill("wrong day")
        dialog.get_by_role("button", name="Void it").click()
        expect(dialog.get_by_role("alert").last).to_contain_text("Normal reading seen")
        dialog.get_by_label("Normal reading seen").fill("212")
        dialog.get_by_label("Operator told").fill("Control room")
        dialog.get_by_role("button", name="Void it").click()
        expect(p.get_by_text("Voided by Ines Calder")).to_be_visible()
        expect(p.get_by_role("region", name="Open holds")).to_have_count(0)
        self.assertEqual(Run.objects.get().status, "voided")

    def test_while_the_network_lags_the_page_leads_on_to_the_next_point(self):
        p, held = self.page, []
        p.route("**/events/", lambda route: held.append(route), times=1)
        for text, apply, ideal, number in ((GOOD[0], "100.00", "8.000", 2), (GOOD[1], "200.00", "12.000", 3)):
            p.get_by_label("Reading, mA").fill(text)
            p.get_by_label("Reading, mA").press("Enter")
            expect(p.get_by_label("Really applied")).to_have_value(apply)
            expect(p.get_by_role("form").get_by_text(f"{apply} kPa", exact=True)).to_be_visible()
            expect(p.get_by_role("form").get_by_text(f"{ideal} mA", exact=True)).to_be_visible()
            expect(p.get_by_role("button", name=f"Record reading {number}", exact=True)).to_be_enabled()
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 0)
        held[0].continue_()
        self.steps.read(GOOD[2:], first=3)
        expect(p.get_by_text("Proposed:").first).to_be_visible()
        _, _, state = load_state(Run.objects.get().id)
        self.assertEqual([r.applied for r in state.readings], [f"{n}.00" for n in (0, 100, 200, 300, 400, 400, 300, 200, 100, 0)])

    def test_typing_on_while_the_network_lags_loses_no_digit(self):
        read_at_speed(self, percent=[0, 25, 50, 75, 100], cycles=1, seed=1)

    def test_one_refused_in_front_of_others_is_settled_and_they_follow(self):
        p = self.page
        slow_answers(p, seconds=(1.0, 1.0), seed=1)
        for text in ("4.01", "804", "12.01"):
            p.keyboard.type(text)
            p.keyboard.press("Enter")
        p.keyboard.type("16.")
        expect(p.get_by_text("Did you mean 8.04 mA?")).to_be_visible()
        expect(p.get_by_label("Reading, mA")).to_have_value("16.")
        self.shot("reading-refused")
        self.check(p, "a reading refused in front of others")
        p.reload()
        expect(p.get_by_text("Did you mean 8.04 mA?")).to_be_visible()
        p.get_by_role("button", name="Yes, 8.04 mA").click()
        expect(p.get_by_role("button", name="Record reading 4")).to_be_visible()
        expect(p.get_by_role("region", name="As found readings").get_by_role("row")).to_have_count(4)
        _, _, state = load_state(Run.objects.get().id)
        self.assertEqual([r.indicated for r in state.readings], ["4.01", "8.04", "12.01"])
        expect(p.get_by_label("Reading, mA")).to_have_value("16.")
