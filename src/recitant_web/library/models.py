"""Sounds of a workspace and who likes them."""

from django.conf import settings
from django.db import models

from recitant_web.accounts.models import Workspace


class Sound(models.Model):
    """A short recording that every programme of a workspace may use. Its samples are conformed under its hash."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="sounds")
    name = models.CharField(max_length=120)
    tags = models.CharField(max_length=200, default="", blank=True)
    role = models.CharField(max_length=24, default="effects")
    is_shipped = models.BooleanField(default=False)
    original_file = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    size_bytes = models.BigIntegerField(default=0)
    n_channels = models.PositiveSmallIntegerField()
    rate_hz = models.PositiveIntegerField()
    coding = models.CharField(max_length=60, default="", blank=True)
    length_samples = models.BigIntegerField()
    readings = models.JSONField(default=dict)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workspace", "sha256"], name="one_sound_a_file")]


class Favourite(models.Model):
    """A sound that a user likes."""

    sound = models.ForeignKey(Sound, on_delete=models.CASCADE, related_name="favourites")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["sound", "user"], name="one_favourite_each")]
