"""What is stored: the recording as it came, and one row for each step of its history."""

from uuid import uuid4

from django.conf import settings
from django.db import models


def job_kinds() -> list[tuple[str, str]]:
    """Told by a function, so that a new one changes nothing in the database."""
    return list(Job.Kind.choices)


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


class Checkpoint(models.Model):
    """A take as it was shaped at some step, put away by the core, so that it need not be read and folded anew.

    It can be missing, or be of another version of the core: then the take is made from its rows.
    """

    take = models.OneToOneField(Take, on_delete=models.CASCADE, primary_key=True, related_name="checkpoint")
    done = models.PositiveIntegerField(help_text="How many steps of the history it has been through.")
    made_by = models.CharField(max_length=32, help_text="The version of the core.")
    seal = models.BinaryField(help_text="That Lull itself has written it, by its secret.")
    data = models.BinaryField()

    def __str__(self) -> str:
        return f"Checkpoint at step {self.done}"


class Job(models.Model):
    """What takes longer than an answer is waited for: a worker does it, and the page shows how far it has come."""

    class Kind(models.TextChoices):
        """What is done. The worker finds how by this name."""

        TAKE = "take"
        SOUND = "sound"
        ARCHIVE = "archive"
        EXPORT = "export"
        TUNE = "tune"
        FORMS = "forms"

    class State(models.TextChoices):
        """How far it has come."""

        ARRIVING = "arriving"
        WAITING = "waiting"
        WORKING = "working"
        DONE = "done"
        REFUSED = "refused"

    id = models.UUIDField(primary_key=True, default=uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=20, choices=job_kinds)
    state = models.CharField(max_length=20, choices=State.choices, default=State.WAITING)
    name = models.CharField(max_length=200, help_text="Of the file.")
    size = models.PositiveBigIntegerField(default=0, help_text="Bytes of the file.")
    take = models.ForeignKey(Take, on_delete=models.SET_NULL, null=True, related_name="jobs")
    asked = models.JSONField(default=dict, help_text="What is wanted of it, where that is more than its kind.")
    share = models.FloatField(default=0.0, help_text="How much of it is done.")
    says = models.TextField(default="", help_text="Why it was refused, or what there is to say when it is done.")
    remarks = models.JSONField(default=list)
    looks_zoned = models.BooleanField(default=False, help_text="The recording looks like MPE and does not say so.")
    tries = models.PositiveSmallIntegerField(default=0)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("made_at",)

    def __str__(self) -> str:
        return f"{self.kind} {self.name}"


class Invitation(models.Model):
    """A link with which one person makes an account, once."""

    key = models.CharField(max_length=64, unique=True, help_text="A hash: the link itself is not kept.")
    made_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, null=True, related_name="invitations"
    )
    made_at = models.DateTimeField(auto_now_add=True)
    until = models.DateTimeField()
    used_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"Invitation until {self.until:%Y-%m-%d}"


class TakeSound(models.Model):
    """A recorded sound that is kept beside a take: to be drawn against, traced, heard with it."""

    take = models.OneToOneField(Take, on_delete=models.CASCADE, related_name="sound")
    name = models.CharField(max_length=200)
    file = models.CharField(
        max_length=100, help_text="One channel, as FLAC: its name among `services/bulk.py`'s files."
    )
    size = models.PositiveBigIntegerField(default=0, help_text="Its bytes.")
    peaks = models.BinaryField(help_text="One byte for each fiftieth of a second.")
    seconds = models.FloatField()
    offset = models.FloatField(default=0.0, help_text="Seconds of the take at which it begins.")
    tune = models.BinaryField(null=True, help_text="Its pitch, brightness and attacks, once they were followed.")

    def __str__(self) -> str:
        return self.name


class Preferences(models.Model):
    """What an account wants in every take."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="preferences")
    wishes = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"Preferences of {self.owner}"


class Room(models.Model):
    """That an account may keep more, or less, than others: as whoever runs Lull has said."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="room")
    most_bytes = models.PositiveBigIntegerField()

    def __str__(self) -> str:
        return f"Room of {self.owner}"


class Night(models.Model):
    """The time that was believed when what had expired was removed last (see `services/purging.py`): one row."""

    at = models.DateTimeField()

    def __str__(self) -> str:
        return f"Purged {self.at:%Y-%m-%d %H:%M}"


class SignInTrouble(models.Model):
    """Wrong guesses of a password: by name, by address, and by both together."""

    key = models.CharField(max_length=32, unique=True, help_text="A hash: neither names nor addresses are kept.")
    failures = models.PositiveIntegerField(default=0)
    until = models.DateTimeField(null=True, blank=True, help_text="No guess is looked at before.")
    last = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.failures} wrong guesses"


class SoundBank(models.Model):
    """A SoundFont that a player has brought, to hear takes by."""

    id = models.UUIDField(primary_key=True, default=uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="banks")
    name = models.CharField(max_length=200)
    file = models.CharField(max_length=100, help_text="The file as it came, by its name among the same.")
    size = models.PositiveBigIntegerField(default=0, help_text="Its bytes.")
    presets = models.JSONField(default=list, help_text="Of each its name, bank and program.")
    answers = models.JSONField(default=list, help_text="Keys of the lanes that it takes notice of.")
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class MeasuredHand(models.Model):
    """How somebody plays, measured from a part (see `expression.measured`)."""

    id = models.UUIDField(primary_key=True, default=uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="hands")
    name = models.CharField(max_length=80)
    notes = models.PositiveIntegerField(help_text="From so many it was measured.")
    lacks = models.JSONField(default=list, help_text="What could not be measured, in sentences.")
    data = models.JSONField(help_text="What was measured.")
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("name", "added_at")

    def __str__(self) -> str:
        return self.name


class PassUnderWay(models.Model):
    """What is being played in: its pieces are kept as they come, until it is a stroke of its take."""

    id = models.UUIDField(primary_key=True, editable=False)
    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="passes")
    part = models.PositiveIntegerField()
    mode = models.CharField(max_length=20)
    leave_out = models.JSONField(default=list)
    shift_ms = models.FloatField(default=0.0)
    start = models.PositiveBigIntegerField(help_text="Ticks.")
    loop_end = models.PositiveBigIntegerField(null=True, help_text="Ticks; where it goes round.")
    begun_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("begun_at",)

    def __str__(self) -> str:
        return f"A pass on part {self.part}"


class PassPiece(models.Model):
    """About a second of a pass."""

    of = models.ForeignKey(PassUnderWay, on_delete=models.CASCADE, related_name="pieces")
    number = models.PositiveIntegerField()
    events = models.BinaryField(help_text="Rounds, seconds of the take and messages, as deflated JSON.")

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("of", "number"), name="one_piece_a_number"),)

    def __str__(self) -> str:
        return f"Piece {self.number}"


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
