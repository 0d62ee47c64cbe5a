"""Words of recordings, who speaks, corrections, and captions."""

from django.db import models

from recitant_web.jobs.models import Job
from recitant_web.programme.models import Programme, Source


class Transcript(models.Model):
    """Words of one recording as a model heard them. Corrections are rows of their own, and stay."""

    source = models.OneToOneField(Source, on_delete=models.CASCADE, related_name="transcript")
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL)
    words = models.JSONField(default=list)
    """[text, start, end, confidence, speaker] of each word: samples of the recording, number of a Speaker or 0."""
    language = models.CharField(max_length=8, default="", blank=True)
    model = models.CharField(max_length=120, default="", blank=True)
    """Which model heard it; empty until one did."""
    is_doubtful = models.BooleanField(default=False)
    """Whether the model hardly understood it."""
    windows = models.JSONField(default=list)
    """[start, length] of each stretch whose voice was looked at."""
    voices = models.BinaryField(default=b"")
    """A vector of the voice in each window, 256 bytes each, 255 for 1.0."""
    stamp = models.PositiveIntegerField(default=0)
    """Rises with every change of the words."""


class Speaker(models.Model):
    """Somebody who speaks in a programme."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="speakers")
    name = models.CharField(max_length=80)
    same_as = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="others")
    """Who it turned out to be; null for nobody else."""
    voice = models.JSONField(default=list)
    """Mean vector of the voice; empty for one that was named by hand."""


class WordMark(models.Model):
    """A correction of the words in a stretch of a recording; see recitant_core.transcript.marks."""

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="word_marks")
    start_sample = models.BigIntegerField()
    end_sample = models.BigIntegerField()
    text = models.CharField(max_length=400, null=True)
    speaker = models.ForeignKey(Speaker, null=True, on_delete=models.SET_NULL)
    is_left_out = models.BooleanField(null=True)


class Caption(models.Model):
    """A cue of the programme's captions."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="captions")
    start_sample = models.BigIntegerField()
    end_sample = models.BigIntegerField()
    text = models.CharField(max_length=1_000)

    class Meta:
        indexes = [models.Index(fields=["programme", "start_sample"])]


class Listening(models.Model):
    """Words of a mix as a model heard them, beside its dialogue alone."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="listenings")
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL)
    plan_key = models.CharField(max_length=64)
    """Hash of the mix that was heard; empty until one was."""
    model = models.CharField(max_length=120)
    words = models.JSONField(default=list)
    """[text, start, end, confidence, state, heard as] of each word, in samples of the programme."""
    chunks = models.JSONField(default=dict)
    """Words by a hash of what was heard, so that an edit has only its own stretches heard again."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["programme"], name="one_listening_a_programme")]
