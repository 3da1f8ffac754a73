"""Sensors in wells: by range, by the weakest in the block, by probes and wells there are."""

from unittest import TestCase

from metrology.methods.wells import UNSAID_WELLS, Place, Sensor, propose_wells

A = Place("A", -20, 160, 0.02, wells=3)
B = Place("B", -20, 650, 0.03, wells=3)
P1, P2 = Place("P1", -20, 660, 0.02), Place("P2", -20, 420, 0.03)


def sensor(tag, high, block="", low=0.0, bears=None):
    return Sensor(tag, "°C", low, high, high if bears is None else bears, block)


def where(proposal):
    return {p.tag: (p.block, p.well, p.probe) for p in proposal.placed}


class Wells(TestCase):
    def test_alike_share_the_steadier_block_and_the_better_probe(self):
        made = propose_wells([sensor("T1", 150), sensor("T2", 150)], [B, A], [P2, P1])
        self.assertEqual(where(made), {"T1": ("A", 1, "P1"), "T2": ("A", 2, "P1")})

    def test_one_well_too_few_takes_a_second_block_with_a_probe_of_its_own(self):
        made = propose_wells([sensor(f"T{n}", 150) for n in range(4)], [A, B], [P1, P2])
        self.assertEqual([p.block for p in made.placed].count("A"), 3)
        self.assertEqual({p.probe for p in made.placed}, {"P1", "P2"})
        fourth = propose_wells([sensor(f"T{n}", 150) for n in range(4)], [A, B], [P1])
        self.assertEqual(len(fourth.placed), 3)  # one probe is in one block
        self.assertIn("not wells, blocks and probes enough", next(iter(fourth.left.values())))

    def test_the_weakest_in_a_block_just_bears_it_and_just_does_not(self):
        for bears, blocks in ((399.999, 2), (400.0, 1), (400.001, 1)):
            made = propose_wells([sensor("HOT", 400), sensor("COLD", 150, bears=bears)], [B, Place("C", -20, 650, 0.03)], [P1, P2])
            self.assertEqual(len({p.block for p in made.placed}), blocks, bears)

    def test_a_range_at_the_end_of_a_block_fits_and_just_past_it_does_not(self):
        self.assertEqual(where(propose_wells([sensor("T", 160)], [A], [P1])), {"T": ("A", 1, "P1")})
        self.assertEqual(propose_wells([sensor("T", 160.01)], [A], [P1]).left, {"T": "No block that is in service covers 0 to 160.01 °C."})
        self.assertIn("does not cover", propose_wells([sensor("T", 300, "A")], [A, B], [P1]).left["T"])
        self.assertIn("No reference probe", propose_wells([sensor("T", 500)], [A, B], [P2]).left["T"])

    def test_where_a_sensor_stands_wired_it_stays_and_who_does_not_bear_it_is_told(self):
        made = propose_wells([sensor("T1", 150, "B"), sensor("T2", 600, "B")], [A, B], [P1, P2])
        self.assertEqual(len(made.placed), 1)
        [told] = made.left.values()
        self.assertIn("It stands in B, and", told)
        self.assertIn("round of its own", told)

    def test_units_are_those_of_each(self):
        made = propose_wells([Sensor("F", "°F", 32, 302, 302), Sensor("K", "K", 273.15, 423.15, 423.15)], [A], [P1])
        self.assertEqual({p.block for p in made.placed}, {"A"})
        self.assertEqual(len(made.placed), 2)

    def test_a_block_that_does_not_say_how_many_wells_takes_four(self):
        loose = Place("L", -20, 160)
        made = propose_wells([sensor(f"T{n}", 150) for n in range(UNSAID_WELLS + 1)], [loose], [P1])
        self.assertEqual(len(made.placed), UNSAID_WELLS)
