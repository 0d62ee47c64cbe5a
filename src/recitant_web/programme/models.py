"""Programmes and the recordings brought into them."""

from django.db import models
from django.utils import timezone

from recitant_text.messages import message_text
from recitant_web.accounts.models import Workspace
from recitant_web.jobs.models import Job


class Programme(models.Model):
    """A film, an episode, a spot. Its revision grows by one with every edit."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="programmes")
    title = models.CharField(max_length=200)
    frame_rate = models.CharField(max_length=8, default="25")
    spec_id = models.CharField(max_length=40, default="ebu-r128")
    revision = models.PositiveBigIntegerField(default=0)
    is_picture_locked = models.BooleanField(default=False)
    """Clips cannot move in time by accident; levels can."""
    clearance_lu = models.FloatField(default=7.0)
    """How far speech is to stand above everything else."""
    least_passage_s = models.FloatField(default=0.5)
    """Shorter close passages do not count."""
    master_chain = models.JSONField(default=list)
    """Processors over the sum of all stems."""
    picture_offset_samples = models.BigIntegerField(default=0)
    """Where the picture's first frame lies in the programme; negative where the programme begins inside it."""
    new_fades = models.JSONField(default=dict)
    """in_samples, out_samples and shape of the fades that new clips get; empty for 5 ms of equal power."""
    programme_gain_db = models.FloatField(default=0.0)
    """Gain of the whole mix, before the limiter."""
    meter_zones = models.JSONField(default=dict)
    """Where the zones of the meters end, where they differ from the usual: see queries.ZONES."""
    language = models.CharField(max_length=8, default="", blank=True)
    """In which people speak, ISO 639-1; empty where it is to be found out."""
    n_speakers = models.PositiveSmallIntegerField(null=True)
    """How many people speak; null where it is to be estimated."""
    caption_rules = models.JSONField(default=dict)
    """Fields of recitant_core.captions.rules.CaptionRules that differ from the usual."""
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(default=timezone.now)
    """Of the newest step of its log."""
    last_page = models.CharField(max_length=12, default="", blank=True)
    """Where work stopped last: intake, arrange, words, level, balance or hand-over; empty for a new one."""
    judged = models.JSONField(default=dict)
    """The newest exact verdict for the list: revision, spec, state and words; empty for none."""
    archived_at = models.DateTimeField(null=True)
    deleted_at = models.DateTimeField(null=True)
    """Since when it is deleted; it is removed for good thirty days later."""

    def __str__(self) -> str:
        return self.title


class SourceState(models.TextChoices):
    """State of a file that was brought in."""

    WAITING = "waiting"
    READY = "ready"
    REFUSED = "refused"
    SPLIT = "split"
    """A recorder file whose channels are recordings of their own."""
    PICTURE = "picture"
    """A picture without sound: nothing to hear, and nothing wrong."""


class SourceKind(models.TextChoices):
    """Origin of a recording."""

    FILE = "file"
    TAKE = "take"
    """Narration recorded in the page."""
    LIBRARY = "library"
    VARIED = "varied"
    """Another recording at another speed or pitch."""
    TONE = "tone"
    """Room tone made from a quiet stretch of another recording."""


class Pile(models.Model):
    """Files that were brought in together and are laid out together, once all of them are ready or refused."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="piles")
    how = models.CharField(max_length=8)
    """See recitant_core.timeline.laying.Laying."""
    order = models.CharField(max_length=8, default="name")
    is_whole = models.BooleanField(default=False)
    """Whether every file of it has been sent."""


class Source(models.Model):
    """A recording: the file as it came, and what was learnt of it. The file is never changed."""

    kind = models.CharField(max_length=8, choices=SourceKind.choices, default=SourceKind.FILE)
    varied_from = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="variations")
    variation = models.JSONField(default=dict)
    """Of a varied one: speed, keeps_pitch, semitones."""
    role_reasons = models.JSONField(default=list)
    """Code and figure of each reason: recitant_text.findings.role_reasons."""
    """Sentences; empty where a person chose the role."""
    sound_track = models.PositiveSmallIntegerField(default=0)
    sound_tracks = models.JSONField(default=list)
    channel = models.PositiveSmallIntegerField(null=True)
    """Which channel of its file it is, counted from 0; null for all of them."""
    at_sample = models.BigIntegerField(default=0)
    """Where its clip is laid: after the picture's first frame, or where it was recorded to."""
    recorded_to = models.JSONField(default=dict)
    """Of a take: track_id, 0 for a new one; is_range, whether the range it fills was chosen; in_sample and
    length_samples of that range in the recording. Empty for wherever there is room."""
    reference_samples = models.BigIntegerField(null=True)
    """Time of day that the file carries (Broadcast Wave time reference or timecode), in samples at 48 kHz."""
    has_picture = models.BooleanField(default=False)
    pile = models.ForeignKey(Pile, null=True, on_delete=models.SET_NULL, related_name="sources")
    """That it waits to be laid out with; null once it is laid, or where it is laid by itself."""
    pile_place = models.PositiveIntegerField(default=0)
    """Its place in the order in which the files of its pile were chosen."""
    findings = models.JSONField(default=list)
    speech = models.JSONField(default=list)
    """[start, length, confidence] of each stretch of speech, in samples of the recording."""
    speech_marks = models.JSONField(default=list)
    """[start, length, is_speech] of each correction by hand; they stay when speech is found anew."""
    is_listened = models.BooleanField(default=False)
    """Whether all of it was heard for speech, or only the beginning of an answer is there."""
    noise = models.JSONField(default=dict)

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="sources")
    name = models.CharField(max_length=255)
    role = models.CharField(max_length=24, default="", blank=True)
    """Empty until it is guessed or chosen."""
    state = models.CharField(max_length=8, choices=SourceState.choices, default=SourceState.WAITING)
    message = models.JSONField(default=dict, blank=True)
    """Why it is as it is, such as refused: recitant_text.messages."""
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL)
    original_file = models.CharField(max_length=200)
    """Under the media root; a name of ours, never the user's."""
    size_bytes = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, default="", blank=True)
    n_channels = models.PositiveSmallIntegerField(null=True)
    rate_hz = models.PositiveIntegerField(null=True)
    coding = models.CharField(max_length=60, default="", blank=True)
    length_samples = models.BigIntegerField(null=True)
    readings = models.JSONField(default=dict)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created_at", "pk"]

    @property
    def sentence(self) -> str:
        """Sentence of its message; empty for none."""
        return message_text(self.message)

    @property
    def ready_n_channels(self) -> int:
        """Number of channels of a recording that was taken in."""
        assert self.n_channels is not None
        return self.n_channels

    @property
    def ready_length_samples(self) -> int:
        """Length of a recording that was taken in."""
        assert self.length_samples is not None
        return self.length_samples


class Picture(models.Model):
    """The picture of a programme: the file as it came, and a light copy where a browser cannot play that."""

    programme = models.OneToOneField(Programme, on_delete=models.CASCADE, related_name="picture")
    name = models.CharField(max_length=255)
    original_file = models.CharField(max_length=200)
    proxy_file = models.CharField(max_length=200, default="", blank=True)
    plays_in_browser = models.BooleanField(default=False)
    frame_rate = models.CharField(max_length=8, default="", blank=True)
    """Empty where it is none of the usual rates."""
    rate_hz = models.FloatField()
    is_variable_rate = models.BooleanField(default=False)
    length_samples = models.BigIntegerField()
    reference_samples = models.BigIntegerField(null=True)
    """Time of day of the first frame, from its timecode, in samples at 48 kHz."""
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    coding = models.CharField(max_length=40)
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL)

    @property
    def shown_file(self) -> str:
        """The file that the page plays; empty while there is none."""
        return self.proxy_file or (self.original_file if self.plays_in_browser else "")


class Upload(models.Model):
    """A file on its way in: what has arrived stays, so that a broken connection goes on where it stopped."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="uploads")
    token = models.CharField(max_length=32, unique=True)
    fingerprint = models.CharField(max_length=128)
    """Made by the page from name, size and date, to find the same file again."""
    name = models.CharField(max_length=255)
    role = models.CharField(max_length=24, default="", blank=True)
    pile = models.ForeignKey(Pile, null=True, on_delete=models.SET_NULL, related_name="uploads")
    pile_place = models.PositiveIntegerField(default=0)
    size_bytes = models.BigIntegerField()
    received_bytes = models.BigIntegerField(default=0)
    file = models.CharField(max_length=200)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["programme", "fingerprint"])]
