"""What a person does to try, to let a take begin and end by itself, and to get back what a crash left."""

import os
import re
import signal
import socket
import subprocess
import sys
from pathlib import Path

from playwright.sync_api import expect

from reel.core.media import probe
from reel.options import ROOT
from reel.web.tests_browser.stack import StackTestCase


class RollingTests(StackTestCase):
    def open(self, rig, stage):
        self.page.goto(f"{self.url}/rigs/")
        self.page.get_by_role("link", name=rig, exact=True).click()
        self.page.locator(".stage-title", has_text=re.compile(f"^{stage}$")).click()

    def wait_for_length(self, seconds):
        self.page.wait_for_function(
            "(least) => (Alpine.store('live').rolls[0]?.timecode ?? '0:0:0:0').split(':')[2] >= least", arg=seconds
        )

    def cut(self):
        self.page.keyboard.press("x")
        self.page.wait_for_url(re.compile(r"/takes/\d+/$"))

    def proof(self):
        expect(self.page.locator(".proof-group").first).to_be_visible(timeout=120_000)
        return dict(
            self.page.locator("section[aria-labelledby=proof-title] tbody tr").evaluate_all(
                "rows => rows.map(row => [row.cells[0].textContent, row.cells[2].firstChild.textContent.trim()])"
            )
        )

    def test_many_tabs_of_a_rig_show_its_picture_and_each_can_cut(self):
        """A browser opens six connections to a host in all its tabs together."""
        self.open("Potting bench, camera", "Roll")
        tabs = [self.page, *(self.page.context.new_page() for _ in range(6))]
        for tab in tabs[1:]:
            tab.goto(self.page.url)
        for tab in tabs:
            tab.wait_for_function("() => document.querySelector('img[data-live]').naturalWidth > 100", timeout=60_000)
        self.page.get_by_role("button", name="Keys ?").click()
        self.page.get_by_label("Use these keys in this browser").uncheck()
        self.page.get_by_role("button", name="Close").click()
        self.page.keyboard.press("r")  # begins nothing: else the roll below would be refused
        self.page.get_by_role("button", name="Keys ?").click()
        self.page.get_by_label("Use these keys in this browser").check()
        self.page.get_by_role("button", name="Close").click()
        expect(self.page.locator("#band")).to_be_hidden()
        self.page.get_by_role("button", name="Roll R").first.click()
        for tab in tabs:
            expect(tab.locator(".band")).to_contain_text("Rolling")
        self.wait_for_length(1)
        tabs[-1].keyboard.press("x")
        tabs[-1].wait_for_url(re.compile(r"/takes/\d+/$"))

    def test_a_trial_says_what_it_costs_is_held_against_another_and_kept_or_forgotten(self):
        page = self.page
        self.open("Potting bench, camera", "Roll")
        addresses = []
        for effort in ("superfast", "ultrafast"):
            self.open("Potting bench, camera", "File")
            with self.storing():
                page.get_by_label("Encoder speed", exact=True).select_option(effort)
            page.locator(".stage-title", has_text="Roll").click()
            page.get_by_label("for", exact=True).fill("2")
            page.get_by_role("button", name="Try T").click()
            page.wait_for_url(re.compile(r"/takes/\d+/$"))
            addresses.append(page.url)
            expect(page.locator(".stills img")).to_have_count(3, timeout=120_000)
            self.assertEqual(self.proof()["Frames"], "60")
            expect(page.locator("#take")).to_contain_text("Per hour")
        expect(page.get_by_role("button", name="Keep as take")).to_be_visible()
        page.get_by_label("The other").select_option(index=0)
        page.get_by_role("button", name="Side by side").click()
        expect(page.locator("main")).to_contain_text(re.compile(r"Encoder speed\s*ultrafast\s*superfast"))
        page.goto(addresses[0])
        page.get_by_role("button", name="Keep as take").click()
        expect(page.get_by_role("link", name="Roll another")).to_be_visible()
        page.goto(addresses[1])
        page.get_by_role("button", name="Forget it").click()
        expect(page.locator("#notice")).to_contain_text("forgotten")
        self.complaints.clear()  # its page may have asked once more while it was forgotten, which the browser notes
        self.assertEqual(page.request.get(addresses[1]).status, 404)

    def test_a_countdown_a_length_parts_and_marks_made_afterwards(self):
        page = self.page
        self.open("Greenhouse camera, feed", "File")
        self.unfold("file-more")
        with self.storing():
            page.get_by_label("or GB").fill("0.01")
            page.get_by_label("or GB").blur()
        page.get_by_label("Rate control", exact=True).select_option("lossless")
        expect(page.locator("#stage")).to_contain_text("Nothing is lost")
        expect(page.locator(".stage.is-open .stage-facts")).to_contain_text("lossless")
        expect(page.get_by_label("or GB")).to_have_value("0.01")
        page.locator(".stage-title", has_text="Roll").click()
        page.get_by_text("Options").click()
        page.get_by_label("Countdown, s").fill("2")
        page.get_by_label("After", exact=True).fill("12 s")  # some 2 MB a second, fewer where frames are lost
        page.get_by_label("After", exact=True).blur()
        expect(page.locator("summary", has_text="Options")).to_contain_text("Begins 2 s after the press")
        before = page.locator("#latest a").get_attribute("href")  # the names of a day begin at 001 again
        page.keyboard.press("r")
        expect(page.locator("#band")).to_contain_text(re.compile("Rolls in [12]"))
        expect(page.locator("#band")).to_contain_text("Rolling")
        page.keyboard.press("m")
        expect(page.locator("#latest a")).not_to_have_attribute("href", before, timeout=180_000)
        page.locator("#latest a").click()
        self.proof()
        expect(page.locator("#take")).to_contain_text("cut after 12 s, as it was set")
        parts = page.locator(".part").count()
        self.assertGreater(parts, 1)
        frames = 0
        for number in range(1, parts + 1):
            page.goto(f"{page.url.partition('?')[0]}?part={number}")
            frames += int(self.proof()["Frames"].replace("≠ ", ""))
        self.assertEqual(frames, 300)
        page.get_by_label("Note of a new mark").fill("leaf falls")
        page.get_by_role("button", name="Mark where it stands").click()
        expect(page.locator("table.marks tr")).to_have_count(2)
        row = page.locator("table.marks tr", has_text="leaf falls")
        row.get_by_text("note", exact=True).click()
        row.get_by_label("Note of the mark").fill("leaf falls twice")
        row.get_by_role("button", name="save").click()
        expect(page.locator("table.marks")).to_contain_text("leaf falls twice")

    def test_what_the_encoder_can_not_keep_up_with_is_said_with_what_helps(self):
        page = self.page
        self.open("Moss & Stone, console", "File")
        page.get_by_label("Encoder speed", exact=True).select_option("slow")
        page.get_by_label("Rate control", exact=True).select_option("quantiser")
        page.get_by_label("Number").fill("2")
        page.locator(".stage-title", has_text="Roll").click()
        expect(page.locator(".meter-rms").first).not_to_have_attribute("width", "0")
        page.keyboard.press("r")
        expect(page.locator("#band")).to_contain_text("The encoder falls behind: encoder speed “medium” in File")
        expect(page.locator("#band")).to_contain_text("at the encoder")
        self.cut()
        self.assertNotEqual(self.proof()["Lost frames"], "0")

    def test_what_a_killed_recorder_left_is_repaired_and_its_original_stays(self):
        page = self.page
        shelf = self.home / "shelf"
        before = set(shelf.iterdir())
        self.open("Leafkey, phone", "Roll")
        expect(page.locator("figcaption")).to_contain_text(re.compile(r"arriving a second: [1-9]"))
        page.keyboard.press("r")
        self.wait_for_length(3)
        said = float(page.evaluate("Alpine.store('live').rolls[0].crash").split()[0])
        os.kill(self.recorder(), signal.SIGKILL)
        page.goto(f"{self.url}/takes/")
        page.get_by_role("link", name=re.compile("^Leafkey, phone 0")).first.click()
        expect(page.locator("#take")).to_contain_text("Repaired from what was left", timeout=120_000)
        expect(page.locator("#take")).to_contain_text(re.compile("At least|All that was noted"))
        self.assertLessEqual(
            float((re.findall(r"At least ([\d.]+) s", page.inner_text("#take")) or ["0"])[0]), said + 0.7
        )
        self.assertEqual(self.proof()["Rate"], "30 fixed")
        left = sorted(path.name for path in set(shelf.glob("leafkey-phone_*.mp4")) - before)
        self.assertEqual([name.endswith("_rescued.mp4") for name in left], [False, True])

    def recorder(self):
        """The process that records, by its home."""
        for folder in Path("/proc").glob("[0-9]*"):
            try:
                command = (folder / "cmdline").read_bytes().split(b"\0")
                home = f"REEL_HOME={self.home}".encode() in (folder / "environ").read_bytes().split(b"\0")
            except OSError:
                continue
            if home and b"recorder" in command:
                return int(folder.name)
        raise AssertionError("no recorder runs")

    def test_a_stream_is_recorded_as_it_is_sent(self):
        with socket.socket() as probing:
            probing.bind(("127.0.0.1", 0))
            address = f"tcp://127.0.0.1:{probing.getsockname()[1]}"
        sender = [
            sys.executable,
            "-m",
            "reel.recorder.tests.sender",
            f"{address}?listen=1",
            "120",
            "320",
            "240",
            "mpegts",
        ]
        process = subprocess.Popen(sender, cwd=ROOT / "src")
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        page = self.page
        page.goto(f"{self.url}/rigs/new/")
        page.get_by_label("Name").fill("Greenhouse, far")
        page.get_by_label("Video feed").check()
        page.get_by_label("Address").fill(address)
        page.get_by_role("button", name="Make the rig").click()
        page.locator(".stage-title", has_text="File").click()
        page.get_by_label("Stream copy").check()
        expect(page.locator("main")).to_contain_text("Picture and sound are what the sender sends")
        expect(page.locator(".stage.is-open .stage-facts")).to_contain_text("as sent")
        page.locator(".stage-title", has_text="Roll").click()
        expect(page.locator("figcaption")).to_contain_text(re.compile(r"arriving a second: [1-9]"))
        page.keyboard.press("r")
        self.wait_for_length(2)
        self.cut()
        proof = self.proof()
        self.assertEqual((proof["Picture, bytes"], proof["Size"]), ("the sender's", "320×240"))
        (path,) = (self.home / "shelf").glob("greenhouse-far_*_001.mp4")
        self.assertEqual(str(probe(path).video.frames), proof["Picture, packets"])

    def test_the_small_page_rolls_and_shows_the_state(self):
        page = self.page
        page.set_viewport_size({"width": 390, "height": 844})
        page.goto(f"{self.url}/roll/small/5/")
        expect(page.locator(".small-word")).to_have_text("Not rolling")
        page.get_by_role("button", name="Roll R").first.click()
        expect(page.locator(".small-word")).to_have_text("Rolling")
        self.assertEqual(page.evaluate("document.documentElement.scrollWidth - innerWidth"), 0)
        self.wait_for_length(1)
        self.cut()
