"""Somebody comes in by a link, signs in, changes their password, leaves; by the keyboard where it counts."""

import pyotp
from django.utils import timezone
from playwright.sync_api import expect

from apps.accounts.models import Person, SecondFactor
from apps.plant.policies import set_policies
from e2e.base import PASSWORD, BrowserTestCase


class People(BrowserTestCase):
    def setUp(self):
        super().setUp()
        Person.objects.create_user("holt", password=PASSWORD, first_name="Holt", last_name="Calder", role="administrator")

    def add(self):
        p = self.page
        self.sign_in(p, "holt")
        p.goto("/people")
        p.get_by_role("button", name="Add somebody").press("Enter")
        expect(p.get_by_label("First name")).to_be_focused()
        for text in ("Lena", "Voss", "ines"):
            p.keyboard.type(text)
            p.keyboard.press("Tab")
        p.keyboard.press("Enter")
        p.get_by_role("button", name="Add and make a link").press("Enter")
        expect(p.get_by_text("ines is Ines Calder. Take another name.")).to_be_visible()
        p.reload()
        p.get_by_role("button", name="Add somebody").press("Enter")
        expect(p.get_by_label("Last name")).to_have_value("Voss")  # what was typed is kept
        p.get_by_label("User name").press("Control+a")
        p.keyboard.type("lena")
        p.keyboard.press("Enter")
        link = p.get_by_label("Link for lena")
        expect(link).to_be_visible()
        expect(p.get_by_role("listitem", name="Lena Voss")).to_contain_text("has no password yet")
        self.check(p, "people and who can come in")
        return link.input_value()

    def test_somebody_is_added_comes_in_by_the_link_and_leaves(self):
        p, address = self.page, self.add()
        lena = self.open_browser()
        lena.goto(address)
        expect(lena.get_by_text("Welcome, Lena Voss")).to_be_visible()
        self.check(lena, "a password is set by a link")
        lena.keyboard.type("short")
        lena.keyboard.press("Tab")
        lena.keyboard.type("short")
        lena.keyboard.press("Enter")
        expect(lena.get_by_text("too short")).to_be_visible()
        for label in ("Password", "Password again"):
            lena.get_by_label(label, exact=True).press("Control+a")
            lena.keyboard.type("lenas-long-password")
        lena.keyboard.press("Enter")
        lena.get_by_role("link", name="Sign in as lena").press("Enter")
        self.sign_in_here(lena, "lena", "lenas-long-password")
        lena.get_by_role("link", name="Lena Voss technician").press("Enter")
        expect(lena.get_by_label("The password of now")).to_be_focused()
        for text in ("lenas-long-password", "lenas-other-password", "lenas-other-password"):
            lena.keyboard.type(text)
            lena.keyboard.press("Tab")
        lena.keyboard.press("Enter")
        expect(lena.get_by_text("Your password is changed")).to_be_visible()
        self.check(lena, "one's own password")

        stranger = self.open_browser()
        stranger.goto(address)
        expect(stranger.get_by_text("This link was used")).to_be_visible()

        p.reload()
        row = p.get_by_role("listitem", name="Lena Voss")
        row.get_by_role("button", name="Change Lena Voss").press("Enter")
        row.get_by_role("button", name="They have left").press("Enter")
        expect(row.get_by_text("Say why")).to_be_visible()
        row.get_by_label("Why").fill("Left the plant")
        row.get_by_role("button", name="They have left").press("Enter")
        expect(row).to_contain_text("left: can’t sign in")
        row.get_by_text("What was done").press("Enter")
        expect(row).to_contain_text("Left: can't sign in any more: Left the plant")
        lena.goto("/")
        expect(lena.get_by_role("button", name="Sign in")).to_be_visible()

    def sign_in_here(self, page, username, password):
        page.get_by_label("Name", exact=True).fill(username)
        page.get_by_label("Password", exact=True).fill(password)
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Today").first).to_be_visible()

    def test_a_device_is_set_up_and_asked_for_at_the_door(self):
        p = self.page
        set_policies(actor=None, method="", values={"one_time_codes": "both"}, reason="as the lead says", now=timezone.now())
        self.sign_in(p)
        p.get_by_role("link", name="Ines Calder set up your device").press("Enter")
        device = p.get_by_role("region", name="Device for one-time codes")
        device.get_by_label("Your password, for the device").fill(PASSWORD)
        device.get_by_role("button", name="Set up a device").press("Enter")
        expect(device.get_by_role("img")).to_be_visible()
        self.check(p, "a device being set up")
        factor = SecondFactor.objects.get(person__username="ines")
        device.get_by_label("Code of your device").fill("000000")
        device.get_by_role("button", name="It shows this code").press("Enter")
        expect(device.get_by_text("That is not the code")).to_be_visible()
        device.get_by_label("Code of your device").fill(pyotp.TOTP(factor.secret).now())
        device.get_by_role("button", name="It shows this code").press("Enter")
        expect(device.get_by_text("A code was given in this session")).to_be_visible()
        SecondFactor.objects.update(last_step=0)  # half a minute goes by
        p.get_by_role("button", name="Sign out").click()
        p.get_by_label("Name").fill("ines")
        p.get_by_label("Password").fill(PASSWORD)
        p.keyboard.press("Enter")
        expect(p.get_by_text("Type the six digits")).to_be_visible()
        expect(p.get_by_label("Code of your device")).to_be_focused()
        p.keyboard.type(pyotp.TOTP(factor.secret).now())
        p.keyboard.press("Enter")
        expect(p.get_by_role("heading", name="Today").first).to_be_visible()

    def test_a_planner_sees_qualifications_and_not_who_can_come_in(self):
        self.sign_in(self.page, "ruben")
        self.page.goto("/people")
        expect(self.page.get_by_role("heading", name="People and what they are qualified for")).to_be_visible()
        expect(self.page.get_by_role("region", name="Who can come in")).to_have_count(0)
