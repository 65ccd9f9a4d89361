"""The account, by its player's hand."""

from django.contrib.auth.models import User
from django.test import Client
from playwright.sync_api import Page, expect

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
