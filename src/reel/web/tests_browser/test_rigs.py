"""What a person does to get a signal here: a new rig, a mended path, a field test, a refusal, a rig file."""

import json
import re
from pathlib import Path

from playwright.sync_api import expect

from reel.web.tests_browser.stack import StackTestCase


class RigTests(StackTestCase):
    def open(self, rig, stage):
        self.page.goto(f"{self.url}/rigs/")
        self.page.get_by_role("link", name=rig, exact=True).click()
        self.page.locator(".stage-title", has_text=re.compile(f"^{stage}$")).click()

    def wait_for_picture(self):
        """Wait until a picture is shown that is not black."""
        self.page.wait_for_function(
            """() => {
                const image = document.querySelector("img[data-live]");
                if (!image || image.naturalWidth < 100) return false;
                const canvas = document.createElement("canvas");
                canvas.width = canvas.height = 16;
                const context = canvas.getContext("2d");
                context.drawImage(image, 0, 0, 16, 16);
                return Math.max(...context.getImageData(0, 0, 16, 16).data.filter((_, i) => i % 4 < 3)) > 40;
            }"""
        )

    def press_field_test_until_it_says(self, words):
        """A busy machine loses pictures; the test then says that it can't tell, and is pressed again."""
        result = self.page.locator("#field-test")
        for _ in range(20):
            self.page.get_by_role("button", name="Test the fields").click()
            expect(result).to_be_hidden()
            expect(result).to_contain_text(re.compile(f"{words}|others between them were lost"))
            if words in result.inner_text():
                return
        self.fail("pictures were lost in each of 20 tests")

    def test_from_nothing_to_a_live_picture_in_three_clicks(self):
        page = self.page
        page.goto(f"{self.url}/rigs/new/")
        page.get_by_label("Camera").check()
        expect(page.locator(".proposed")).to_contain_text("USB 3 port")
        page.get_by_role("button", name="Make the rig").click()
        expect(page.locator("h1")).to_have_text("Camera")
        self.wait_for_picture()
        expect(page.locator("figcaption")).to_contain_text(re.compile(r"arriving a second: [1-9]"))

    def test_what_is_at_hand_makes_the_proposal(self):
        page = self.page
        page.goto(f"{self.url}/rigs/new/")
        page.get_by_label("Tape deck").check()
        page.get_by_label("Analogue stick").check()
        expect(page.locator("#proposal")).to_contain_text("Fields merged")
        page.get_by_label("Analogue stick").uncheck()
        page.get_by_label("Analogue box").check()
        expect(page.locator("#proposal")).to_contain_text("Nothing is lost on the way")

    def test_the_port_loss_is_found_and_mended_by_its_button(self):
        page = self.page
        self.open("Moss & Stone at 60, too much", "Path")
        lost = page.locator(".stage", has_text="Path").locator(".loss")
        expect(lost).to_have_text(["chroma reduced", "rate halved", "compressed"])
        expect(page.locator("#stage")).to_contain_text("USB 2 port carries about 280 Mb/s")
        drawn = page.locator(".line-unpacked").count()
        page.get_by_role("button", name="Use the USB 3 port").click()
        expect(lost).to_have_text(["chroma reduced"])
        self.assertLess(page.locator(".line-unpacked").count(), drawn, "the drawing follows at once")
        page.get_by_label("Model of hop 3").select_option(label="USB 2 port")
        expect(page.locator("#stage")).to_contain_text("falls back to 1080p 30 MJPEG")
        page.get_by_role("button", name="Remove USB 2 port").click()
        expect(page.locator("#stage")).to_contain_text("the computer is not reached")

    def test_the_field_test_of_the_tape_deck(self):
        page = self.page
        self.open("Opening Day, tape", "Arrival")
        self.wait_for_picture()
        self.press_field_test_until_it_says("the fields come apart")
        page.goto(page.url.replace("arrival", "path"))
        page.get_by_role("link", name="S-Video").click()
        page.get_by_label("Output", exact=True).select_option("composite")
        page.locator(".stage-title", has_text="Path").click()
        page.get_by_label("Model of hop 2").select_option(label="Analogue stick, merges fields")
        expect(page.locator("#stage")).to_contain_text("Fields merged")
        page.locator(".stage-title", has_text="Arrival").click()
        self.wait_for_picture()
        self.press_field_test_until_it_says("every second one repeats")

    def test_what_is_chosen_is_stored_at_once_beside_another_window(self):
        page, other = self.page, self.new_page()
        for one in (page, other):
            one.goto(f"{self.url}/rigs/5/file/")
        page.get_by_label("Number", exact=True).fill("23")
        other.get_by_label("Encoder speed", exact=True).select_option("veryfast")
        expect(other.locator("#history")).to_contain_text("Undo Encoder speed")
        page.locator(".stage-title", has_text="Roll").click()  # what was typed last is stored before the page is left
        expect(page.locator(".stage", has_text="File")).to_contain_text("CRF 23")
        page.locator(".stage-title", has_text="File").click()
        expect(page.get_by_label("Encoder speed", exact=True)).to_have_value("veryfast")
        page.get_by_label("Number", exact=True).fill("77")
        page.get_by_label("Number", exact=True).press("Tab")
        expect(page.locator("#stage")).to_contain_text("The rig is still set to H.264 CRF 23")
        page.get_by_role("link", name="Revert").click()
        expect(page.get_by_label("Number", exact=True)).to_have_value("23")
        for words in ("Rate control", "Encoder speed"):
            page.keyboard.press("u")
            expect(page.locator("#notice")).to_contain_text(f"Undone: {words}.")
        expect(page.get_by_label("Number", exact=True)).to_have_value("20")
        self.complaints.clear()  # what was refused is a 422, which the browser notes

    def test_a_press_is_a_click_though_what_lies_under_it_is_made_anew_meanwhile(self):
        page = self.page

        def press(target, meanwhile):
            target.hover()
            with page.expect_response(meanwhile):
                page.mouse.down()
            page.wait_for_timeout(200)  # so long as a finger stays down
            page.mouse.up()

        stores = lambda answer: answer.request.method == "POST"  # noqa: E731
        page.goto(f"{self.url}/rigs/6/file/")
        page.get_by_label("Number", exact=True).fill("24")
        press(page.locator(".stage-title", has_text="Roll"), stores)
        page.wait_for_url(re.compile("/roll/$"))
        expect(page.locator(".stage", has_text="File")).to_contain_text("CRF 24")
        page.evaluate("addEventListener('pointerdown', () => htmx.trigger(document.body, 'signal-changed'))")
        press(page.locator(".stage-title", has_text="File"), lambda answer: "/line/" in answer.url)
        page.wait_for_url(re.compile("/file/$"))
        speed = page.get_by_label("Encoder speed", exact=True)
        speed.dispatch_event("pointerdown", {"button": 0})  # its list takes the release
        speed.select_option("veryfast")
        expect(page.locator("#history")).to_contain_text("Undo Encoder speed")
        page.get_by_label("Number", exact=True).fill("25")
        press(page.get_by_role("button", name="Keep for ever"), stores)
        expect(page.get_by_label("Codec", exact=True)).to_have_value("ffv1")

    def test_a_protected_console_is_refused_with_its_reason(self):
        page = self.page
        self.open("Moss & Stone, console", "Device")
        page.get_by_label("Copy protection").check()
        expect(page.locator(".alarms")).to_contain_text("copy-protected")
        page.locator(".stage-title", has_text="Roll").click()
        expect(page.locator("#checks .is-wrong").first).to_contain_text("Copy protection is off")
        self.complaints.clear()
        page.get_by_role("button", name="Roll R").first.click()
        expect(page.locator("#notice")).to_contain_text("The signal is copy-protected")
        self.complaints.clear()  # the refusal itself is a 409, which the browser notes
        page.locator(".stage-title", has_text="Path").click()
        page.get_by_role("button", name="Set it for gameplay: protection off").click()
        expect(page.locator("#stage")).not_to_contain_text("copy-protected")
        page.locator(".stage-title", has_text="Roll").click()
        expect(page.locator("#checks .is-fine").first).to_contain_text("Copy protection is off")

    def test_export_delete_import_gives_the_same_rig(self):
        page = self.page
        page.goto(f"{self.url}/rigs/")
        with page.expect_download() as download:
            page.get_by_role("link", name="Export Canopy, headset").click()
        path = Path(self.home) / "canopy.rig.json"
        download.value.save_as(path)
        page.get_by_role("link", name="Delete Canopy, headset").click()
        page.get_by_role("button", name="Delete the rig").click()
        expect(page.locator(".rig-list")).not_to_contain_text("Canopy, headset")
        self.send_file(path)
        expect(page.locator("h1")).to_have_text("Headset")
        with page.expect_download() as download:
            page.goto(f"{self.url}/rigs/")
            page.get_by_role("link", name="Export Canopy, headset").click()
        self.assertEqual(Path(download.value.path()).read_bytes(), path.read_bytes())
        bad = json.loads(path.read_text())
        bad["setup"]["inputs"][0]["path"][0]["model"] = "garden hose"
        path.write_text(json.dumps(bad, indent=2))
        self.send_file(path)
        expect(page.locator("#notice")).to_contain_text(re.compile(r"line \d+: .*garden hose"))

    def send_file(self, path):
        page = self.page
        page.goto(f"{self.url}/rigs/")
        page.locator("summary", has_text="Import").click()
        page.get_by_label("A rig file, exported from Reel").set_input_files(path)
        page.get_by_role("button", name="Import the rig").click()
