"""Clicks, notes and SoundFonts as they are heard in the page."""

import itertools
import json

import mido
from playwright.sync_api import FilePayload, Page, expect

from expression.soundfont import made_small
from tests.browser.desk import Desk
from tests.browser.test_playing_in import FLAT, NEAR_SECONDS, begin_new, let_play, record, rig
from tests.files import NOTE, file_of, phrase

TAPPED = """
const connect = AudioNode.prototype.connect;
AudioNode.prototype.connect = function (to, ...more) {
  if (to instanceof AudioDestinationNode) {
    window.taps ??= [];
    const tap = new AnalyserNode(this.context, { fftSize: 8192 });
    connect.call(this, tap, ...more);
    window.taps.push([this.constructor.name, tap]);
  }
  return connect.call(this, to, ...more);
};
window.loudness = () => window.taps.map(([, tap]) => {
  const wave = new Float32Array(tap.fftSize);
  tap.getFloatTimeDomainData(wave);
  return Math.sqrt(wave.reduce((sum, one) => sum + one * one, 0) / wave.length);
});
"""
"""What goes to the loudspeakers is listened to on its way."""

LISTENER = """
class Listener extends AudioWorkletProcessor {
  loudAt = -1;
  process([[wave]]) {
    wave?.forEach((value, frame) => {
      const at = (currentFrame + frame) / sampleRate;
      if (Math.abs(value) < LOUD) return;
      if (at - this.loudAt > APART) this.port.postMessage(at);
      this.loudAt = at;
    });
    return true;
  }
}
registerProcessor("listener", Listener);
"""


HEARD = """
window.onsets = {};
const { connect } = AudioNode.prototype;
const listeners = {};
const script = URL.createObjectURL(new Blob([LISTENER], { type: "text/javascript" }));
const listener = async (context, kind) => {
  await (context.listens ??= context.audioWorklet.addModule(script));
  const made = new AudioWorkletNode(context, "listener");
  made.isListener = true;
  window.onsets[kind] = [];
  made.port.onmessage = ({ data }) => window.onsets[kind].push(data);
  connect.call(made, context.destination);
  return made;
};
AudioNode.prototype.connect = function (to, ...more) {
  if (to instanceof AudioDestinationNode && !this.isListener) {
    const kind = this.constructor.name;
    (listeners[kind] ??= listener(this.context, kind)).then((made) => connect.call(this, made));
  }
  return connect.call(this, to, ...more);
};
"""
"""When what goes to the loudspeakers becomes loud, by what makes it, in seconds of the audio clock."""


def listen(page: Page, loud: float, apart: float) -> None:
    script = LISTENER.replace("LOUD", str(loud)).replace("APART", str(apart))
    # The page lets in no scripts but its own: this one is ours to let in.
    page.context.new_cdp_session(page).send("Page.setBypassCSP", {"enabled": True})
    page.add_init_script(HEARD.replace("LISTENER", json.dumps(script)))
    page.reload()


def test_clicks_and_notes_sound_where_they_belong(page: Page) -> None:
    listen(page, loud=0.01, apart=0.1)
    begin_new(page, "120")
    page.get_by_role("region", name="Play in").get_by_label("Click", exact=True).select_option("throughout")
    let_play(page, "line", "1")
    record(page, 12)
    clicks = page.evaluate("window.onsets.GainNode")
    assert len(clicks) >= 6
    # Two a second, to the sample of a sound that rises within a millisecond.
    for before, after in itertools.pairwise(clicks):
        assert abs(after - before - 0.5) < NEAR_SECONDS


def test_notes_sound_where_they_belong(desk: Desk) -> None:
    short = [NOTE("note_on", note=60, velocity=100), NOTE("note_off", note=60, velocity=64, time=60)]
    gaps = [480 * 2, 480 * 3, 470 * 2, 480 * 2]
    later = [[message.copy(time=message.time or gap) for message in short] for gap in gaps]
    listen(desk.page, loud=0.002, apart=0.15)
    desk.open(file_of([*short, *itertools.chain(*later)]))
    desk.quiet()
    desk.button("Play").click()
    desk.until(lambda: len(desk.page.evaluate("window.onsets.AudioWorkletNode ?? []")) > len(gaps))
    desk.button("Stop").click()
    heard = desk.page.evaluate("window.onsets.AudioWorkletNode")
    for (before, after), gap in zip(itertools.pairwise(heard), gaps, strict=True):
        assert abs(after - before - (gap + 60) / 960) < NEAR_SECONDS


def bring(page: Page, name: str, data: bytes) -> None:
    file: FilePayload = {"name": name, "mimeType": "application/octet-stream", "buffer": data}
    page.get_by_test_id("bank").set_input_files(file)


def test_a_part_is_heard_on_a_soundfont_of_ones_own(desk: Desk) -> None:
    desk.page.add_init_script(TAPPED)
    desk.open(file_of(phrase([100] * 32, gap=480)))
    rig(desk)
    bring(desk.page, "Small harbour.sf2", made_small())
    expect(desk.page.get_by_label("Output").locator("option:checked")).to_have_text("SoundFont Small harbour")
    programs = desk.page.get_by_label("Program of the SoundFont")
    expect(programs.locator("option")).to_have_text(["what the take asks for", "Harbour bell", "Pier reed"])
    programs.select_option(label="Pier reed")
    desk.quiet()
    # The synth of the bank has been made once its taps are there.
    desk.until(lambda: desk.page.evaluate("(window.taps ?? []).length") > 0)
    desk.page.wait_for_timeout(500)
    desk.button("Play").click()
    desk.until(lambda: max(desk.page.evaluate("window.loudness()"), default=0) > 0.005)
    desk.button("Stop").click()
    # It is the account's: another take knows it, too.
    desk.open(FLAT, "another.mid")
    rig(desk)
    expect(desk.page.get_by_label("Output").locator("option", has_text="Small harbour")).to_have_count(1)


def test_what_a_soundfont_does_not_take_is_said(desk: Desk) -> None:
    breath = [mido.Message("control_change", control=2, value=20 * row, time=100) for row in range(5)]
    desk.open(file_of([*phrase([64] * 4, gap=480), *breath]))
    rig(desk)
    bring(desk.page, "Small harbour.sf2", made_small())
    expect(desk.page.get_by_text("It takes nothing of breath: what is drawn there is not heard on it.")).to_be_visible()


def test_what_is_no_soundfont_is_refused_in_a_sentence(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    bring(desk.page, "No.sf2", b"nothing")
    expect(desk.page.get_by_text("This is not a SoundFont")).to_be_visible()


def test_the_metronome_keeps_time_while_the_page_is_busy_and_is_off_at_once(desk: Desk) -> None:
    page = desk.page
    listen(page, loud=0.01, apart=0.1)
    desk.open(file_of(phrase([1] * 64, gap=480)))
    desk.quiet()
    click = page.get_by_role("checkbox", name="Click", exact=True)
    click.check()
    desk.button("Play").click()
    desk.until(lambda: len(page.evaluate("window.onsets.GainNode ?? []")) > 1)
    page.evaluate("const end = performance.now() + 1200; while (performance.now() < end);")
    heard = len(page.evaluate("window.onsets.GainNode"))
    desk.until(lambda: len(page.evaluate("window.onsets.GainNode")) > heard + 1)
    clicks = page.evaluate("window.onsets.GainNode")
    for before, after in itertools.pairwise(clicks):
        assert abs(after - before - 0.5) < NEAR_SECONDS
    # Clicks that are set already are taken back; then they are set anew from the next beat on.
    click.uncheck()
    page.evaluate("new Promise((done) => setTimeout(done, 300)).then(() => { window.onsets.GainNode = []; })")
    page.wait_for_timeout(1200)
    assert page.evaluate("window.onsets.GainNode") == []
    click.check()
    desk.until(lambda: len(page.evaluate("window.onsets.GainNode")) > 1)
    assert abs((page.evaluate("window.onsets.GainNode[0]") - clicks[0] + 0.25) % 0.5 - 0.25) < NEAR_SECONDS
    desk.button("Stop").click()
