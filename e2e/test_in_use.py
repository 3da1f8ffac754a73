"""An instrument taken out of use and back again, in the browser: gone from what is due, not to be started, found under its old name."""

import re

from playwright.sync_api import expect

from e2e.base import BrowserTestCase


class InUse(BrowserTestCase):
    def test_out_of_use_and_back_under_another_name(self):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plant/PT-2110")
        p.get_by_role("button", name="Take out of use").press("Enter")
        asked = p.get_by_role("dialog")
        asked.get_by_role("button", name="Store it").press("Enter")
        expect(asked.get_by_text("Say why, so that the next one knows.").first).to_be_visible()
        asked.get_by_label("Why").fill("Line B is mothballed")
        asked.get_by_role("button", name="Store it").press("Enter")
        expect(asked).to_have_count(0)
        expect(p.get_by_text("Line B is mothballed. It is not due.").first).to_be_visible()
        self.check(p, "instrument out of use")
        tech = self.open_browser()
        self.sign_in(tech)
        expect(tech.get_by_role("heading", name=re.compile("^Today"))).to_be_visible()
        expect(tech.get_by_text("PT-2111").first).to_be_visible()
        expect(tech.get_by_text("PT-2110")).to_have_count(0)
        tech.goto("/plant/PT-2110")
        expect(tech.get_by_text("It is not due.").first).to_be_visible()
        expect(tech.get_by_role("button", name="Start a calibration")).to_have_count(0)
        p.goto("/plant/PT-2110/edit")
        p.get_by_label("Tag", exact=True).fill("PT-8110")
        p.get_by_label("Why it is changed").fill("new numbering of line B")
        p.get_by_role("button", name="Store the changes").press("Enter")
        expect(p).to_have_url(re.compile("/plant/PT-8110$"))
        p.get_by_role("button", name="Take back into use").press("Enter")
        asked = p.get_by_role("dialog")
        asked.get_by_label("Why").fill("Line B runs again")
        asked.get_by_role("button", name="Store it").press("Enter")
        expect(p.get_by_text("Its tag was PT-2110.")).to_be_visible()
        tech.goto("/")
        expect(tech.get_by_text("PT-8110").first).to_be_visible()
        tech.goto("/plant/PT-2110")  # as the plate may still say
        expect(tech.get_by_role("heading", name=re.compile("PT-8110"))).to_be_visible()
        expect(tech.get_by_role("button", name="Start a calibration")).to_be_visible()
