"""The plant: areas, instruments, plant-wide and method policies, and who changed what."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any, cast

from django.conf import settings
from django.db import models
from django.utils import timezone

from apps.plant.once import once
from config.kept_json import KeptJSON
from metrology.judgement.policy import Policy
from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.condition import register_life_ends
from metrology.methods.detector import DetectorSettings
from metrology.methods.registry import CATALOGUE, FAMILIES, METHODS, settings_of, usual_method
from metrology.methods.settings import read_settings
from metrology.methods.setup import InstrumentSetup, RunSetup
from metrology.quantities.transfer import Transfer
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import day_words

ACCESS = {
    "": "From the floor",
    "ladder": "Ladder",
    "scaffold": "Scaffold or lift",
    "height": "At height, with harness",
    "confined": "Confined space",
}
DUE_RULES = {
    "fixed": "Fixed interval",
    "staircase": "Staircase: longer after passes, shorter after a fail",
    "drift": "Drift: before the error is expected to reach the tolerance",
    "signal": "Sensor's signal: before it is worn",
}


TRIGGERS = {
    "power-down": "It was without power",
    "mode change": "Its mode or settings were changed",
    "sensor change": "Its sensor was changed",
    "moved": "It was moved",
    "process": "The process changed",
    "doubt": "Its reading is doubted",
    "re-zero": "To be zeroed again once it is warm",
    "back in use": "Taken back into use",
}
BACK_IN_USE = "back in use"


class PolicyChange(models.Model):
    """A policy of the whole plant (method empty) or of one method was set, or taken back (value empty). None is ever changed or deleted."""

    method = models.CharField(max_length=40, blank=True)
    name = models.CharField(max_length=40)
    value = models.CharField(max_length=40, blank=True)
    before = models.CharField(max_length=40, blank=True)
    counts_from = models.DateField()
    at = models.DateTimeField()
    by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+"
    )  # None: at the server's command line
    reason = models.CharField(max_length=300)

    class Meta:
        ordering = ["counts_from", "pk"]

    def __str__(self) -> str:
        return f"{self.method or 'plant'}: {self.name} {self.value or 'taken back'}"


Layers = Mapping[str, Mapping[str, Any]]  # method (empty: the whole plant) to values


def layers_on(day: date) -> Layers:
    """What the plant (under the empty key) and each method say on a day; what was taken back is not there."""
    out: dict[str, dict[str, str]] = {}
    for method, name, value in PolicyChange.objects.filter(counts_from__lte=day).values_list("method", "name", "value"):
        layer = out.setdefault(method, {})
        if value:
            layer[name] = value
        else:
            layer.pop(name, None)
    return out


def all_layers() -> Layers:
    """What the plant and each method say today."""
    return cast(Layers, once("layers", lambda: layers_on(timezone.localdate())))


class Area(models.Model):
    """A part of the plant."""

    code = models.CharField(max_length=12, unique=True)
    name = models.CharField(max_length=80, unique=True)
    needs_permit = models.BooleanField(default=False)
    east_m = models.FloatField(default=0.0)  # where it lies on the plan of the site, in metres
    north_m = models.FloatField(default=0.0)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


def check_method(method: str) -> str:
    """The function check that goes beside a method; empty where there is none."""
    found = METHODS.get(method)
    return next((k for k in found.traits.also if k in METHODS and METHODS[k].traits.is_check), "") if found else ""


IN_USE, OUT_OF_USE, RETIRED = "in use", "out of use", "retired"
STATES = {IN_USE: "In use", OUT_OF_USE: "Out of use, or in the store", RETIRED: "Retired"}
RESULTS = {"": "Not known", "pass": "Inside its limits", "fail": "Outside its limits"}
BAR = "|"


class Instrument(models.Model):
    """An installed instrument as the register knows it, with what its finished runs projected onto it."""

    tag = models.CharField(max_length=40, unique=True)
    tag_key = models.CharField(max_length=40, unique=True, editable=False)
    search_key = models.CharField(max_length=240, editable=False, default="")  # tag, service and serial folded, for one look
    serial = models.CharField(max_length=60)
    maker = models.CharField(max_length=60, blank=True)
    model = models.CharField(max_length=60, blank=True)
    device_revision = models.CharField(max_length=40, blank=True)  # of its hardware or its software, as the plate or the device says
    asset_number = models.CharField(max_length=40, blank=True)
    service = models.CharField(max_length=120)
    area = models.ForeignKey(Area, on_delete=models.PROTECT, related_name="instruments")
    system = models.CharField(max_length=60, blank=True)
    family = models.CharField(max_length=30, choices=list(FAMILIES.items()), default="transmitter")
    method = models.CharField(max_length=40, default="")  # a key of the catalogue; the register checks it
    unit = models.CharField(max_length=20)
    lrv = models.FloatField()
    urv = models.FloatField()
    output_lo = models.FloatField(default=4.0)
    output_hi = models.FloatField(default=20.0)
    output_unit = models.CharField(max_length=12, default="mA")
    transfer = models.CharField(max_length=12, default="linear")
    cutoff_percent = models.FloatField(default=0.0)
    transfer_table = models.JSONField(default=list, blank=True)
    tolerance_value = models.FloatField()
    tolerance_basis = models.CharField(max_length=12, default="span")
    tolerance_combine = models.CharField(max_length=12, default="single")
    tolerance2_value = models.FloatField(null=True, blank=True)
    tolerance2_basis = models.CharField(max_length=12, blank=True, default="")
    division = models.FloatField(default=0.0)
    warm_up_min = models.FloatField(default=0.0)
    is_adjustable = models.BooleanField(default=True)
    hazards = models.CharField(max_length=300, blank=True)
    feeds = models.CharField(max_length=200, blank=True)
    voting = models.CharField(max_length=8, blank=True)  # of its group, like 2oo3
    voting_group = models.CharField(max_length=40, blank=True, db_index=True)  # detectors that vote on one trip
    zone = models.CharField(max_length=40, blank=True, db_index=True)  # what they watch together
    ex_marking = models.CharField(max_length=60, blank=True)
    access = models.CharField(max_length=12, blank=True, choices=list(ACCESS.items()))
    skills = models.CharField(max_length=200, blank=True)  # qualifications it takes beside those of its method and its access, with ;
    permit_kind = models.CharField(max_length=60, blank=True)
    people = models.PositiveSmallIntegerField(default=1)
    work_min = models.PositiveSmallIntegerField(default=0)  # attention it takes; 0: as its method usually takes
    documents = models.CharField(max_length=1000, blank=True)
    due_rule = models.CharField(max_length=12, choices=list(DUE_RULES.items()), default="fixed")
    grace_days = models.PositiveSmallIntegerField(default=0)
    points_percent = models.JSONField(default=list, blank=True)
    cycles = models.PositiveSmallIntegerField(default=1)
    details = models.JSONField(default=dict, blank=True)  # texts under the names of the settings of its method
    policy = models.JSONField(default=dict, blank=True)
    interval_days = models.PositiveIntegerField(default=365)
    before_on = models.DateField(null=True, blank=True)  # last calibrated, by whom and how, before this register kept its records
    before_by = models.CharField(max_length=80, blank=True)
    before_result = models.CharField(max_length=10, choices=list(RESULTS.items()), blank=True)
    state = models.CharField(max_length=12, choices=list(STATES.items()), default=IN_USE, db_index=True)
    state_since = models.DateField(null=True, blank=True)
    state_why = models.CharField(max_length=300, blank=True)
    former_tags = models.CharField(max_length=200, blank=True)  # each between bars, the latest last: |PT-1|PT-2|
    next_due = models.DateField(null=True, blank=True, db_index=True)
    first_due = models.DateField(null=True, blank=True)  # of one that was never calibrated, while a proof test makes it due sooner
    due_why = models.CharField(max_length=400, blank=True)  # the rule that made next_due, in words
    doubt = models.CharField(max_length=200, blank=True)  # why it can't be relied on until it is put right, by its last jobs
    last_done_on = models.DateField(null=True, blank=True)
    last_found = models.CharField(max_length=10, blank=True)
    last_left = models.CharField(max_length=10, blank=True)
    last_check_on = models.DateField(null=True, blank=True)  # the last finished function check, or calibration, which counts as one
    life_ends_on = models.DateField(null=True, blank=True, db_index=True)  # of its sensor, by the register
    signal_ends_on = models.DateField(null=True, blank=True, db_index=True)  # of its sensor, by its signal or its dose, as its runs tell
    next_check = models.DateField(
        null=True, blank=True, db_index=True
    )  # of the function check between calibrations; none where none is planned

    class Meta:
        ordering = ["tag"]
        indexes = [models.Index(fields=["area", "tag"]), models.Index(fields=["method", "next_due"])]

    def __str__(self) -> str:
        return self.tag

    def save(self, *args: Any, **kwargs: Any) -> None:
        """Keep the folded texts beside what they are made of."""
        self.method = self.method or usual_method(self.family)
        self.fold()
        super().save(*args, **kwargs)

    def fold(self) -> None:
        """What follows from the rest: the folded tag, so that two can't differ in case alone, what a search looks through, the next function check.

        Before a save in bulk too.
        """
        self.tag_key = self.tag.casefold()
        self.search_key = f"{self.tag} {self.former_tags.replace(BAR, ' ')} {self.service} {self.serial}".casefold()[:240]
        self.next_check = self._next_check() if self.state == IN_USE else None
        self.life_ends_on = self._life_ends_on() if self.state == IN_USE else None

    def _life_ends_on(self) -> date | None:
        """When the life is over that the register gives its sensor; None where it has none or the register does not tell."""
        traits = METHODS[self.method].traits if self.method in METHODS else None
        if not (traits and traits.follows_life and self.details.get("sensor_since") and self.details.get("life_months")):
            return None
        return register_life_ends(cast(DetectorSettings, read_settings(settings_of(self.method), self.details)))

    @property
    def due_by_history(self) -> tuple[date, str] | None:
        """When it is due by what is known of before this register, and why; None where nothing is."""
        if self.before_on is None:
            return None
        told = f"last calibrated on {day_words(self.before_on)}{f' by {self.before_by}' if self.before_by else ''}, before this register"
        if self.before_result == "fail":
            return self.before_on, f"{told}, and left outside its limits"
        return self.before_on + timedelta(days=self.interval_days), f"every {self.interval_days} days, {told}"

    @property
    def names_before(self) -> list[str]:
        """The tags that it had, the latest last."""
        return [t for t in self.former_tags.split(BAR) if t]

    @property
    def replace_by(self) -> date | None:
        """When its sensor should be replaced, by whichever end comes first."""
        return min((d for d in (self.life_ends_on, self.signal_ends_on) if d), default=None)

    def _next_check(self) -> date | None:
        """So many days after the last check or calibration; at once where there was none yet."""
        text = str(self.details.get("check_days") or "")
        days = parse_typed(text, name="Days between function checks", unit="days").value if text else 0.0
        if not days or not check_method(self.method):
            return None
        last = max((d for d in (self.last_check_on, self.last_done_on) if d), default=None)
        return last + timedelta(days=days) if last else timezone.localdate()

    @property
    def method_title(self) -> str:
        """The name of its method."""
        return CATALOGUE.get(self.method, self.method)

    @property
    def is_runnable(self) -> bool:
        """True when its method can be run here."""
        return self.method in METHODS

    def tolerance(self) -> Tolerance:
        """The tolerance as the core has it; raises a Fault when it does not hold together."""
        terms = [Term(self.tolerance_value, self.tolerance_basis)]
        if self.tolerance_combine != "single":
            terms.append(Term(self.tolerance2_value or 0.0, self.tolerance2_basis or "span"))
        return Tolerance(tuple(terms), self.tolerance_combine, self.division)

    def setup(self, method: str = "", layers: Mapping[str, Any] | None = None) -> InstrumentSetup:
        """The instrument as the core has it for a method, its own unless another is named; raises a Fault when it does not hold together.

        layers: settings that the plant or the method gives, where the instrument says nothing of its own.
        """
        return InstrumentSetup(
            tag=self.tag,
            serial=self.serial,
            maker=self.maker,
            model=self.model,
            device_revision=self.device_revision,
            service=self.service,
            area=self.area.name,
            unit=self.unit,
            lrv=self.lrv,
            urv=self.urv,
            output_lo=self.output_lo,
            output_hi=self.output_hi,
            output_unit=self.output_unit,
            transfer=Transfer(self.transfer, self.cutoff_percent, tuple((float(a), float(b)) for a, b in self.transfer_table)),
            tolerance=self.tolerance(),
            warm_up_min=self.warm_up_min,
            is_adjustable=self.is_adjustable,
            needs_permit=self.area.needs_permit,
            hazards=self.hazards,
            feeds=self.feeds,
            voting_group=self.voting_group,
            voting=self.voting,
            zone=self.zone,
            details=read_settings(settings_of(method or self.method), {**(layers or {}), **self.details}),
        )

    def run_setup(self, policy: Policy, revision: str, method: str = "", layers: Layers | None = None) -> RunSetup:
        """What a run of this instrument is set up with; by its own method unless another is named.

        layers: what plant and methods say, looked up once for many instruments.
        """
        key = method or self.method
        traits = METHODS[key].traits
        chosen = self.points_percent if self.points_percent and key == self.method and traits.has_points else traits.default_points
        points = tuple(float(p) for p in chosen)
        known = layers if layers is not None else all_layers()
        setup = self.setup(key, {**known.get("", {}), **known.get(key, {})})
        return RunSetup(key, revision, setup, points_percent=points, cycles=self.cycles, policy=policy)


class InstrumentChange(models.Model):
    """Who changed what of an instrument: one entry an act."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="changes")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    reason = models.CharField(max_length=300, blank=True)
    values = models.JSONField(default=dict)  # field -> [old, new]

    class Meta:
        ordering = ["-at"]


class InstrumentFile(models.Model):
    """A document attached to an instrument: its data sheet, its procedure, a drawing."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="files")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=40)  # media type, by content
    size = models.PositiveIntegerField()
    file = models.FileField(upload_to="plant/")

    class Meta:
        ordering = ["name"]


class Trigger(models.Model):
    """Something happened that makes an instrument due, whatever its interval says; the next finished run settles it."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="triggers")
    kind = models.CharField(max_length=20, choices=list(TRIGGERS.items()))
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    note = models.CharField(max_length=300, blank=True)
    due_at = models.DateTimeField()
    settled_at = models.DateTimeField(null=True, blank=True)
    settled_by = models.CharField(max_length=40, blank=True)  # the run's number, or why it was taken back

    class Meta:
        ordering = ["due_at"]
        indexes = [models.Index(fields=["settled_at", "due_at"])]


class Deferral(models.Model):
    """A planner's wish to do it later: with a reason, in force once somebody else has approved it."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="deferrals")
    due_on = models.DateField()  # what it was due on when it was asked
    until = models.DateField()
    reason = models.CharField(max_length=400)
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    asked_at = models.DateTimeField()
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    decided_at = models.DateTimeField(null=True, blank=True)
    is_approved = models.BooleanField(default=False)
    is_over = models.BooleanField(default=False)  # refused, or settled by a run
    note = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["-asked_at"]


class ImportBatch(models.Model):
    """A file of instruments on its way into the register: read, previewed, written, and perhaps taken back."""

    id = models.UUIDField(primary_key=True)
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=200)
    status = models.CharField(max_length=12)  # reading, ready, writing, written, undoing, undone, refused
    says = models.CharField(max_length=600, blank=True)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    columns = models.JSONField(default=list)  # [{"header", "field", "unit"}], field empty where a column is passed over

    class Meta:
        ordering = ["-at"]


class ImportRow(models.Model):
    """One row of a file and its fate. cells: as in the file, by header. faults: column to sentence. changes: field to [old, new]."""

    batch = models.ForeignKey(ImportBatch, on_delete=models.CASCADE, related_name="rows")
    number = models.PositiveIntegerField()  # as the spreadsheet counts
    tag = models.CharField(max_length=40, blank=True)
    fate = models.CharField(max_length=10)  # new, changed, same, refused; then written, undone, kept
    cells = KeptJSON(default=dict)
    faults = KeptJSON(default=dict)
    changes = KeptJSON(default=dict)
    understood = KeptJSON(default=dict)  # header to text, where a cell is taken otherwise than it is written
    note = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["batch", "number"], name="one_row_per_number")]
        indexes = [models.Index(fields=["batch", "fate", "number"])]
