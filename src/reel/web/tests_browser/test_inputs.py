"""Frame and sound in a browser: handles, pictures side by side, arrangements while rolling, microphones on tracks."""

import re

import av
import numpy as np
from playwright.sync_api import expect

from reel.web.tests_browser.stack import StackTestCase

BENCH, CONSOLE = "rigs/9", "rigs/1"


class InputTests(StackTestCase):
    def open(self, path):
        self.page.goto(f"{self.url}/{path}/")
        self.page.wait_for_function("() => document.querySelector('img[data-live]')?.naturalWidth > 100")

    def take(self, rig, seconds=1.5, keys=()):
        """Roll for some seconds, pressing keys on the way; returns the file's path, once it is proved."""
        page = self.page
        page.goto(f"{self.url}/{rig}/roll/")
        page.wait_for_function("() => document.querySelector('img[data-live]').naturalWidth > 100")
        page.keyboard.press("r")
        for number, key in enumerate((*keys, "x"), start=1):
            self.wait_rolled(seconds * number)
            page.keyboard.press(key)
        page.wait_for_url(re.compile(r"/takes/\d+/$"))
        expect(page.locator("#take video")).to_be_visible(timeout=120_000)
        return page.locator(".path").first.text_content()

    def wait_rolled(self, seconds):
        """Wait until a take has rolled for some seconds, fewer than a minute."""
        self.page.wait_for_function(
            """(wanted) => {
                const code = document.querySelector(".band-time")?.textContent ?? "0:0:0:0";
                const [h, m, s, f] = code.split(":").map(Number);
                return s + f / 30 >= wanted;
            }""",
            arg=seconds,
        )

    def picture(self, path, number=20):
        with av.open(path) as container:
            for place, frame in enumerate(container.decode(video=0)):
                if place == number:
                    return frame.to_ndarray()[: frame.height, : frame.width].astype(int)
        raise AssertionError(f"{path} has no picture {number}")

    def handle(self, name):
        return self.page.get_by_role("slider", name=name)

    def drag(self, name, across):
        box = self.handle(name).bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + 8
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + across, y, steps=6)
        self.page.mouse.up()

    def take_all_back(self):
        """Press Undo as long as it can be; a change that is still on its way would leave nothing to redo."""
        self.page.wait_for_function(
            """() => {
                const undo = document.querySelector("[data-key=u]");
                if (document.querySelector(".htmx-request, .htmx-swapping, .htmx-settling")) return false;
                if (undo.disabled) return true;
                undo.click();
                return false;
            }""",
            polling=100,
        )

    def test_a_crop_by_handles_is_what_the_file_holds(self):
        page = self.page
        self.open(f"{CONSOLE}/frame")
        self.drag("Crop left", 120)
        expect(page.locator("#piece-crop_left")).not_to_have_value("0")
        self.handle("Crop left").focus()
        left = int(page.locator("#piece-crop_left").input_value())
        page.keyboard.press("ArrowRight")
        expect(page.locator("#piece-crop_left")).to_have_value(str(left + 1))
        expect(self.handle("Crop left")).to_have_attribute("aria-valuenow", str(left + 1))
        self.unfold("piece-more")
        page.locator("#piece-crop_left").fill("321")  # and numbers move the handle
        page.locator("#piece-crop_left").blur()
        expect(self.handle("Crop left")).to_have_attribute("aria-valuenow", "321")
        expect(page.locator(".pieces")).to_contain_text("960")
        luma = self.picture(self.take(CONSOLE))
        lit = np.flatnonzero(luma.max(axis=0) > 40)
        self.assertAlmostEqual(lit[0], (1280 - 960) / 2, delta=2)
        self.assertAlmostEqual(lit[-1], (1280 + 960) / 2, delta=2)
        self.open(f"{CONSOLE}/frame")
        self.take_all_back()
        expect(page.locator("#piece-crop_left")).to_have_value("0")

    def test_two_devices_side_by_side_each_with_its_own_size(self):
        page = self.page
        self.open(f"{BENCH}/frame")
        for press in (lambda: page.keyboard.press("1"), page.get_by_role("button", name="All side by side").click):
            with self.storing():
                press()
        expect(page.locator(".pieces tbody tr").last).not_to_contain_text("1280")
        first = page.locator(".pieces tbody tr").last.inner_text()
        page.locator("#piece-width").fill("300")
        page.locator("#piece-width").blur()
        expect(page.locator(".pieces tr.is-chosen")).to_contain_text("300")
        self.assertEqual(page.locator(".pieces tbody tr").last.inner_text(), first, "the other one stays as it was")
        self.unfold("frame-more")
        page.get_by_label("Background").fill("#ffffff")
        page.get_by_label("Background").blur()
        expect(page.locator("#frame-more > summary")).to_contain_text("#ffffff")
        luma = self.picture(self.take(BENCH))
        self.assertGreater(luma[20:160, 100:1200].min(), 220, "the ground above them")
        self.assertGreater(luma[200:500, 1050:1250].min(), 220, "and beside the smaller one")
        self.assertLess(luma[220:480, 60:600].mean(), 130)
        self.open(f"{BENCH}/frame")
        self.take_all_back()

    def test_arrangements_are_switched_while_rolling_and_marked(self):
        page = self.page
        path = self.take(BENCH, keys=("2", "3"), seconds=1.2)
        expect(page.locator("table.marks")).to_contain_text("Game alone")
        expect(page.locator("table.marks")).to_contain_text("Bench alone")
        with av.open(path) as container:
            corners = {
                round(frame.time * 30): frame.to_ndarray()[520:680, 940:1230].astype(int)
                for frame in container.decode(video=0)
            }
            names = [stream.metadata.get("title") or stream.metadata.get("name") for stream in container.streams.audio]
        self.assertEqual(names, ["game", "voice", "backup", "visitors"])
        codes = [code.split(":") for code in page.locator("table.marks button[data-seek]").all_text_contents()]
        first, second = (int(code[2]) * 30 + int(code[3]) for code in codes)
        with_bench, alone, bench = (  # a frame that was lost is shown by the one before it
            corners[max(tick for tick in corners if tick <= at)] for at in (first - 5, second - 5, second + 12)
        )
        self.assertGreater(np.abs(with_bench - alone).mean(), 15)
        self.assertGreater(np.abs(bench - alone).mean(), 15)

    def test_what_is_drawn_while_rolling_is_in_the_file_and_guides_are_not(self):
        page = self.page
        self.open(f"{CONSOLE}/frame")
        page.get_by_role("button", name="thirds").click()
        expect(page.get_by_role("button", name="thirds")).to_have_attribute("aria-pressed", "true")
        expect(page.locator(".guides path").first).to_be_visible()
        self.open(f"{CONSOLE}/roll")
        page.keyboard.press("r")
        self.wait_rolled(1)
        page.keyboard.press("d")
        sheet = page.locator(".pen-sheet").bounding_box()
        across, down = sheet["x"] + sheet["width"] / 4, sheet["y"] + sheet["height"] * 0.1
        page.mouse.move(across, down)
        page.mouse.down()
        page.mouse.move(across + sheet["width"] / 4, down, steps=8)
        with page.expect_response("**/draw/"):
            page.mouse.up()
        now = page.locator(".pen-sheet").bounding_box()  # what the band says may have moved it meanwhile
        rows = {round((down - box["y"]) / box["height"] * 720) for box in (sheet, now)}
        self.wait_rolled(int(page.locator(".band-time").text_content().split(":")[2]) + 2)
        page.keyboard.press("d")
        page.keyboard.press("x")
        page.wait_for_url(re.compile(r"/takes/\d+/$"))
        expect(page.locator("#take video")).to_be_visible(timeout=120_000)
        with av.open(page.locator(".path").first.text_content()) as container:
            frames = [frame.to_ndarray()[:720, 400:600].astype(int) for frame in container.decode(video=0)]
        brighter = [np.median((frames[-3] - frames[5])[row - 2 : row + 2]) for row in rows]
        self.assertGreater(max(brighter), 60, "the stroke")

    def come_anew(self):
        """Have the page's parts made anew, as when a signal changes."""
        page = self.page
        with page.expect_response(lambda answer: answer.url.endswith("/sound/") and answer.request.method == "GET"):
            page.evaluate("htmx.trigger(document.body, 'signal-changed')")
        page.wait_for_function("() => !document.querySelector('.htmx-request')")

    def test_two_microphones_on_two_tracks(self):
        page = self.page
        page.goto(f"{self.url}/rigs/8/sound/")  # the camera alone
        page.get_by_role("button", name="Record a microphone too").click()
        page.get_by_text("Add an input").click()
        page.get_by_role("button", name="Microphone", exact=True).click()
        expect(page.locator(".strip")).to_have_count(3)
        level = page.get_by_label("Level of Microphone 2 in dB")
        # in one step: a field that is made anew meanwhile takes no focus
        page.evaluate("() => { const field = document.getElementById('level-2'); field.focus(); field.select(); }")
        self.come_anew()
        page.keyboard.type("-60")  # what was selected still is
        self.come_anew()
        expect(level).to_have_value("-60")  # a signal that changes takes nothing away that is being typed
        level.blur()
        expect(page.get_by_label("Level of Microphone 2 in dB")).to_have_value("-60.0")
        page.wait_for_function(
            "() => document.querySelectorAll('.strip .meter-rms.strand-1')[0].getAttribute('width') > 50"
        )
        path = self.take("rigs/8", seconds=2)
        with av.open(path) as container:
            loud = []
            for stream in range(3):
                container.seek(0)
                blocks = [frame.to_ndarray() for frame in container.decode(audio=stream)]
                loud.append(float(np.sqrt((np.concatenate(blocks, axis=1) ** 2).mean())))
            names = [stream.metadata.get("title") or stream.metadata.get("name") for stream in container.streams.audio]
        self.assertEqual(names[1:], ["Microphone", "Microphone 2"])
        self.assertGreater(loud[1], 100 * loud[2])
        self.listen_to("Microphone")

    def listen_to(self, track):
        """Choose another track in the player: it is played beside the picture, in step, also after a step and mute."""
        page = self.page
        page.get_by_label("Track that is heard").select_option(label=track)
        page.wait_for_function("() => document.querySelector('body > audio')?.readyState >= 2")
        apart = """Math.abs(document.querySelector('body > audio').currentTime
            - document.getElementById('player').currentTime)"""
        page.get_by_role("button", name="Play").click()
        page.wait_for_function("() => document.querySelector('body > audio').currentTime > 0.3")  # it plays
        page.keyboard.press("k")
        page.keyboard.press("ArrowLeft")
        page.wait_for_function(f"() => document.querySelector('body > audio').paused && {apart} < 0.05")
        self.assertTrue(page.evaluate("() => document.getElementById('player').muted"))
        page.get_by_role("button", name="Mute").click()
        self.assertTrue(page.evaluate("() => document.querySelector('body > audio').muted"))
        page.get_by_label("Track that is heard").select_option(index=0)
        expect(page.locator("body > audio")).to_have_count(0)
        self.assertTrue(page.evaluate("() => document.getElementById('player').muted"), "as it was")

    def test_listening_goes_on_while_levels_are_set(self):
        page = self.page
        page.goto(f"{self.url}/{BENCH}/sound/")
        said = page.locator("#stage > [role=status]")
        expect(said).to_be_hidden()
        page.wait_for_function("() => Alpine.store('live').rig?.heard")
        for choice, words, level in (("mix", "s late", "2.0"), ("2", "s late", "2.5"), ("", "", "3.0")):
            page.locator("#listen").select_option(choice)
            expect(said).to_contain_text(words, timeout=30_000)
            with page.expect_response("**/strip/*"):
                page.locator("#level-2").fill(level)
                page.locator("#level-2").blur()
            expect(page.locator("#listen")).to_have_value(choice)
            expect(page.get_by_role("heading", name="Sync")).to_be_visible()
        expect(said).to_be_hidden()

    def test_claps_say_how_far_the_microphones_are_off(self):
        """The bench's camera is 90 ms late, its microphones 15 and 40: found by a test, set by a button."""
        page = self.page
        page.goto(f"{self.url}/{BENCH}/sound/")
        expect(page.locator(".step-words").first).to_contain_text("not tested")
        page.wait_for_function("() => Alpine.store('live').rig?.heard")
        page.get_by_role("button", name="Test with Bench camera").click()
        expect(page.locator(".steps [role=status]")).to_contain_text("Clap now")
        page.get_by_role("button", name="Apply delays").click(timeout=60_000)
        for place, delay_ms in ((2, 75), (3, 50)):
            expect(page.locator(f"#delay-{place}")).not_to_have_value("0")
            self.assertAlmostEqual(int(page.locator(f"#delay-{place}").input_value()), delay_ms, delta=5)
            expect(page.locator(f".step-row[data-place='{place}']")).to_contain_text("made up for")
        expect(page.locator("#delay-4")).to_have_value("0")
        expect(page.get_by_role("button", name="Apply delays")).to_be_hidden()
