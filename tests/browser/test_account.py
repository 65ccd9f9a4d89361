"""The account, by its player's hand."""

from django.contrib.auth.models import User
from django.core import signing
from django.test import Client
from playwright.sync_api import Page, expect

from studio.services import mail
from studio.signing_in import link_token
from tests.browser.desk import until
from tests.browser.test_accessible import violations


def test_a_password_is_changed_and_other_places_are_left(page: Page, player: User) -> None:
    other = Client()
    other.force_login(player)
    page.get_by_role("button", name="Account").click()
    dialog = page.get_by_role("dialog", name="Account")
    expect(dialog).to_be_visible()
    assert violations(page) == []
    dialog.get_by_role("button", name="Sign out everywhere else").click()
    expect(dialog.get_by_role("status").first).to_have_text("Signed out in 1 other place.")
    assert other.get("/api/me").status_code == 401
    dialog.get_by_label("Present password").fill("wrong")
    dialog.get_by_label("New password").fill("quite another one, and longer")
    dialog.get_by_role("button", name="Change the password").click()
    expect(dialog.get_by_role("status").first).to_have_text("That is not your present password.")
    dialog.get_by_label("Present password").fill("a long enough one")
    dialog.get_by_role("button", name="Change the password").click()
    expect(dialog.get_by_role("status").first).to_contain_text("is changed")
    assert User.objects.get(pk=player.pk).check_password("quite another one, and longer")
    dialog.get_by_role("button", name="Close").click()
    expect(page.get_by_role("button", name="Add recordings").first).to_be_visible()


def test_an_account_is_deleted_by_its_name(page: Page, player: User) -> None:
    page.get_by_role("button", name="Account").click()
    dialog = page.get_by_role("dialog", name="Account")
    dialog.get_by_role("button", name="Delete the account for good").click()
    expect(dialog.get_by_role("status").first).to_contain_text("Type the name of your account")
    dialog.get_by_label("Name of the account").fill("anna")
    dialog.get_by_role("button", name="Delete the account for good").click()
    page.wait_for_url("**/sign-in")
    until(page, lambda: not User.objects.filter(pk=player.pk).exists())


def test_a_mail_address_brings_a_link_where_the_password_is_forgotten(page: Page, player: User) -> None:
    """Asked for in the account, shown to be theirs by a link, and used on the sign-in page."""
    page.get_by_role("button", name="Account").click()
    dialog = page.get_by_role("dialog", name="Account")
    dialog.get_by_label("Address", exact=True).fill("anna@example.org")
    dialog.get_by_label("Your password").fill("a long enough one")
    dialog.get_by_role("button", name="Send a link there").click()
    expect(dialog.get_by_role("status").first).to_contain_text("A mail is on its way")
    assert violations(page) == []
    page.goto("/confirm/no-such-thing")
    expect(page.get_by_role("status")).to_contain_text("expired or was cut off")
    assert violations(page) == []
    page.goto(f"/confirm/{signing.dumps([player.pk, 'anna@example.org'], salt=mail.SALT)}")
    expect(page.get_by_role("status")).to_have_text("This is the mail address of anna from now on.")
    page.get_by_role("link", name="Go to Lull").click()
    page.get_by_role("button", name="Account").click()
    expect(dialog.get_by_text("Links go to anna@example.org where the password is forgotten.")).to_be_visible()
    dialog.get_by_label("Send it to this mail address").fill("clara@example.org")
    dialog.get_by_role("button", name="Invite somebody").click()
    expect(dialog.get_by_role("status").first).to_have_text("The invitation is on its way to clara@example.org.")

    page.context.clear_cookies()
    page.goto("/sign-in")
    forgotten = page.get_by_role("button", name="I have forgotten the password")
    forgotten.click()
    expect(page.get_by_role("alert")).to_have_text("Type your name, or your mail address, first.")
    page.get_by_label("Name").fill("anna")
    forgotten.click()
    expect(page.get_by_role("alert")).to_contain_text("a link is on its way there")
    assert violations(page) == []
    player.refresh_from_db()
    page.goto(f"/enter/{link_token(player)}")
    page.get_by_role("button", name="Account").click()
    dialog.get_by_label("New password").fill("quite another one, and longer")
    dialog.get_by_role("button", name="Change the password").click()
    expect(dialog.get_by_role("status").first).to_contain_text("is changed")
    assert User.objects.get(pk=player.pk).check_password("quite another one, and longer")
    expect(dialog.get_by_label("Present password")).to_be_visible()
