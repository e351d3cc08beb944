"""What a person does, in a browser against the started stack; the files are opened afterwards on their own."""

import base64
import re
import shutil
from fractions import Fraction

import av
import numpy as np
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from reel.standins import read_stamp
from reel.web.tests_browser.stack import StackTestCase


class WalkTests(StackTestCase):
    def test_from_the_list_of_rigs_to_a_proved_file(self):
        page = self.page
        page.goto(self.url)
        page.get_by_role("link", name="Moss & Stone, console", exact=True).click()
        for stage in ("Device", "Path", "Arrival", "Frame", "Sound", "File", "Roll"):
            expect(page.locator(".stage-title", has_text=re.compile(f"^{stage}$"))).to_be_visible()
        # Device: 60 pictures a second, so that the file's 30 drops half
        page.get_by_label("Output mode").select_option(label="720p 60")
        expect(page.locator(".stage .loss")).to_have_text(["chroma reduced", "rate halved"])
        expect(page.locator("figcaption")).to_contain_text(re.compile(r"arriving a second: [1-9]"))
        # Frame: a smaller picture than arrives
        page.locator(".stage-title", has_text="Frame").click()
        page.get_by_label("Size", exact=True).fill("640x360")
        page.get_by_label("Size", exact=True).blur()
        expect(page.locator(".stage.is-open .stage-facts")).to_contain_text("640×360")
        # File: constant bitrate, and what it costs
        page.locator(".stage-title", has_text="File").click()
        page.get_by_label("Container").select_option(value="mp4")
        page.get_by_label("Rate control", exact=True).select_option("bitrate")
        page.get_by_label("Bitrate, Mb/s").fill("3")
        page.get_by_label("Bitrate, Mb/s").blur()
        expect(page.locator("#cost")).to_contain_text("23.9 MB")
        expect(page.locator("#cost")).to_contain_text("1.44 GB")
        expect(page.locator(".stage.is-open .stage-facts")).to_contain_text("H.264 3 Mb/s")
        take_url = self.roll_and_cut()
        self.check_take(take_url)

    def roll_and_cut(self):
        """Roll by keys, look from a second tab, hold, carry on, mark, reload, cut; returns the take's address."""
        page = self.page
        page.locator(".stage-title", has_text="Roll").click()
        expect(page.locator(".meter-rms").first).not_to_have_attribute("width", "0")
        page.wait_for_function("() => document.querySelector('img[data-live]').naturalWidth > 100")
        page.keyboard.press("r")
        band = page.locator("#band")
        expect(band).to_be_visible()
        expect(page).to_have_title(re.compile("^Rolling"))
        self.wait_for_timecode(page, 1.5)
        other = self.new_page()
        other.goto(f"{self.url}/takes/")
        expect(other.locator("#band")).to_be_visible()
        page.keyboard.press("h")
        expect(other.locator("#band")).to_contain_text("On hold")
        expect(other.locator("#band")).to_contain_text("Carry on")
        held = band.locator(".band-time").text_content()
        page.reload()
        expect(band).to_contain_text("On hold")
        self.assertEqual(band.locator(".band-time").text_content(), held)
        page.get_by_label("Label of the mark").fill("mmm h x")  # keys do nothing while somebody types
        page.keyboard.press("Enter")
        page.locator("h2:visible").first.click()
        page.keyboard.press("h")
        expect(band).to_contain_text("Rolling")
        self.wait_for_timecode(page, 6)
        page.keyboard.press("m")
        page.wait_for_timeout(300)
        page.keyboard.press("x")
        page.wait_for_url(re.compile(r"/takes/\d+/$"))
        expect(other.locator("#band")).to_be_hidden()
        return page.url

    def wait_for_timecode(self, page, seconds):
        page.wait_for_function(
            """(wanted) => {
                const code = document.querySelector(".band-time")?.textContent ?? "0:0:0:0";
                const [h, m, s, f] = code.split(":").map(Number);
                return h * 3600 + m * 60 + s + f / 30 >= wanted;
            }""",
            arg=seconds,
        )

    def check_take(self, take_url):
        page = self.page
        expect(page.locator("#take video")).to_be_visible(timeout=120_000)
        expect(page.locator("table.marks tr")).to_have_count(3)  # two, and where it was held
        proof = {
            row.locator("th").text_content(): row.locator("td").all_text_contents()
            for row in page.locator("section[aria-labelledby=proof-title] tbody tr").all()
        }
        for label in ("Size", "Rate", "Codec, profile", "Matrix, range", "Keyframes", "Sound rate", "Sound starts at"):
            self.assertEqual(proof[label][0], proof[label][1].partition("±")[0], proof)
        # it plays and seeks in the page
        page.evaluate("document.querySelector('video').muted = true; document.querySelector('video').play()")
        page.wait_for_function("() => document.querySelector('video').currentTime > 0.3")
        page.locator("table.marks [data-seek]").last.click()
        page.wait_for_function("() => document.querySelector('video').currentTime > 5")
        path = page.locator(".path").first.text_content()
        self.check_file(path, proof)

    def check_file(self, path, proof):
        """Open the file with PyAV alone: size, rate, colour, frames in order, sound."""
        with av.open(path) as container:
            video, sound = container.streams.video[0], container.streams.audio[0]
            self.assertEqual((video.width, video.height, video.pix_fmt), (640, 360, "yuv420p"))
            self.assertEqual((video.codec_context.name, video.profile), ("h264", "High"))
            self.assertEqual((video.codec_context.colorspace, video.codec_context.color_range), (1, 1))
            self.assertEqual((sound.codec_context.name, sound.rate), ("aac", 48_000))
            frames = [(frame.pts * frame.time_base * 30, frame.to_ndarray()[:360]) for frame in container.decode(video)]
        self.assertEqual(proof["Frames"][1].replace("\u202f", "").removeprefix("≠ "), str(len(frames)))
        self.assertTrue(all(tick.denominator == 1 for tick, _ in frames), "every frame lies on a tick of 1/30 s")
        stamps = [read_stamp(luma) for _, luma in frames]
        self.assertNotIn(None, stamps)
        self.assertEqual(stamps, sorted(stamps))
        # 60 to 30 shows every second picture, but for the hold and for what the proof owns up to on a busy machine
        counted = sum(int(re.search(r"\d+", proof[label][1])[0]) for label in ("Lost frames", "Fitted"))
        steps = np.diff(stamps)
        self.assertLessEqual(np.count_nonzero(steps != 2), 1 + 3 * counted, f"{counted} counted, {steps}")
        length = frames[-1][0] / 30
        self.assertGreater(length, Fraction(5))

    def test_a_recipe_from_a_starting_point_is_refused_a_pair_takes_the_offer_and_is_kept(self):
        page = self.page
        page.goto(f"{self.url}/rigs/6/file/")
        page.get_by_role("button", name="Keep for ever").click()
        expect(page.get_by_label("Codec", exact=True)).to_have_value("ffv1")
        expect(page.locator("#stage .notice:visible")).to_contain_text("Nothing is lost after the frame")
        page.get_by_label("Container").select_option("mp4")
        expect(page.locator("#stage")).to_contain_text("hardly any program opens it there")
        page.get_by_role("button", name="Take container MKV").click()
        expect(page.get_by_label("Container")).to_have_value("mkv")
        expect(page.locator("#stage")).not_to_contain_text("hardly any program opens it there")
        self.complaints.clear()  # what was refused is a 422, which the browser notes
        self.unfold("file-more")
        page.get_by_label("Sample rate", exact=True).select_option("96000")
        expect(page.locator("#history")).to_contain_text("Sample rate")
        page.wait_for_function("() => !document.querySelector('.htmx-request')")
        page.get_by_text("Save as recipe").click()
        page.get_by_label("Name", exact=True).fill("Canopy for ever")
        page.get_by_role("button", name="Save recipe").click()
        expect(page.locator(".stage.is-open .stage-facts")).to_contain_text("FFV1 lossless")
        expect(page.get_by_label("recipe", exact=True).locator("option:checked")).to_have_text("Canopy for ever")
        page.goto(f"{self.url}/recipes/")
        expect(page.locator("main")).to_contain_text("Canopy for ever")
        page.goto(f"{self.url}/rigs/6/roll/")
        page.wait_for_function("() => document.querySelector('img[data-live]').naturalWidth > 100")
        page.keyboard.press("r")
        self.wait_for_timecode(page, 1.2)
        page.keyboard.press("x")
        page.wait_for_url(re.compile(r"/takes/\d+/$"))
        expect(page.locator("#take video")).to_be_visible(timeout=120_000)  # in a copy that a browser plays
        expect(page.locator("#take")).to_contain_text("every picture")

    def test_this_machine_is_measured_called_off_and_what_it_keeps_up_with_is_chosen_in_the_drawing(self):
        page = self.page
        page.goto(f"{self.url}/rigs/")
        page.get_by_role("link", name="Potting bench, camera", exact=True).click()
        page.locator(".stage-title", has_text=re.compile("^File$")).click()
        keeps = page.locator("#keeps-up")
        self.unfold("file-more")
        page.get_by_label("File name").fill("{rig}_{number}")
        page.get_by_label("File name").press("Tab")
        expect(page.locator("#history")).to_contain_text("File name")
        page.get_by_label("Number", exact=True).fill("27")
        page.get_by_label("Number", exact=True).press("Tab")
        expect(page.locator("#cost")).to_contain_text("Estimated from two seconds of this rig's picture")
        page.get_by_role("button", name="Measure this machine").click()
        # the first three codecs with an effort each take so long; in all it takes minutes
        expect(keeps.get_by_role("status")).to_have_text(re.compile(r"^([5-9]|\d\d) %$"), timeout=120_000)
        keeps.get_by_role("button", name="call off").click()
        expect(keeps.locator(".keeps-point.is-chosen")).to_have_count(1)
        expect(page.get_by_label("File name")).to_have_value("{rig}_{number}")
        expect(
            page.get_by_label("Encoder speed", exact=True).locator(
                "option", has_text=re.compile(r"^superfast, \d+\.\d×$")
            )
        ).to_have_count(1)
        keeps.get_by_text("The same as a table").click()
        keeps.get_by_role("button", name="H.264 ultrafast", exact=True).click()
        expect(page.get_by_label("Encoder speed", exact=True)).to_have_value("ultrafast")
        expect(page.locator("#cost tr", has_text="Headroom").locator("td")).to_have_text(re.compile(r"^\d+\.\d×$"))

    def test_two_rigs_roll_at_once_by_one_press_and_are_cut_apart(self):
        page = self.page
        page.goto(f"{self.url}/rigs/8/roll/")
        page.wait_for_function("() => document.querySelector('img[data-live]').naturalWidth > 100")
        page.get_by_role("checkbox", name="Greenhouse camera, feed").check()
        page.keyboard.press("r")
        rows = page.locator("#band .band-row")
        expect(rows).to_have_count(3)  # each of them, and all
        expect(rows.nth(0)).to_contain_text("Potting bench, camera")
        expect(rows.nth(1)).to_contain_text("Greenhouse camera, feed")
        self.wait_for_timecode(page, 1.2)
        page.keyboard.press("h")
        expect(rows.nth(1)).to_contain_text("On hold")
        expect(rows.nth(0)).to_contain_text("On hold")
        page.keyboard.press("h")
        expect(rows.nth(0)).to_contain_text("Rolling")
        rows.nth(0).get_by_role("button", name="Cut").click()
        page.wait_for_url(re.compile(r"/takes/\d+/$"))
        expect(page.locator("#band .band-row")).to_have_count(1)
        expect(page.locator("#take")).to_contain_text("Begun together", timeout=120_000)
        page.keyboard.press("x")
        page.wait_for_url(re.compile(r"/takes/\d+/$"))
        expect(page.locator("#take")).to_contain_text("Begun together", timeout=120_000)
        expect(page.locator("#band")).to_be_hidden()

    def test_a_take_is_found_stepped_through_marked_good_renamed_binned_and_put_back(self):
        page = self.page
        page.goto(f"{self.url}/takes/")
        page.keyboard.press("/")
        page.keyboard.type("console 001")
        rows = page.locator(".take-row")
        expect(rows).to_have_count(1)
        rows.get_by_role("link", name="Moss & Stone, console 001", exact=True).click()
        self.step_exactly()
        page.keyboard.press("g")
        expect(page.locator("#take h1")).to_contain_text("good")
        page.get_by_role("link", name="Rename").click()
        page.get_by_label("Name").fill("Stone path, <b>good</b>")
        page.get_by_role("button", name="Rename").click()
        expect(page.locator("#take h1")).to_contain_text("Stone path, <b>good</b>")
        path = self.home / "shelf" / "stone-path-b-good-b.mp4"
        self.assertTrue(path.exists())
        page.evaluate("() => { navigator.clipboard.writeText = () => Promise.reject(); }")
        page.get_by_role("button", name="copy", exact=True).click()
        expect(page.get_by_role("button", name="selected: copy it with Ctrl+C")).to_be_visible()
        self.assertEqual(page.evaluate("getSelection().toString()"), str(path))
        with page.expect_download() as waiting:
            page.get_by_role("link", name="Timeline").click()
        self.assertIn("stone-path-b-good-b.mp4", waiting.value.path().read_text())
        page.goto(f"{self.url}/takes/?which=good")
        rows.first.get_by_role("checkbox").check()
        expect(page.locator(".takes-dock")).to_contain_text("1 chosen")
        page.keyboard.press("b")
        expect(page.locator("#notice")).to_contain_text("1 take in the bin")
        self.assertFalse(path.exists())
        page.goto(f"{self.url}/takes/?which=bin")
        page.keyboard.press("a")
        page.keyboard.press("p")
        expect(page.locator("#notice")).to_contain_text("1 take put back")
        self.assertTrue(path.exists())

    def step_exactly(self):
        """Step by keys: the frame that is said is the one that is shown, read from the stamp in the picture."""
        page = self.page
        page.wait_for_function("() => document.getElementById('player')?.readyState >= 2")
        begins = None  # the stamp of frame 0, which is shown by its poster until somebody steps
        for key, frame in (("ArrowRight", 1), ("ArrowRight", 2), ("Shift+ArrowRight", 32), ("ArrowLeft", 31)):
            page.keyboard.press(key)
            expect(page.locator("[data-frame]")).to_contain_text(f"frame {frame} ")
            begins = begins if begins is not None else self.shown_stamp() - 1
            self.assertEqual(self.shown_stamp() - begins, frame)
        self.assertLess(self.followed(), 3, "while it plays the cursor is moved once a frame, however long it plays")
        page.locator("[data-drawing]").click(position={"x": 500, "y": 50})
        expect(page.locator("[data-frame]")).not_to_contain_text("frame 31 ")

    def followed(self):
        """Play, with many of the events that a player sends; return how often a frame something is done then."""
        return self.page.evaluate(
            """async () => {
                const player = document.getElementById("player"), real = window.requestAnimationFrame;
                const frames = async (count) => { for (; count; count -= 1) await new Promise((done) => real(done)); };
                await player.play();
                for (let sent = 0; sent < 40; sent += 1) player.dispatchEvent(new Event("timeupdate"));
                await frames(2);
                let asked = 0;
                window.requestAnimationFrame = (work) => { asked += 1; return real(work); };
                await frames(10);
                window.requestAnimationFrame = real;
                player.pause();
                return asked / 10;
            }"""
        )

    def shown_stamp(self):
        """Read the stamp in the picture that the player shows."""
        width, green = self.page.evaluate(
            """async () => {
                const player = document.getElementById("player");
                const sought = (done) => player.addEventListener("seeked", done, { once: true });
                if (player.seeking) await new Promise(sought);
                await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
                const width = player.videoWidth, height = player.videoHeight;
                const pen = new OffscreenCanvas(width, height).getContext("2d");
                pen.drawImage(player, 0, 0);
                const green = pen.getImageData(0, 0, width, height).data.filter((_, at) => at % 4 === 1);
                const reader = new FileReader();
                const told = new Promise((done) => reader.addEventListener("load", done, { once: true }));
                reader.readAsDataURL(new Blob([green]));
                await told;
                return [width, reader.result.split(",")[1]];
            }"""
        )
        return read_stamp(np.frombuffer(base64.b64decode(green), dtype=np.uint8).reshape(-1, width))

    def test_a_feed_becomes_a_rig_and_rolls(self):
        shutil.copy(self.home / "feeds" / "greenhouse.mp4", self.home / "feeds" / "bench two.mp4")
        page = self.page
        page.goto(f"{self.url}/rigs/new/")
        page.get_by_label("Name").fill("Bench camera")
        page.get_by_label("Video feed").check()
        page.get_by_label("Feed file").select_option("bench two.mp4")
        page.get_by_role("button", name="Make the rig").click()
        expect(page.locator(".stage").first).to_contain_text("960×540p 25")
        page.locator(".stage-title", has_text="Roll").click()
        page.get_by_role("button", name="Roll R").first.click()
        self.wait_for_timecode(page, 1)
        page.get_by_role("button", name="Cut X").click()
        page.wait_for_url(re.compile(r"/takes/\d+/$"))
        expect(page.locator(".proof-group").first).to_be_visible()
        self.assertEqual(len(list((self.home / "shelf").glob("bench-camera_*_001.mp4"))), 1)

    def test_every_page_is_accessible_in_both_themes(self):
        page = self.page
        for path in (
            "rigs/",
            "rigs/new/",
            "rigs/1/device/",
            "rigs/3/path/",
            "rigs/7/arrival/",
            "rigs/9/device/?input=2",
            "rigs/9/frame/",
            "rigs/9/sound/",
            "rigs/1/file/",
            "rigs/1/roll/",
            "takes/",
            "takes/2/?part=2",
            "takes/5/",
            "takes/compare/?one=5&other=1",
            "roll/small/1/",
        ):
            page.goto(f"{self.url}/{path}")
            for scheme, rules in (
                ("light", ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]),
                ("dark", {"type": "rule", "values": ["color-contrast"]}),  # nothing else is another than in the light
            ):
                page.emulate_media(color_scheme=scheme)
                found = Axe().run(page, options={"runOnly": rules})
                problems = [(v["id"], [n["html"][:120] for n in v["nodes"]]) for v in found.response["violations"]]
                self.assertEqual(problems, [], f"{path} {scheme}")

    def test_ctrl_c_ends_everything_and_it_starts_again(self):
        page = self.page
        page.goto(f"{self.url}/rigs/1/roll/")
        page.keyboard.press("r")
        self.wait_for_timecode(page, 0.5)
        page.goto("about:blank")
        took_s, left = self.end(self.parent), list((self.home / "shelf").glob("*.rolling.*"))
        self.log.write_text("")
        type(self).parent = self.start_reel()
        self.assertLess(took_s, 60, "a roll is cut and everything ends while somebody waits")
        self.assertEqual(left, [])
