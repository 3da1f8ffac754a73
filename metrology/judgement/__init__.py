"""Judging measurements: errors, tolerance, uncertainty, decision rules, signatures, drift."""
