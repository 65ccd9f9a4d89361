import re
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from playwright.sync_api import APIResponse, Browser, FilePayload, Page, Route, expect

from demo.fog_signal import the_lamp_room
from studio.services import takes
from tests.browser.desk import until
from tests.files import END, file_of, phrase, raw

GOOD = file_of(phrase([64, 70]))


def upload(page: Page, *files: tuple[str, bytes]) -> None:
    page.get_by_test_id("files").set_input_files(
        [FilePayload(name=name, mimeType="audio/midi", buffer=data) for name, data in files]
    )


def test_an_empty_library_says_what_to_do(page: Page) -> None:
    expect(page.get_by_text("Nothing recorded yet")).to_be_visible()


def test_several_files_at_once_good_and_bad(page: Page) -> None:
    cut = the_lamp_room()[:-40]
    upload(page, ("one.mid", the_lamp_room()), ("cut.mid", cut), ("letter.mid", b"Dear keeper,"), ("two.mid", GOOD))
    cards = page.get_by_role("list", name="Takes").get_by_role("link")
    expect(cards).to_have_text(["two", "one"])
    arrivals = page.get_by_role("list", name="Files being added").get_by_role("listitem")
    expect(arrivals).to_have_count(2)
    expect(arrivals.nth(0)).to_contain_text("cut.mid")
    expect(arrivals.nth(0)).to_contain_text("The file is cut short: track 3 says it is")
    expect(arrivals.nth(1)).to_contain_text("not a Standard MIDI File")
    arrivals.nth(0).get_by_role("button", name="Close").click()
    expect(arrivals).to_have_count(1)
    page.reload()
    expect(cards).to_have_text(["two", "one"])


def test_of_a_damaged_file_what_can_be_read_is_opened(page: Page) -> None:
    whole = the_lamp_room()
    upload(page, ("lamp.mid", whole[: len(whole) // 2]))
    coming = page.get_by_role("list", name="Files being added")
    expect(coming.get_by_role("alert")).to_contain_text("cut short")
    coming.get_by_role("button", name="Open what can be read").click()
    expect(coming).to_contain_text("bytes after it are lost")
    page.get_by_role("link", name="lamp, what could be read").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("lamp, what could be read")
    expect(page.get_by_role("navigation", name="Parts").get_by_role("button").first).to_be_visible()


def test_what_is_no_recording_is_not_offered(page: Page) -> None:
    upload(page, ("letter.mid", b"Dear harbour master,"))
    coming = page.get_by_role("list", name="Files being added")
    expect(coming.get_by_role("alert")).to_contain_text("not a Standard MIDI File")
    expect(coming.get_by_role("button", name="Open what can be read")).to_have_count(0)


def test_a_dropped_file_is_added(page: Page) -> None:
    page.get_by_text("Nothing recorded yet").wait_for()
    page.evaluate(
        """bytes => {
            const data = new DataTransfer();
            data.items.add(new File([new Uint8Array(bytes)], "dropped.mid"));
            const over = type => document.querySelector("main").dispatchEvent(
                new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer: data }));
            over("dragover");
            over("drop");
        }""",
        list(GOOD),
    )
    expect(page.get_by_role("link", name="dropped")).to_be_visible()
    expect(page.get_by_role("list", name="Takes")).to_contain_text("0:00 · 1 bar · 2 notes")


def test_a_file_with_small_faults_is_added_with_a_remark(page: Page) -> None:
    upload(page, ("odd.mid", raw(b"\x00\x90\x3c\x40\x60\x3c\x00" + END, count=3)))
    expect(page.get_by_role("list", name="Files being added")).to_contain_text("The header speaks of 3 tracks")
    expect(page.get_by_role("link", name="odd")).to_be_visible()


def test_a_list_from_before_a_file_was_added_does_not_hide_it(page: Page) -> None:
    page.get_by_text("Nothing recorded yet").wait_for()
    lists: list[tuple[Route, APIResponse]] = []
    page.route("**/api/takes", lambda route: lists.append((route, route.fetch())), times=1)
    page.reload()
    until(page, lambda: lists)
    expect(page.get_by_text("Opening the library")).to_be_visible()
    upload(page, ("one.mid", GOOD))
    cards = page.get_by_role("list", name="Takes").get_by_role("link")
    expect(cards).to_have_text(["one"])
    route, answer = lists[0]
    route.fulfill(response=answer)
    page.wait_for_timeout(300)
    expect(cards).to_have_text(["one"])


def test_a_take_that_opens_late_does_not_open_over_another(page: Page, player: User) -> None:
    first, second = (takes.add(player, name, GOOD) for name in ("first.mid", "second.mid"))
    page.reload()
    views: list[tuple[Route, APIResponse]] = []
    page.route(f"**/{first.pk}/view", lambda route: views.append((route, route.fetch())))
    page.get_by_role("link", name="first").click()
    until(page, lambda: views)
    page.go_back()
    page.get_by_role("link", name="second").click()
    title = page.get_by_role("heading", level=1)
    expect(title).to_have_text("second")
    for route, answer in views:
        route.fulfill(response=answer)
    page.wait_for_timeout(300)
    expect(title).to_have_text("second")
    expect(page.get_by_role("link", name="Download .mid")).to_have_attribute("href", re.compile(str(second.pk)))


def test_a_file_too_large_is_refused_before_it_is_sent(page: Page, tmp_path: Path) -> None:
    large = tmp_path / "large.mid"
    large.write_bytes(GOOD + bytes(33 * 2**20))
    page.get_by_test_id("files").set_input_files(large)
    expect(page.get_by_role("alert")).to_contain_text("Lull reads up to 32 MiB")


def test_rename_delete_and_undo(page: Page, player: User) -> None:
    takes.add(player, "first.mid", GOOD)
    page.reload()
    page.get_by_role("button", name="More for first").click()
    page.get_by_role("menuitem", name="Rename").click()
    page.get_by_label("Name of the take").fill("Horn <b>& bell</b>")
    page.keyboard.press("Enter")
    card = page.get_by_role("link", name="Horn <b>& bell</b>")
    expect(card).to_be_visible()
    page.get_by_role("button", name="More for Horn").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(card).to_be_hidden()
    page.get_by_role("button", name="Undo").click()
    expect(card).to_be_visible()


def test_sign_out_and_in_with_a_name_and_password(browser: Browser, address: str, page: Page) -> None:
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    page.get_by_label("Name").fill("anna")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("do not go together")
    page.get_by_label("Password").fill("a long enough one")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_text("Nothing recorded yet")).to_be_visible()


def test_signing_out_while_something_is_asked_for_is_not_called_an_expired_session(page: Page) -> None:
    held: list[Route] = []
    page.route("**/api/takes/deleted", lambda route: held.append(route))
    page.reload()
    until(page, lambda: held)
    expect(page.get_by_role("button", name="Sign out")).to_be_visible()
    page.evaluate("document.querySelector('form').addEventListener('submit', event => event.preventDefault())")
    page.get_by_role("button", name="Sign out").click()
    for route in held:
        route.fulfill(status=401, json={"detail": "Sign in first."})
    page.wait_for_timeout(300)
    assert "out=1" not in page.url


def test_a_spoilt_link_leads_to_the_sign_in(page: Page) -> None:
    page.get_by_role("button", name="Sign out").click()
    page.wait_for_url("/sign-in")
    page.goto("/enter/spoilt")
    expect(page.get_by_role("alert")).to_contain_text("expired or was cut off")


@pytest.mark.parametrize("asked", ["/%09/example.org", "//example.org", "/%5Cexample.org", "https://example.org/x"])
def test_signing_in_never_leads_to_another_host(page: Page, address: str, asked: str) -> None:
    page.goto(f"/sign-in?next={asked}")
    page.get_by_label("Name").fill("anna")
    page.get_by_label("Password").fill("a long enough one")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_text("Nothing recorded yet")).to_be_visible()
    assert page.url == f"{address}/"
