"""Takes finished by a person, in a browser against the started stack; what comes of it is opened with a library."""

import re
import time
from fractions import Fraction

import av
import numpy as np
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from reel.core.file import Container, Draft, FilePlan, resolve
from reel.core.media import probe
from reel.core.media.hashes import hashes_of
from reel.core.media.tests.clips import number_of, numbered, write_clip
from reel.core.signal import Mode
from reel.web.tests_browser.stack import StackTestCase

LENGTH, BLACK = 240, range(90, 150)
# A clap three seconds into it.
CLAP = np.zeros(LENGTH * 1600, dtype=np.float32)
CLAP[144_000:144_480] = 0.5 * np.hanning(480)
# A microphone that hears what a page plays, 85 ms later.
ROOM = """
const connect = AudioNode.prototype.connect, rooms = new WeakMap();
function room(context) {
  if (!rooms.has(context)) rooms.set(context, context.createDelay(1));
  rooms.get(context).delayTime.value = 0.085;
  return rooms.get(context);
}
navigator.mediaDevices.getUserMedia = async () => new MediaStream();
AudioContext.prototype.createMediaStreamSource = function () { return room(this); };
AudioNode.prototype.connect = function (target, ...more) {
  if (target === this.context.destination && !this.gain) connect.call(this, room(this.context));
  return connect.call(this, target, ...more);
};
"""
NOISE = np.random.default_rng(6).normal(0, 0.1, LENGTH * 1600).astype(np.float32)


def dark(tick, width, height):
    """A numbered frame, or a black one."""
    if tick not in BLACK:
        return numbered(tick, width, height)
    planes = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
    planes[:height] = 16
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


def full_range(tick, width, height):
    """A ramp over all code values, in a file that says limited range."""
    planes = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
    planes[:height] = np.linspace(0, 255, width).astype(np.uint8)
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


class FinishingTests(StackTestCase):
    def test_three_takes_are_rewrapped_at_once(self):
        page = self.page
        page.goto(f"{self.url}/takes/?words=Potting")
        boxes = page.locator("input[name=take]")
        for place in range(3):
            boxes.nth(place).check()
        page.locator(".takes-dock select[name=container]").select_option("mov")
        page.get_by_role("button", name="Rewrap").click()
        expect(page.locator("#notice")).to_contain_text("3 takes being rewrapped")
        self.load_until(f"{self.url}/takes/?words=MOV", ".take-row", 3)
        page.locator(".take-row h3 a").first.click()
        expect(page.locator("#take")).to_contain_text("Made from")

    def bring(self, name, draw=dark, sound=CLAP):
        """Bring a file of eight seconds in, two of them black, and go to its take once it was measured."""
        recipe = resolve(Draft(container=Container.MP4, keyframe_s=Fraction(1)))
        source = self.home / f"{name}.mp4"
        frame = Mode.parse("320x180p30")
        plan = FilePlan(recipe=recipe, frame=frame, tracks=("Game",))
        write_clip(source, plan, range(LENGTH), draw=draw, sound=sound)
        page = self.page
        page.goto(f"{self.url}/takes/bring/")
        page.set_input_files("#files", [source])
        row = page.locator(".incoming tr").filter(has_text=name)
        expect(row).to_contain_text("checked")
        row.get_by_role("link").click()
        expect(page.locator("#found-title")).to_be_visible()

    def numbers(self, name):
        with av.open(str(self.home / "shelf" / name)) as reader:
            return [number_of(frame) for frame in reader.decode(video=0)]

    def changes(self):
        return self.page.expect_response(lambda answer: answer.request.method == "POST" and answer.ok)

    def test_what_is_black_is_left_out_edges_are_dragged_and_what_is_made_has_those_frames(self):
        page = self.page
        self.bring("owls")
        page.get_by_role("link", name="Finish", exact=True).click()
        expect(page.locator("h1")).to_have_text("Keep")
        with self.changes():
            page.get_by_role("button", name="Leave out what is black").click()
        expect(page.locator(".joints img")).to_have_count(2)
        self.assertEqual(Axe().run(page).response["violations"], [])
        grip = page.locator(".keep-edge[data-edge-of='2'][data-side='out'] .keep-grip").bounding_box()
        strand = page.locator("[data-drawing]").bounding_box()
        page.mouse.move(grip["x"] + 6, grip["y"] + 20)
        page.mouse.down()
        page.mouse.move(strand["x"] + strand["width"] * 7 / 8 - 30, grip["y"] + 20)
        page.mouse.move(strand["x"] + strand["width"] * 7 / 8 + 1, grip["y"] + 20)  # near a keyframe
        with self.changes():
            page.mouse.up()
        expect(page.locator("input[name=out]").last).to_have_value("00:00:07:00")
        first = page.locator("input[name=in]").nth(1)
        first.fill("0:00:00:10")
        with self.changes():
            first.press("Tab")
        expect(page.locator(".keep-table")).to_contain_text("frames are encoded anew")
        with self.changes():
            page.locator("form.history [data-key=u]").click()
        with self.changes():
            page.get_by_role("button", name="Redo").click()
        page.locator("#line").get_by_role("button", name="Make").click()
        expect(page.locator("#making")).to_contain_text("owls cut")
        self.assertEqual(self.numbers("owls-cut.mp4"), [*range(10, 90), *range(150, 210)])
        for stage in ("sound", "file", "make"):
            page.locator(f"#line a[href$='/{stage}/']").click()
            expect(page.locator("h1")).to_have_text(stage.capitalize())
            self.assertEqual(Axe().run(page).response["violations"], [], stage)

    def test_a_range_that_is_tagged_wrongly_is_found_and_put_right(self):
        page = self.page
        self.bring("larks", draw=full_range)
        page.get_by_role("link", name="Finish", exact=True).click()
        page.locator("#line a[href$='/picture/']").click()
        expect(page.locator("#finish")).to_contain_text("that is full range, and it is tagged as limited")
        self.assertEqual(Axe().run(page).response["violations"], [])
        with self.changes():
            page.get_by_role("button", name="Tag it as full range").click()
        expect(page.locator("#finish")).to_contain_text("That goes with full range")
        page.locator("#line").get_by_role("button", name="Make").click()
        expect(page.locator("#making")).to_contain_text("larks cut")
        shelf = self.home / "shelf"
        with av.open(str(shelf / "larks-cut.mp4")) as reader:
            self.assertEqual(reader.streams.video[0].codec_context.color_range, 2)  # AVCOL_RANGE_JPEG
        self.assertEqual(list(hashes_of(shelf / "larks-cut.mp4")), list(hashes_of(shelf / "larks.mp4")))

    def test_an_archive_copy_is_made_and_verified_and_a_frame_that_changed_is_named(self):
        page = self.page
        self.bring("voles")
        page.get_by_role("link", name="Finish", exact=True).click()
        page.locator("#line a[href$='/file/']").click()
        with self.changes():
            page.get_by_label("Archive copy").check()
        expect(page.locator("#line")).to_contain_text("all encoded anew")
        page.locator("#line").get_by_role("button", name="Make").click()
        page.locator("#making").get_by_role("link", name="voles archive").click()
        expect(page.locator("#take")).to_contain_text("all frames are what they were")
        text = next((self.home / "shelf").glob("voles-archive.*/frames.sha256"))
        lines = text.read_text().splitlines()
        text.write_text("\n".join([*lines[:7], "7 " + "0" * 64, *lines[8:]]) + "\n")
        page.get_by_role("button", name="Verify").click()
        self.load_until(page.url, "#take .loss:has-text('1 of 240 frames are not what they were: 7.')", 1)
        self.assertEqual(Axe().run(page).response["violations"], [])

    def test_a_track_is_moved(self):
        page = self.page
        self.bring("wrens")
        page.get_by_role("link", name="Finish", exact=True).click()
        page.locator("#line a[href$='/sound/']").click()
        with self.changes():
            page.get_by_label("Slide, ms").fill("250")
            page.get_by_label("Slide, ms").press("Tab")
        expect(page.get_by_label("Slide, ms")).to_have_value("250")
        self.assertEqual(Axe().run(page).response["violations"], [])
        page.locator("#line").get_by_role("button", name="Make").click()
        expect(page.locator("#making")).to_contain_text("wrens cut")
        claps = []
        for name in ("wrens", "wrens-cut"):
            with av.open(str(self.home / "shelf" / f"{name}.mp4")) as reader:
                blocks = [frame.to_ndarray()[0] for frame in reader.decode(audio=0)]
                claps.append(int(np.abs(np.concatenate(blocks)).argmax()))
        self.assertAlmostEqual(claps[1] - claps[0], 12_000, delta=8)

    def test_a_finish_that_is_kept_is_used_on_two_takes(self):
        page = self.page
        for name in ("moths", "newts"):
            self.bring(name)
        page.get_by_role("link", name="Finish", exact=True).click()
        page.locator("#line a[href$='/file/']").click()
        with self.changes():
            page.locator("#container").select_option("mkv")
        page.get_by_label("Leave out what is black").check()
        page.get_by_placeholder("a name, like Talk, tidied").fill("Awake")
        page.get_by_role("button", name="Keep this finish").click()
        expect(page.locator("#finish table").first).to_contain_text("Awake")
        page.goto(f"{self.url}/takes/")
        for name in ("moths", "newts"):
            page.get_by_label(f"Choose {name}").check()
        page.get_by_role("button", name="Finish as").click()
        expect(page.locator("#notice")).to_contain_text("2 takes being finished as Awake")
        self.load_until(f"{self.url}/takes/?words=cut", ".take-row", 2)
        for name in ("moths", "newts"):
            self.assertEqual(self.numbers(f"{name}-cut.mkv"), [*range(90), *range(150, LENGTH)])

    def speak(self, page, until):
        """Speak over a take from its beginning until a timecode; once more where a busy computer's player waits."""
        before, begin = page.locator(".speak-try").count(), page.get_by_role("button", name="Speak from here")
        spoken = "until => document.querySelector('[data-now]').textContent.includes(until)"
        said, stop = page.locator("[data-said]"), page.get_by_role("button", name="Stop")
        deadline = time.monotonic() + 240
        begin.click()
        while page.locator(".speak-try").count() == before:
            self.assertLess(time.monotonic(), deadline, "it was never spoken so far")
            page.wait_for_timeout(50)
            if re.search("had to wait|Nothing was heard", said.inner_text()):
                page.reload()
                while page.locator(".speak-try").count() > before:  # it was stopped too early
                    page.get_by_role("button", name="delete").first.click()
                    page.wait_for_load_state()
                begin.click()
            elif stop.is_visible() and page.evaluate(spoken, until):
                stop.click()
                expect(stop).to_be_hidden()

    def test_a_take_is_spoken_over_and_what_was_said_lies_in_step(self):
        page = self.page
        self.bring("jays", sound=NOISE)
        page.get_by_role("link", name="Finish", exact=True).click()
        page.locator("#line a[href$='/sound/']").click()
        page.add_init_script(ROOM)
        page.get_by_role("link", name="Speak over it").click()
        page.get_by_role("button", name="Measure how late").click()
        expect(page.locator("p[data-late]")).to_contain_text(re.compile(r"hears 8[456](\.\d)? ms late, within [01]"))
        self.speak(page, "00:00:03")
        expect(page.locator(".speak-try")).to_have_count(1)
        self.assertEqual(Axe().run(page).response["violations"], [])
        page.get_by_role("button", name="make it the track").click()
        expect(page.locator(".speak-try")).to_contain_text("is the track")
        page.get_by_role("link", name="Next: its level").click()
        expect(page.locator("#finish")).to_contain_text("encoded anew: spoken over it")
        self.assertEqual(Axe().run(page).response["violations"], [])
        page.locator("#line").get_by_role("button", name="Make").click()
        expect(page.locator("#making")).to_contain_text("jays cut")
        tracks, made = [], self.home / "shelf" / "jays-cut.mp4"
        self.assertEqual([one.title for one in probe(made).sound], ["Game", "Commentary"])
        with av.open(str(made)) as reader:
            for number in range(2):
                reader.seek(0)
                blocks = [frame.to_ndarray()[0] for frame in reader.decode(audio=number)]
                tracks.append(np.concatenate(blocks)[24_000:120_000])
        size = 1 << 18
        found = np.fft.irfft(np.fft.rfft(tracks[1], size) * np.conj(np.fft.rfft(tracks[0], size)), size)
        apart = (int(found.argmax()) + size // 2) % size - size // 2
        self.assertLess(abs(apart) / 48, 20, "ms")
        other = self.new_page()  # with the browser's own stand-in for a microphone, which beeps
        other.goto(page.url.replace("/make/", "/speak/"))
        self.speak(other, "00:00:02")
        expect(other.locator(".speak-try")).to_have_count(2)
        spoken = sorted((self.home / "spoken").glob("*.flac"))[-1]
        with av.open(str(spoken)) as reader:
            heard = np.concatenate([frame.to_ndarray().ravel() for frame in reader.decode(audio=0)])
        self.assertGreater(np.abs(heard / np.iinfo(heard.dtype).max).max(), 0.05)
