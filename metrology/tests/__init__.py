"""Tests of the core: published values, rules and properties."""
