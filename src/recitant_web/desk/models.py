"""Tracks, clips, stems, and the log of every edit. Positions in samples at 48 kHz, gains in dB."""

from django.conf import settings
from django.db import models

from recitant_web.programme.models import Programme, Source


class Track(models.Model):
    """Clips that share a fader."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="tracks")
    name = models.CharField(max_length=255)
    role = models.CharField(max_length=24)
    position = models.PositiveIntegerField(default=0)
    gain_db = models.FloatField(default=0.0)
    pan = models.FloatField(default=0.0)
    is_mono = models.BooleanField(default=False)
    chain = models.JSONField(default=list)
    """Processors, first to last; see recitant_core.processors.model."""
    ride = models.JSONField(default=dict)
    """points: [at_sample, gain_db] of each; is_first: whether before the processors. Empty for none."""
    height_px = models.PositiveSmallIntegerField(default=64)
    shade = models.PositiveSmallIntegerField(default=0)
    """Which shade of its role's colour tells it from its neighbours, 0 to 3."""
    is_out = models.BooleanField(default=False)
    """Whether all its clips are out of the mix: kept, and in no file."""


class Clip(models.Model):
    """A stretch of a source, placed on a track."""

    track = models.ForeignKey(Track, on_delete=models.CASCADE, related_name="clips")
    source = models.ForeignKey(Source, on_delete=models.PROTECT)
    name = models.CharField(max_length=255)
    start_sample = models.BigIntegerField()
    in_sample = models.BigIntegerField(default=0)
    length_samples = models.BigIntegerField()
    gain_db = models.FloatField(default=0.0)
    fade_in_samples = models.BigIntegerField(default=0)
    fade_out_samples = models.BigIntegerField(default=0)
    fade_in_shape = models.CharField(max_length=12, default="equal-power")
    fade_out_shape = models.CharField(max_length=12, default="equal-power")
    curve = models.JSONField(default=list)
    """[samples from the clip's start, dB] of each point."""
    routing = models.CharField(max_length=12, default="as-recorded")
    reversed_channels = models.JSONField(default=list)
    dc_offset = models.JSONField(default=list)
    left_out = models.JSONField(default=list)
    """[start, length] in the recording of each stretch that levels are measured without."""
    mended = models.JSONField(default=list)
    """Codes of the remedies that were applied."""
    group = models.CharField(max_length=32, default="", blank=True)
    """Clips of one group move and level as one; empty for none."""
    chain = models.JSONField(default=list)
    """Processors over the recording; their curves count in its samples."""
    speaker = models.CharField(max_length=80, default="", blank=True)
    """Speaker; empty if unassigned."""
    is_room_tone = models.BooleanField(default=False)
    balanced = models.JSONField(null=True, default=None)
    """Gain before and after a first balance, and whether it made the curve; null where none did."""
    accepted = models.JSONField(default=list)
    """[start, length] in the recording of each stretch whose speech may be close to the rest."""
    is_out = models.BooleanField(default=False)
    """Whether it is out of the mix: kept, and in no file."""
    takes = models.JSONField(default=list)
    """The other recordings for its place, each with its key and what differs from a plain one."""
    take_index = models.PositiveSmallIntegerField(default=0)
    unfilled = models.JSONField(default=list)
    """Samples before and after it that other takes fill; empty for none."""
    sync_sample = models.BigIntegerField(null=True, default=None)
    """Where its recording's first sample lies from the picture's first frame; null where it is not tied to it."""


class Marker(models.Model):
    """A named place: a sync point, a note, a chapter."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="markers")
    kind = models.CharField(max_length=8)
    """"sync", "note" or "chapter"."""
    at_sample = models.BigIntegerField()
    text = models.CharField(max_length=200, default="", blank=True)


class Version(models.Model):
    """A named state of the whole programme that one can return to."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="versions")
    name = models.CharField(max_length=120)
    revision = models.PositiveBigIntegerField()
    rows = models.JSONField()
    """Every row that makes the programme, by table."""
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)


class Stem(models.Model):
    """The gain of all tracks of one role."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="stems")
    role = models.CharField(max_length=24)
    gain_db = models.FloatField(default=0.0)
    chain = models.JSONField(default=list)
    ride = models.JSONField(default=dict)
    trim = models.JSONField(default=list)
    """[start_sample, gain_db, is_kept] of each scene."""
    balanced = models.JSONField(null=True, default=None)
    """Gain before and after a first balance; null where none set it."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["programme", "role"], name="one_stem_a_role")]


class Duck(models.Model):
    """Rule of a stem or one track that gives way to speech, and the curve that it made."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="ducks")
    stem = models.CharField(max_length=24, default="", blank=True)
    """Empty where it is a track that gives way."""
    track = models.ForeignKey(Track, null=True, on_delete=models.CASCADE, related_name="ducks")
    rule = models.JSONField(default=dict)
    """Fields of the rule that differ from a plain one."""
    points = models.JSONField(default=list)
    """[at_sample, gain_db, is_pinned] of each point, in programme time."""
    room_points = models.JSONField(default=list)


class Preset(models.Model):
    """A chain kept under a name for every programme of a workspace."""

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="presets")
    name = models.CharField(max_length=80)
    chain = models.JSONField(default=list)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workspace", "name"], name="one_preset_a_name")]


class ClipPeaks(models.Model):
    """Peaks of a clip before its gains, keyed by a hash of source, chain, in-point, length and routing."""

    key = models.CharField(max_length=64, unique=True)
    sample_peak_dbfs = models.FloatField(null=True)
    """Null for silence."""
    true_peak_dbtp = models.FloatField(null=True)


class BalanceRun(models.Model):
    """One first balance: what was chosen, and what its steps came to."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="balance_runs")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    job = models.ForeignKey("jobs.Job", null=True, on_delete=models.SET_NULL)
    choices = models.JSONField(default=dict)
    steps = models.JSONField(default=list)
    """Of each step: its code, what it measured and changed as facts, and the edit it became."""
    made_at = models.DateTimeField(auto_now_add=True)


class EditState(models.TextChoices):
    """Whether an edit is in force, taken back, or can no longer come back."""

    DONE = "done"
    UNDONE = "undone"
    DROPPED = "dropped"


class Edit(models.Model):
    """One step of the log: what changed in which rows, from what to what."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="edits")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    label = models.JSONField()
    """Code and facts of its sentence: recitant_text.steps.label_text."""
    said = models.JSONField(default=dict, blank=True)
    """Facts on what else came of it, such as what became of the ducking; empty where nothing did."""
    changes = models.JSONField()
    state = models.CharField(max_length=8, choices=EditState.choices, default=EditState.DONE)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["programme", "state", "id"])]


class Verdict(models.Model):
    """Exact figures of a mix, found again by the hash of everything that makes its sound."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE)
    plan_key = models.CharField(max_length=64)
    figures = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["programme", "plan_key"], name="one_verdict_a_plan")]


class FitResult(models.Model):
    """The exact fit of a mix to a specification, found again by the same hash."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE)
    plan_key = models.CharField(max_length=64)
    spec_id = models.CharField(max_length=40)
    gain_db = models.FloatField()
    ceiling_dbtp = models.FloatField(null=True)
    is_reached = models.BooleanField()
    most_reduction_db = models.FloatField(null=True)
    """Deepest reduction of the last limiter; null in fits from before it was kept."""
    limited_share = models.FloatField(null=True)
    facts = models.JSONField(default=dict)
    """Those of recitant_text.fits, from which its sentence is made."""

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["programme", "plan_key", "spec_id"], name="one_fit_a_plan_and_spec")
        ]
