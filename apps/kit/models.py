"""Reference standards with what their certificates claim."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any, ClassVar

from django.conf import settings
from django.db import models

from metrology.judgement.gas_kit import Bottle, BottleGas, Fitting
from metrology.judgement.reference import ReferenceStandard

STATES = [("in service", "In service"), ("quarantined", "Quarantined"), ("retired", "Retired")]


KINDS = {
    "calibrator": "Calibrator",
    "meter": "Meter",
    "block": "Block or bath",
    "probe": "Reference probe",
    "weight": "Test weight",
    "portable": "Portable instrument",
    "other": "Other",
}


class Reference(models.Model):
    """A reference standard; its uncertainty is u_absolute + % of reading + % of span, expanded with k."""

    code = models.CharField(max_length=20, unique=True)
    name = models.CharField(max_length=80)
    serial = models.CharField(max_length=40)
    unit = models.CharField(max_length=20)
    low = models.FloatField()
    high = models.FloatField()
    u_absolute = models.FloatField(default=0.0)
    u_percent_reading = models.FloatField(default=0.0)
    u_percent_span = models.FloatField(default=0.0)
    k = models.FloatField(default=2.0)
    resolution = models.FloatField(default=0.0)
    drift_per_year = models.FloatField(default=0.0)  # how far it may move in a year, in its unit
    gradient = models.FloatField(default=0.0)  # of a block or bath, between probe and unit, in its unit
    axial = models.FloatField(default=0.0)  # of a block or bath: along the sensing part of a well, in its unit
    loading = models.FloatField(default=0.0)  # of a block or bath: by what else stands in it, in its unit
    wells = models.PositiveSmallIntegerField(default=0)  # of a block or bath: places for sensors beside the probe's; 0: not said
    certificate = models.CharField(max_length=40)
    laboratory = models.CharField(max_length=80)
    traceability = models.CharField(max_length=160)
    calibrated_on = models.DateField()
    due_on = models.DateField()
    state = models.CharField(max_length=20, choices=STATES, default="in service")
    kind = models.CharField(max_length=12, choices=list(KINDS.items()), default="calibrator")
    weight_class = models.CharField(max_length=12, blank=True)  # of a weight, as OIML R 111 has it: E1 to M3
    set_name = models.CharField(max_length=40, blank=True)  # the set it belongs to
    points = models.JSONField(default=list, blank=True)  # of its certificate: [applied, indicated, U]
    gas = models.CharField(max_length=40, blank=True)  # of a portable: what it is for, by which it is checked in

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    def standard(self) -> ReferenceStandard:
        """The reference as the core has it."""
        return ReferenceStandard(
            code=self.code,
            name=self.name,
            serial=self.serial,
            unit=self.unit,
            low=self.low,
            high=self.high,
            u_absolute=self.u_absolute,
            u_percent_reading=self.u_percent_reading,
            u_percent_span=self.u_percent_span,
            k=self.k,
            resolution=self.resolution,
            certificate=self.certificate,
            laboratory=self.laboratory,
            traceability=self.traceability,
            calibrated_on=self.calibrated_on.isoformat(),
            due_on=self.due_on.isoformat(),
            state=self.state,
            drift_per_year=self.drift_per_year,
            gradient=self.gradient,
            axial=self.axial,
            loading=self.loading,
            points=tuple((float(a), float(i), float(u)) for a, i, u in self.points),
        )


class GasBottle(models.Model):
    """A gas bottle. gases: rows of gas, value, unit, u_percent and basis; litres at atmospheric pressure when it was full."""

    code = models.CharField(max_length=20, unique=True)
    name = models.CharField(max_length=80)
    gases = models.JSONField(default=list)
    balance = models.CharField(max_length=40)
    oxygen = models.FloatField(default=0.0)
    is_humid = models.BooleanField(default=False)
    is_declared = models.BooleanField(default=False)  # explosive on purpose, and said to be
    litres = models.FloatField()
    litres_drawn = models.FloatField(default=0.0)  # taken out before its use was recorded here
    expires_on = models.DateField(null=True, blank=True)
    certificate = models.CharField(max_length=40, blank=True)
    laboratory = models.CharField(max_length=80, blank=True)
    state = models.CharField(max_length=20, choices=STATES, default="in service")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    def bottle(self, *, litres_left: float) -> Bottle:
        """The bottle as the core has it."""
        return Bottle(
            code=self.code,
            name=self.name,
            gases=tuple(BottleGas(**g) for g in self.gases),
            balance=self.balance,
            oxygen=self.oxygen,
            litres_left=litres_left,
            expires_on=self.expires_on.isoformat() if self.expires_on else "",
            certificate=self.certificate,
            laboratory=self.laboratory,
            state=self.state,
            is_humid=self.is_humid,
        )


class GasFitting(models.Model):
    """A regulator or a line between bottle and detector."""

    code = models.CharField(max_length=20, unique=True)
    kind = models.CharField(max_length=12, choices=[("regulator", "Regulator"), ("line", "Line")])
    material = models.CharField(max_length=40)
    flow_l_min = models.FloatField(default=0.0)
    length_m = models.FloatField(default=0.0)
    is_conditioned = models.BooleanField(default=False)
    stays_on = models.CharField(max_length=20, blank=True)  # the bottle a regulator was left on, purged, shut and under pressure
    purged_on = models.DateField(null=True, blank=True)
    place_told_at = models.DateTimeField(null=True, blank=True)  # when its place was told last, by a run or by hand
    state = models.CharField(max_length=20, choices=STATES, default="in service")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    def fitting(self) -> Fitting:
        """The fitting as the core has it."""
        names: dict[str, Any] = {n: getattr(self, n) for n in Fitting.__dataclass_fields__}
        names["purged_on"] = self.purged_on.isoformat() if self.purged_on else ""
        return Fitting(**names)


TABLES = {"nist": "NIST / DIN 19266", "technical": "Technical, rounded", "own": "A table of its own"}


class Liquid(models.Model):
    """A bottle that fresh portions are poured from: lot and dates."""

    code = models.CharField(max_length=20, unique=True)
    points = models.JSONField(default=list, blank=True)  # of a table of its own: [temperature in C, value]
    certificate = models.CharField(max_length=40, blank=True)
    portion_ml = models.FloatField(default=100.0)  # what a fresh portion takes
    lot = models.CharField(max_length=40)
    litres = models.FloatField(default=0.0)
    opened_on = models.DateField(null=True, blank=True)
    open_days = models.PositiveIntegerField(default=90)  # how long it is good once opened
    expires_on = models.DateField()
    state = models.CharField(max_length=20, choices=STATES, default="in service")

    class Meta:
        abstract = True
        ordering: ClassVar[list[str]] = ["code"]

    def __str__(self) -> str:
        return self.code

    def portions(self, used: float) -> float:
        """Fresh portions left after so many were used; what was used is never poured back."""
        return max(0.0, int(1000.0 * self.litres / self.portion_ml) - used) if self.portion_ml > 0 else 0.0

    def good_until(self) -> date:
        """The earlier of its expiry and the end of its time once opened."""
        opened = self.opened_on + timedelta(days=self.open_days) if self.opened_on else self.expires_on
        return min(opened, self.expires_on)


class Buffer(Liquid):
    """A buffer solution for pH with its table."""

    ph = models.FloatField()  # at 25 °C
    table = models.CharField(max_length=20, choices=list(TABLES.items()), default="nist")
    u_ph = models.FloatField(default=0.02)  # expanded, k = 2

    @property
    def words(self) -> str:
        """What it is."""
        return f"pH {self.ph:g}, {self.get_table_display()}, lot {self.lot}"


SOLUTION_TABLES = {
    "kcl-0.01": "KCl 0.01 mol/l (1413 uS/cm)",
    "kcl-0.1": "KCl 0.1 mol/l (12.88 mS/cm)",
    "kcl-0.01-d": "KCl 0.01 D (1408 uS/cm)",
    "kcl-0.1-d": "KCl 0.1 D (12.82 mS/cm)",
    "own": "A table of its own",
}


class Solution(Liquid):
    """A conductivity standard with its table."""

    us_cm = models.FloatField()  # at 25 °C, uS/cm
    table = models.CharField(max_length=20, choices=list(SOLUTION_TABLES.items()), default="own")
    u_percent = models.FloatField(default=1.0)  # expanded, k = 2

    @property
    def words(self) -> str:
        """What it is."""
        return f"{self.us_cm:g} uS/cm, {self.get_table_display()}, lot {self.lot}"


class Worn(models.Model):
    """What wears out by itself: its life in days from when it was taken into use."""

    code = models.CharField(max_length=20, unique=True)
    name = models.CharField(max_length=60)
    serial = models.CharField(max_length=40, blank=True)
    opened_on = models.DateField(null=True, blank=True)
    open_days = models.PositiveIntegerField(default=365)
    expires_on = models.DateField()
    state = models.CharField(max_length=20, choices=STATES, default="in service")

    class Meta:
        abstract = True
        ordering: ClassVar[list[str]] = ["code"]

    def __str__(self) -> str:
        return self.code

    @property
    def words(self) -> str:
        """What it is."""
        return self.name

    def life_days(self) -> int:
        """How long it is good once in use."""
        return self.open_days

    def good_until(self) -> date:
        """The earlier of its expiry and the end of its life in use."""
        opened = self.opened_on + timedelta(days=self.life_days()) if self.opened_on else self.expires_on
        return min(opened, self.expires_on)

    def portions(self, used: float) -> float:
        """It is not used up in portions."""
        return 0.0


class Syringe(Worn):
    """A syringe that samples and standards are injected with; its plunger and septum wear."""


class Trap(Worn):
    """A trap that takes a component out of the air of a blank. Without its caps the open air spends it in days."""

    is_capped = models.BooleanField(default=True)
    uncapped_days = models.PositiveIntegerField(default=3)

    def life_days(self) -> int:
        """Short where it stands open."""
        return int(self.open_days if self.is_capped else self.uncapped_days)

    @property
    def words(self) -> str:
        """What it is, and whether it is capped."""
        return self.name if self.is_capped else f"{self.name}, without its caps"


class KitChange(models.Model):
    """Who changed what of an item of the kit, and why."""

    group = models.CharField(max_length=12)  # reference, bottle, fitting, buffer
    code = models.CharField(max_length=20)
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    reason = models.CharField(max_length=300)
    values = models.JSONField(default=dict)  # field to [old, new]

    class Meta:
        ordering = ["-at"]
        indexes = [models.Index(fields=["group", "code", "-at"])]


class KitFile(models.Model):
    """A file attached to an item of the kit, a certificate mostly."""

    group = models.CharField(max_length=12)
    code = models.CharField(max_length=20)
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=40)  # media type, by content
    size = models.PositiveIntegerField()
    file = models.FileField(upload_to="kit/")

    class Meta:
        ordering = ["-at"]
        indexes = [models.Index(fields=["group", "code"])]
