"""Django's admin, where it is served at all (see LULL_ADMIN): what whoever runs Lull looks after.

What players have made is not shown: it is theirs.
"""

from django.contrib import admin

from studio.models import Invitation, Job, Room, SignInTrouble


@admin.register(Room)
class RoomAdmin(admin.ModelAdmin):  # type: ignore[type-arg]
    """Accounts that may keep more or less than others."""

    list_display = ("owner", "most_bytes")
    autocomplete_fields = ("owner",)


@admin.register(Invitation)
class InvitationAdmin(admin.ModelAdmin):  # type: ignore[type-arg]
    """Invitations, which can be taken back; their links are known to nobody here."""

    list_display = ("made_by", "made_at", "until", "used_at")
    exclude = ("key",)

    def has_add_permission(self, request: object) -> bool:
        """Made by players, and by `./lull invite`."""
        return False


@admin.register(Job)
class JobAdmin(admin.ModelAdmin):  # type: ignore[type-arg]
    """What is done by and by, and how it went."""

    list_display = ("kind", "owner", "state", "share", "tries", "made_at", "says")
    list_filter = ("state", "kind")

    def has_add_permission(self, request: object) -> bool:
        """Asked for by players."""
        return False

    def has_change_permission(self, request: object, obj: object = None) -> bool:
        """Only looked at, and let go of."""
        return False


@admin.register(SignInTrouble)
class TroubleAdmin(admin.ModelAdmin):  # type: ignore[type-arg]
    """Wrong guesses of passwords, by what is told of nobody; to be forgotten where somebody waits in vain."""

    list_display = ("failures", "until", "last")

    def has_add_permission(self, request: object) -> bool:
        """They come by themselves."""
        return False
