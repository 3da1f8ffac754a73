"""The pocket tools: found, liked, turned round, kept, and used in an open run."""

from playwright.sync_api import expect

from e2e.base import BrowserTestCase, RunSteps


class Calculators(BrowserTestCase):
    def test_found_computed_turned_round_kept_and_liked(self):
        p = self.page
        self.sign_in(p)
        p.keyboard.press("c")
        p.get_by_label("Search").fill("thermo volt")
        p.get_by_role("link", name="Thermocouple: voltage at a temperature").click()
        result = p.get_by_role("status", name="Result")
        expect(result).to_contain_text("4.09623 mV")
        p.get_by_label("Type").select_option("R")
        p.get_by_label("Temperature, °C").fill("1000")
        expect(result).to_contain_text("10.50")
        expect(p.get_by_role("img", name="Voltage mV over Temperature °C")).to_be_visible()
        expect(p.get_by_text("NIST Monograph 175").first).to_be_visible()
        p.get_by_role("button", name="Other direction").click()
        expect(p.get_by_role("heading", name="Thermocouple: temperature of a voltage")).to_be_visible()
        expect(p.get_by_role("status", name="Result")).to_contain_text("1000 °C")
        p.get_by_role("button", name="Make it a favourite").click()
        p.get_by_label("Voltage, mV").fill("900")
        expect(p.get_by_text("type R with its cold junction").first).to_be_visible()
        p.goto("/")
        p.goto("/calculators")
        favourites = p.get_by_role("region", name="Favourites").or_(p.locator("section", has_text="Favourites").first)
        favourites.get_by_role("link", name="Thermocouple: temperature of a voltage").click()
        expect(p.get_by_label("Voltage, mV")).to_have_value("900")
        p.get_by_role("button", name="Start values").click()
        expect(p.get_by_role("status", name="Result")).to_contain_text("°C")

    def test_a_result_goes_into_the_open_run(self):
        p = self.page
        self.sign_in(p)
        RunSteps(p).to_as_found()
        p.get_by_role("link", name="Calculate").click()
        p.get_by_role("link", name="Output for a value").click()
        p.get_by_role("button", name="Take the values of PT-2110").click()
        expect(p.get_by_label("URV", exact=True)).to_have_value("400")
        p.get_by_label("Value", exact=True).fill("100")
        p.get_by_role("button", name="Use 8 mA as “Reading”").click()
        expect(p.get_by_label("Reading, mA")).to_have_value("8")

    def test_rows_and_lists_and_a_table_of_results(self):
        p = self.page
        self.sign_in(p)
        p.goto("/calculators/points")
        expect(p.get_by_role("status", name="Result")).to_contain_text("Zero error")
        p.get_by_label("Readings: applied, indicated, up or down").fill("0 4.08 up\n50 12.08 up\n100 20.08 up")
        expect(p.get_by_role("status", name="Result")).to_contain_text("0.5 %")
        p.get_by_label("Readings: applied, indicated, up or down").fill("0 abc up")
        expect(p.get_by_text("a finite number is accepted").first).to_be_visible()
        p.goto("/calculators/displacer-weights")
        expect(p.get_by_role("columnheader", name="true percent")).to_be_visible()
