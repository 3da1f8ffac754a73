"""Safety functions, the instruments that they rest on, and the proof tests that runs brought."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from apps.plant.models import Instrument
from apps.runs.models import Run
from metrology.judgement.demand import HOURS_A_YEAR, LEVELS, MODES, Assumed
from metrology.methods.setup import FALLING, RISING, TripPoint

DIRECTIONS = {RISING: "Rising to it", FALLING: "Falling to it"}


class SafetyFunction(models.Model):
    """A function that brings the plant to a safe state, as its safety requirements have it."""

    code = models.CharField(max_length=24, unique=True)
    name = models.CharField(max_length=80)
    prevents = models.CharField(max_length=300, blank=True)
    level = models.PositiveSmallIntegerField(choices=[(n, f"SIL {n}") for n in LEVELS], default=1)
    mode = models.CharField(max_length=8, choices=list(MODES.items()), default="low")
    voting = models.CharField(max_length=8, blank=True)  # of its sensors, like 1oo2; none: one sensor
    proof_days = models.PositiveIntegerField(default=365)
    coverage_percent = models.FloatField(default=90.0)  # of dangerous undetected failures that a proof test finds
    life_years = models.FloatField(default=20.0)  # until everything is renewed
    beta_percent = models.FloatField(default=5.0)
    rate_per_hour = models.FloatField(default=1e-6)  # assumed, of dangerous undetected failures of one sensor
    other = models.FloatField(default=0.0)  # assumed of logic solver and final element, in the measure of the function
    source = models.CharField(max_length=200, blank=True)  # where the assumed figures come from

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    def assumed(self) -> Assumed:
        """As the core has it; raises a Fault when it does not hold together."""
        return Assumed(
            self.voting, self.mode, 24.0 * self.proof_days, self.coverage_percent / 100, HOURS_A_YEAR * self.life_years,
            self.beta_percent / 100, self.other,
        )  # fmt: skip


class FunctionMember(models.Model):
    """An instrument of a function, and where it must trip, in its own unit. since: put in, or proved last before this register kept tests."""

    function = models.ForeignKey(SafetyFunction, on_delete=models.CASCADE, related_name="members")
    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="functions")
    trip = models.FloatField()
    within = models.FloatField()
    direction = models.CharField(max_length=8, choices=list(DIRECTIONS.items()))
    since = models.DateField()

    class Meta:
        ordering = ["instrument__tag"]
        constraints = [models.UniqueConstraint(fields=["function", "instrument"], name="once_in_a_function")]

    def point(self) -> TripPoint:
        """What is required of it, as a run has it."""
        f = self.function
        return TripPoint(f.code, f.name, f.level, self.trip, self.within, self.direction, self.instrument.unit)


class FunctionChange(models.Model):
    """Who changed what of a function."""

    function = models.ForeignKey(SafetyFunction, on_delete=models.CASCADE, related_name="changes")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    reason = models.CharField(max_length=300, blank=True)
    values = models.JSONField(default=dict)  # field -> [old, new]

    class Meta:
        ordering = ["at", "pk"]


class ProofTest(models.Model):
    """What a signed run proved of a function; made from its record, and made anew with it."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="proofs")
    function = models.ForeignKey(SafetyFunction, on_delete=models.CASCADE, related_name="tests")
    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="proofs")
    at = models.DateTimeField()
    path = models.CharField(max_length=30)
    trip = models.FloatField()  # required
    found = models.FloatField(null=True, blank=True)  # none: it did not trip
    found_verdict = models.CharField(max_length=10)
    is_dangerous = models.BooleanField(default=False)
    left = models.FloatField(null=True, blank=True)
    left_verdict = models.CharField(max_length=10, blank=True)
    bypass_min = models.FloatField(default=0.0)

    class Meta:
        ordering = ["at", "pk"]
        constraints = [models.UniqueConstraint(fields=["run", "function"], name="one_proof_of_a_function_in_a_run")]
        indexes = [models.Index(fields=["instrument", "at"])]
