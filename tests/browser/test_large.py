"""What takes longer: large files that a worker reads while the page shows it, archives, and somebody who is invited."""

import re
from pathlib import Path

import numpy as np
from django.contrib.auth.models import User
from playwright.sync_api import Browser, FilePayload, Page, Response, Route, expect

from bench.performance import performance
from expression.strokes import parse_stroke
from studio.models import Job, Take, TakeSound
from studio.services import shaping, takes
from tests.browser.desk import Desk, until
from tests.browser.test_accessible import violations
from tests.browser.test_lanes import add_lane
from tests.browser.test_library import upload
from tests.expression.test_sound import wav
from tests.files import file_of, phrase

LONG = performance(notes=20_000, pedals=4_000)


def test_a_large_recording_is_read_while_the_library_can_be_used(page: Page) -> None:
    held: list[Route] = []

    released: list[bool] = []

    def hold(route: Route) -> None:
        if released:
            route.continue_()
        else:
            held.append(route)

    page.route("**/api/jobs/*", hold)
    upload(page, ("A long night.mid", LONG), ("letter.mid", b"\xff" * 300_000), ("short.mid", file_of(phrase([64]))))
    arrivals = page.get_by_role("list", name="Files being added").get_by_role("listitem")
    expect(arrivals).to_have_text(
        [f"{name}Waiting its turn …" for name in ("A long night.mid", "letter.mid", "short.mid")]
    )
    assert violations(page) == []
    until(page, lambda: held)
    released.append(True)
    for route in held:
        route.continue_()
    cards = page.get_by_role("list", name="Takes").get_by_role("link")
    expect(cards).to_have_text(["short", "A long night"])
    expect(arrivals).to_have_count(1)
    expect(arrivals).to_contain_text("This is not a Standard MIDI File")
    assert violations(page) == []
    until(page, lambda: not Job.objects.exists())
    # What was told need not be told again.
    page.reload()
    expect(cards).to_have_count(2)
    expect(arrivals).to_have_count(0)
    cards.nth(1).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("A long night")


def test_a_page_that_was_closed_meanwhile_is_told_when_it_is_opened_again(signed_in: Page, player: User) -> None:
    page = signed_in  # No library is open yet: it would be told now, and what is told is forgotten.
    Job.objects.create(owner=player, kind="take", state="refused", name="cut.mid", says="The file is cut short.")
    waiting = Job.objects.create(owner=player, kind="take", state="working", name="long.mid", share=0.4)
    page.goto("/")
    arrivals = page.get_by_role("list", name="Files being added").get_by_role("listitem")
    expect(arrivals).to_have_count(2)
    expect(arrivals.nth(0)).to_contain_text("The file is cut short.")
    expect(arrivals.nth(1)).to_contain_text("Reading …")
    expect(arrivals.nth(1).get_by_role("progressbar")).to_have_attribute("aria-valuenow", "40")
    take = takes.add(player, "long.mid", file_of(phrase([64])))
    Job.objects.filter(pk=waiting.pk).update(state="done", take=take, share=1.0)
    expect(page.get_by_role("link", name="long")).to_be_visible()
    expect(arrivals).to_have_count(1)


def test_a_long_sound_shows_how_far_it_was_read(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 4)))
    add_lane(desk, "11", "cc:11")
    noise = np.random.default_rng(3).uniform(-0.5, 0.5, 8_000 * 60)
    desk.page.get_by_label("Load a WAV …").set_input_files(
        FilePayload(name="room.wav", mimeType="audio/wav", buffer=wav(noise, 8_000))
    )
    expect(desk.page.get_by_role("progressbar", name="Reading the sound")).to_be_visible()
    expect(desk.page.get_by_text("room.wav, 60.0 s")).to_be_visible()
    expect(desk.page.get_by_role("progressbar", name="Reading the sound")).to_have_count(0)
    assert TakeSound.objects.get().seconds == 60


def test_everything_is_saved_and_brought_back_into_another_library(
    page: Page, player: User, browser: Browser, address: str, tmp_path: Path
) -> None:
    take = takes.add(player, "The landing.mid", file_of(phrase([64] * 5)))
    shaping.commit(player, take.pk, 0, parse_stroke({"kind": "velocity.set", "value": 90}))
    page.reload()
    page.get_by_role("button", name="Account").click()
    dialog = page.get_by_role("dialog", name="Account")
    dialog.get_by_role("button", name="Save everything").click()
    link = dialog.get_by_role("link", name=re.compile(r"Download the archive \(\d\.\d MiB\)"))
    expect(link).to_be_visible()
    assert violations(page) == []
    with page.expect_download() as download:
        link.click()
    archive = tmp_path / "archive.zip"
    download.value.save_as(archive)
    # It waits to be fetched again, also for a page that is opened later.
    page.reload()
    page.get_by_role("button", name="Account").click()
    expect(link).to_be_visible()

    dialog.get_by_role("button", name="Invite somebody").click()
    invitation = dialog.get_by_label("Link of the invitation").input_value()
    expect(dialog.get_by_role("list", name="Open invitations").get_by_role("listitem")).to_have_count(1)
    other = browser.new_context(base_url=address).new_page()
    other.goto(invitation)
    assert violations(other) == []
    other.get_by_label("Name").fill("anna")
    other.get_by_label("Password").fill("a lamp above the slip")
    other.get_by_role("button", name="Make the account").click()
    expect(other.get_by_role("alert")).to_have_text("That name is taken; choose another.")
    other.get_by_label("Name").fill("clara")
    other.get_by_role("button", name="Make the account").click()
    other.wait_for_url("/")
    expect(other.get_by_text("Nothing recorded yet")).to_be_visible()
    other.get_by_test_id("files").set_input_files(archive)
    expect(other.get_by_role("link", name="The landing")).to_be_visible()
    expect(other.get_by_role("list", name="Files being added")).to_contain_text("1 take added.")
    theirs = Take.objects.get(owner__username="clara")
    assert (bytes(theirs.source), theirs.steps.count()) == (bytes(take.source), 1)
    other.context.close()


def test_an_invitation_can_be_taken_back(page: Page, browser: Browser, address: str) -> None:
    def late(route: Route) -> None:
        """The list as it was before the invitation arrives after it."""
        if route.request.method == "GET":
            old = route.fetch()
            page.wait_for_timeout(500)
            route.fulfill(response=old)
        else:
            route.continue_()

    page.route("**/api/me/invitations", late)
    page.get_by_role("button", name="Account").click()
    dialog = page.get_by_role("dialog", name="Account")
    dialog.get_by_role("button", name="Invite somebody").click()
    invitation = dialog.get_by_label("Link of the invitation").input_value()
    dialog.get_by_role("button", name="Take back").click()
    expect(dialog.get_by_role("list", name="Open invitations")).to_have_count(0)
    expect(dialog.get_by_label("Link of the invitation")).to_have_count(0)
    other = browser.new_context(base_url=address).new_page()
    other.goto(invitation)
    other.get_by_label("Name").fill("clara")
    other.get_by_label("Password").fill("a lamp above the slip")
    other.get_by_role("button", name="Make the account").click()
    expect(other.get_by_role("alert")).to_contain_text("was used before, has expired or was taken back")
    other.context.close()


def test_what_comes_into_sight_is_told_of_the_stroke_that_is_open(desk: Desk) -> None:
    """Of very many notes a hand is told those that it sees; where it looks elsewhere, those there."""
    desk.open(file_of(phrase([50, 70] * 1_500, gap=480))).press("Control+a")
    desk.button("Level out").click()
    desk.quiet()
    for key, last in (("End", True), ("Home", False)):
        with desk.page.expect_response("**/preview") as told:
            desk.press(key)
        notes = told.value.json()["delta"]["changes"]["notes"]
        assert (notes[-1][1] == 2_999) is last
        assert (notes[0][0] == 0) is not last
        desk.quiet()
    desk.button("Keep").click()
    desk.expect_strokes("Level out")
    desk.quiet()
    # What is kept was told whole.
    asked: list[str] = []
    desk.page.on("request", lambda request: asked.append(request.url))
    desk.press("End")
    desk.quiet()
    assert not [url for url in asked if url.endswith("/preview")]


def test_what_is_tried_in_sight_is_told_of_all_once_the_hand_rests(desk: Desk) -> None:
    desk.open(file_of([message.copy(note=60) for message in phrase([64] * 3_000, gap=240)])).press("Control+a")
    desk.button("Staccato").click()
    desk.quiet()
    answers: list[tuple[bool, str]] = []

    def told(response: Response) -> None:
        if response.url.endswith("/preview"):
            answer = response.json()
            answers.append((answer["whole"], answer["also"]))

    desk.page.on("response", told)
    desk.entry("Times").fill("3")
    expect(desk.page.get_by_test_id("also")).to_have_text("2,999 notes of these end where the key is struck again.")
    # Seen at once, and of all when no more numbers came.
    until(desk.page, lambda: len(answers) == 2)
    (first, near), (second, _) = answers
    assert (first, second) == (False, True)
    assert re.fullmatch(r"In sight: \d\d\d? notes of these end where the key is struck again\.", near)
    # What was worked out is kept as it is.
    desk.button("Keep").click()
    desk.expect_strokes("Lengths times 3")
    desk.quiet()
    assert len(answers) == 2
