"""What is stored: the recording as it came, and one row for each step of its history."""

from uuid import uuid4

from django.conf import settings
from django.db import models


class Take(models.Model):
    """A recording and where its history stands. The take that is seen is the recording through its strokes."""

    id = models.UUIDField(primary_key=True, default=uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="takes")
    name = models.CharField(max_length=200)
    source = models.BinaryField()
    summary = models.JSONField(help_text="What the library shows, computed once on reading.")
    revision = models.PositiveIntegerField(default=0, help_text="Counts every change of the history.")
    done = models.PositiveIntegerField(default=0, help_text="How many of the steps count; the rest were undone.")
    arrangement = models.JSONField(default=dict, blank=True, help_text="Names, dyes and lanes as the player set them.")
    added_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)
    deleted_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("-added_at", "name")
        indexes = (models.Index(fields=("owner", "deleted_at", "-added_at")),)

    def __str__(self) -> str:
        return self.name


class TakeSound(models.Model):
    """A recorded sound that is kept beside a take: to be drawn against, traced, heard with it."""

    take = models.OneToOneField(Take, on_delete=models.CASCADE, related_name="sound")
    name = models.CharField(max_length=200)
    data = models.BinaryField(help_text="One channel, as FLAC.")
    peaks = models.BinaryField(help_text="One byte for each fiftieth of a second.")
    seconds = models.FloatField()
    offset = models.FloatField(default=0.0, help_text="Seconds of the take at which it begins.")

    def __str__(self) -> str:
        return self.name


class Preferences(models.Model):
    """What an account wants in every take."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="preferences")
    wishes = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"Preferences of {self.owner}"


class SignInTrouble(models.Model):
    """Wrong guesses of a password: by name, by address, and by both together."""

    key = models.CharField(max_length=32, unique=True, help_text="A hash: neither names nor addresses are kept.")
    failures = models.PositiveIntegerField(default=0)
    until = models.DateTimeField(null=True, blank=True, help_text="No guess is looked at before.")
    last = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.failures} wrong guesses"


class Step(models.Model):
    """How one stroke reads from this step on: added, changed, switched or deleted."""

    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="steps")
    position = models.PositiveIntegerField()
    number = models.PositiveIntegerField(help_text="The stroke's number in the history.")
    stroke = models.JSONField(help_text="The stroke's text form, as in docs/strokes.md.")
    label = models.CharField(max_length=200)
    on = models.BooleanField(default=True)
    gone = models.BooleanField(default=False)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("position",)
        constraints = (models.UniqueConstraint(fields=("take", "position"), name="one_step_a_position"),)

    def __str__(self) -> str:
        return self.label
