"""Whether a device is the one that is meant."""

import unittest

from metrology.run.same_device import is_tag_of


class Tags(unittest.TestCase):
    def test_case_hyphens_and_blanks_do_not_count_and_eight_characters_suffice(self):
        for device, tag, is_it in (
            ("PT-2110", "PT-2110", True),
            ("pt 2110", "PT-2110", True),
            ("PT2110", "PT-2110", True),
            ("PT-21101", "PT-21101A", True),  # the device holds eight characters
            ("PT21101A", "PT-21101A", True),
            ("PT-2111", "PT-2110", False),
            ("PT-211", "PT-2110", False),
            ("", "PT-2110", False),
        ):
            self.assertEqual(is_tag_of(device, tag), is_it, (device, tag))
