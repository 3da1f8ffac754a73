"""The bottle or the detectors: factors within their uncertainties, those set on the same bottle, one that reads right, one that is worn as well."""

from math import hypot
from unittest import TestCase

from metrology.judgement.suspicion import OFF_LEAST, Peer, judge_bottle, peers_from


def said(*ratios, u=0.03, **more):
    return judge_bottle([Peer(name, r, u) for name, r in zip("ABCDE", ratios, strict=False)], **more)


class Suspicion(TestCase):
    def test_two_that_agree_and_are_off_speak_of_the_bottle(self):
        self.assertIn("A, B all read low by the same factor on it (0.81, U 0.02)", said(0.80, 0.82))
        self.assertIn("read high", said(1.2, 1.21, 1.19))
        self.assertEqual(said(0.80), "")
        self.assertEqual(said(1.01, 0.99, 1.0), "")

    def test_they_agree_within_their_uncertainties_and_no_further(self):
        limit = hypot(0.03, 0.03)
        for apart, is_said in ((limit - 0.001, True), (limit + 0.001, False)):
            self.assertEqual(bool(said(0.80, 0.80 - apart)), is_said, apart)
        self.assertTrue(said(0.80, 0.72, u=0.08))  # the same two, less well known

    def test_they_are_off_by_more_than_their_uncertainty_and_the_certificate_s(self):
        self.assertEqual(said(1 - OFF_LEAST + 0.001, 1 - OFF_LEAST + 0.001), "")
        self.assertTrue(said(1 - OFF_LEAST - 0.001, 1 - OFF_LEAST - 0.001))
        self.assertEqual(said(0.91, 0.91, u_bottle=0.10), "")
        self.assertTrue(said(0.89, 0.89, u_bottle=0.10))

    def test_one_that_reads_right_clears_the_bottle(self):
        self.assertEqual(said(0.80, 0.81, 1.0), "")
        self.assertEqual(said(0.80, 0.81, 1.2), "")

    def test_one_that_was_set_on_it_says_nothing_of_it(self):
        both = [Peer("A", 0.80), Peer("B", 0.81)]
        self.assertTrue(judge_bottle([*both, Peer("°C", 1.0, was_set_on_it=True)]))
        self.assertEqual(judge_bottle([Peer("A", 0.80), Peer("B", 0.81, was_set_on_it=True)]), "")

    def test_a_worn_one_beside_a_bad_bottle_is_kept_beside_it(self):
        told = said(0.80, 0.81, 0.5)
        self.assertIn("A, B all read low", told)
        self.assertIn("C is off further still: look at its sensor too", told)

    def test_as_an_event_keeps_them(self):
        made = (Peer("AE-1", 0.8, 0.035, True), Peer("AE-2", 1.01, 0.03))
        self.assertEqual(peers_from(" ".join(p.text for p in made)), made)
        self.assertEqual(peers_from("AE-1=0.800 AE-2=1.010"), (Peer("AE-1", 0.8), Peer("AE-2", 1.01)))
