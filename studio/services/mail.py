"""Mail: a link for who has forgotten a password, one that shows that an address is theirs, and invitations.

A worker sends it, so that nobody waits for a mail server, nor can tell by the time it takes whether there is an
account.
"""

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser, User
from django.core import signing
from django.core.exceptions import ValidationError
from django.core.mail import send_mail
from django.core.validators import validate_email
from django.http import HttpRequest

from expression.errors import Refused
from studio.services import queue
from studio.services.accounts import needs_password
from studio.signing_in import link_token, right_password, take_turn

NO_MAIL = "This Lull sends no mail. Ask whoever runs it for a link."
SALT, CONFIRMED_WITHIN = "lull.mail", 24 * 60 * 60
MOST_ACCOUNTS = 3
"""Of one address: so many are told of their links."""


def _check() -> None:
    if not settings.CAN_MAIL:
        raise Refused(NO_MAIL)


def address(text: str) -> str:
    """A mail address as it is written to. Raises Refused."""
    try:
        validate_email(text.strip())
    except ValidationError:
        raise Refused("That is no mail address, such as anna@example.org.", "mail") from None
    return text.strip()


def forgotten(request: HttpRequest, name: str) -> None:
    """Send a link that signs in, and lets the password be chosen anew, to who has an account of such a name or address.

    Nothing tells whether there is one. Raises Refused where no mail is sent at all, TooManyGuesses.
    """
    _check()
    take_turn(f"mail from {request.META.get('REMOTE_ADDR', '')}")
    wanted = name.strip()[:254]
    users = User.objects.filter(is_active=True).exclude(email="")
    meant = users.filter(email__iexact=wanted) if "@" in wanted else users.filter(username__iexact=wanted)
    for user in meant[:MOST_ACCOUNTS]:
        link = request.build_absolute_uri(f"/enter/{link_token(user)}")
        queue.mail(
            user.email,
            "Your link to Lull",
            f"Somebody, surely you, has forgotten the password of {user.get_username()}. This link signs you in, once "
            f"and within twelve hours; choose another password then, under Account:\n\n{link}\n\n"
            "Where it was not you, nothing has to be done.",
        )


def ask_to_confirm(request: HttpRequest, user: AbstractBaseUser, password: str, mail: str) -> None:
    """Send a link to an address: with that it becomes the account's. Raises Refused, TooManyGuesses."""
    _check()
    player = User.objects.get(pk=user.pk)
    if needs_password(request, player) and not right_password(player, password):
        raise Refused("That is not your present password.", "password")
    to = address(mail)
    take_turn(f"mail of {player.pk}")
    token = signing.dumps([player.pk, to], salt=SALT)
    link = request.build_absolute_uri(f"/confirm/{token}")
    queue.mail(
        to,
        "Is this your address?",
        f"The account {player.get_username()} of Lull is to have this address, for links where the password is "
        f"forgotten. If that is yours, open this within a day:\n\n{link}\n\nOtherwise nothing has to be done.",
    )


def confirm(token: str) -> str:
    """The address becomes the account's; the account's name. Raises Refused."""
    try:
        number, to = signing.loads(token, salt=SALT, max_age=CONFIRMED_WITHIN)
    except (signing.BadSignature, ValueError, TypeError):
        raise Refused("That link has expired or was cut off. Ask for a new one, under Account.") from None
    user = User.objects.filter(pk=number, is_active=True).first()
    if user is None:
        raise Refused("That account is not there any more.")
    user.email = to
    user.save(update_fields=["email"])
    return str(user.get_username())


def invite(request: HttpRequest, user: AbstractBaseUser, to: str, token: str) -> None:
    """Send an invitation to an address that was looked at. Raises TooManyGuesses."""
    take_turn(f"invitations of {user.pk}", free=20)
    link = request.build_absolute_uri(f"/invited/{token}")
    queue.mail(
        to,
        f"{user.get_username()} invites you to Lull",
        f"{user.get_username()} invites you to Lull, where recorded performances are made to sound played. This link "
        f"makes an account, once and within a week:\n\n{link}\n\nWhere you know nobody of that name, forget this.",
    )


def invited_address(mail: str) -> str:
    """The address that an invitation is to go to; nothing: to none. Raises Refused."""
    if not mail.strip():
        return ""
    _check()
    return address(mail)


def sent(to: str, subject: str, body: str) -> None:
    """Send one, in a worker."""
    send_mail(subject, body, None, [to])
