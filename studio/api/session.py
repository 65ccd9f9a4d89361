"""Who is signed in."""

from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from ninja import Router, Status
from ninja.decorators import decorate_view

from expression.documents import Document
from expression.views.kinds import LaneKindView, ScaleView
from studio.api.access import owner
from studio.api.schemas import (
    Account,
    AccountView,
    Credentials,
    Ended,
    Farewell,
    Forgotten,
    InvitationAsked,
    InvitationMade,
    InvitationTaken,
    InvitationView,
    Link,
    NewMail,
    NewPassword,
    Problem,
    Said,
)
from studio.services import accounts, arrangement, invitations, mail
from studio.services.arrangement import Wishes
from studio.signing_in import BY_LINK, by_link, by_password, remember

router = Router(tags=["session"])


@router.get("me", response=Account)
def me(request: HttpRequest) -> Document:
    """The account that is signed in."""
    return {"name": request.user.get_username()}


@router.get("me/account", response=AccountView)
def account(request: HttpRequest) -> Document:
    """What an account's own player sees of it."""
    player = User.objects.get(pk=owner(request).pk)
    return {
        "name": player.get_username(),
        "mail": player.email,
        "can_mail": settings.CAN_MAIL,
        "needs_password": accounts.needs_password(request, player),
    }


@router.post("me/mail", response={202: Said, 422: Problem, 429: Problem})
def change_mail(request: HttpRequest, asked: NewMail) -> Status[object]:
    """Another mail address for the account, once it has shown to be theirs by a link that is sent there."""
    mail.ask_to_confirm(request, owner(request), asked.password, asked.mail)
    return Status(202, {"says": "A mail is on its way; open the link in it within a day."})


@router.delete("me/mail", response={204: None})
def forget_mail(request: HttpRequest) -> Status[None]:
    """The account has no mail address any more."""
    User.objects.filter(pk=owner(request).pk).update(email="")
    return Status(204, None)


@router.post("me/password", response={200: Account, 422: Problem, 429: Problem})
def change_password(request: HttpRequest, asked: NewPassword) -> Document:
    """Another password for the account; it is signed out everywhere else."""
    accounts.change_password(request, owner(request), asked.old, asked.new)
    return {"name": request.user.get_username()}


@router.post("me/end-others", response=Ended)
def end_others(request: HttpRequest) -> dict[str, int]:
    """Sign the account out everywhere but here."""
    return {"sessions": accounts.end_others(request, owner(request))}


@router.post("me/delete", response={204: None, 422: Problem})
def delete_account(request: HttpRequest, asked: Farewell) -> Status[None]:
    """Delete the account with everything in it, for good; its name says that this is meant."""
    accounts.delete(owner(request), asked.name)
    return Status(204, None)


@router.get("me/invitations", response=list[InvitationView])
def list_invitations(request: HttpRequest) -> object:
    """Invitations that the account has made and nobody has used."""
    return invitations.open_ones(owner(request))


@router.post("me/invitations", response={201: InvitationMade, 422: Problem, 429: Problem})
def invite(request: HttpRequest, asked: InvitationAsked) -> Status[object]:
    """A link with which one person makes an account; sent to an address, where one is told."""
    to = mail.invited_address(asked.mail)
    token, made = invitations.invite(owner(request))
    if to:
        mail.invite(request, owner(request), to, token)
    return Status(201, {"id": made.pk, "until": made.until, "token": token})


@router.delete("me/invitations/{int:number}", response={204: None})
def take_back_invitation(request: HttpRequest, number: int) -> Status[None]:
    """Nobody can use it any longer."""
    invitations.take_back(owner(request), number)
    return Status(204, None)


@router.get("preferences", response=Wishes)
def preferences(request: HttpRequest) -> Wishes:
    """What the account wants in every take."""
    return arrangement.wishes(owner(request))


@router.put("preferences", response={200: Wishes, 422: Problem})
def set_preferences(request: HttpRequest, asked: Wishes) -> Wishes:
    """Keep what the account wants in every take."""
    return arrangement.wish(owner(request), asked)


@router.get("scales", response=list[ScaleView])
def scales(request: HttpRequest) -> list[ScaleView]:
    """The scales that what is drawn can be held to."""
    return arrangement.scales()


@router.get("lanes", response=list[LaneKindView])
def lane_kinds(request: HttpRequest) -> list[LaneKindView]:
    """Velocity, and every kind of lane there can be."""
    return arrangement.lane_kinds()


@router.get("ping", response=dict)
def ping(request: HttpRequest) -> Document:
    """Nothing at all: what a request costs before any work (the floor of `./lull bench`)."""
    return {}


@router.get("session", auth=None, response=Account | None)
@decorate_view(ensure_csrf_cookie)
def session(request: HttpRequest) -> Document | None:
    """The account that is signed in; null where nobody is. Brings the token with which one can sign in."""
    return {"name": request.user.get_username()} if request.user.is_authenticated else None


@router.post("session", auth=None, response={200: Account, 401: Problem, 429: Problem})
@decorate_view(csrf_protect)
def sign_in(request: HttpRequest, response: HttpResponse, asked: Credentials) -> Status[object]:
    """Sign in with name and password."""
    user = by_password(request, asked.name, asked.password)
    if user is None:
        return Status(401, {"detail": "That name and password do not go together. Check both and try again."})
    login(request, user)
    remember(request, response, user)
    return Status(200, {"name": user.get_username()})


@router.post("session/link", auth=None, response={200: Account, 401: Problem})
@decorate_view(csrf_protect)
def sign_in_by_link(request: HttpRequest, asked: Link) -> Status[object]:
    """Sign in by a link, which is spent with that."""
    user = by_link(asked.token)
    if user is None:
        return Status(401, {"detail": "That link was used before, has expired or was cut off. Ask for a new one."})
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    request.session[BY_LINK] = True
    return Status(200, {"name": user.get_username()})


@router.post("session/forgotten", auth=None, response={202: Said, 422: Problem, 429: Problem})
@decorate_view(csrf_protect)
def forgotten(request: HttpRequest, asked: Forgotten) -> Status[object]:
    """Have a link sent that signs in once, where the account has a mail address. Nothing tells whether there is one."""
    mail.forgotten(request, asked.name)
    return Status(202, {"says": "If there is such an account, and it has a mail address, a link is on its way there."})


@router.post("session/mail", auth=None, response={200: Account, 422: Problem})
@decorate_view(csrf_protect)
def confirm_mail(request: HttpRequest, asked: Link) -> Document:
    """A mail address has shown to be its account's."""
    return {"name": mail.confirm(asked.token)}


@router.post("session/invitation", auth=None, response={201: Account, 422: Problem})
@decorate_view(csrf_protect)
def accept_invitation(request: HttpRequest, asked: InvitationTaken) -> Status[object]:
    """Make an account by an invitation, which is spent with that, and sign in to it."""
    user = invitations.accept(asked.token, asked.name, asked.password)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return Status(201, {"name": user.get_username()})
