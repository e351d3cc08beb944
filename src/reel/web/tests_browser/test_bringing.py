"""Files brought in and over by a person, in a browser against the started stack."""

import shutil

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from reel.web.tests_browser.stack import StackTestCase

WCAG = {"runOnly": ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]}


class BringingTests(StackTestCase):
    def test_a_phone_s_files_come_over_although_its_link_breaks(self):
        page = self.page
        page.goto(f"{self.url}/takes/")
        page.get_by_role("link", name="From a device").click()
        expect(page.locator("h1")).to_have_text("Phone's own storage")
        page.get_by_role("button", name="Bring over what is ticked").click()
        page.locator("#simulated summary").click()
        page.get_by_role("button", name="Break the link").click()
        expect(page.locator(".offload")).to_contain_text("the link is broken")
        self.unfold("simulated")
        page.get_by_role("button", name="Connect it again").click()
        expect(page.locator("#device")).to_contain_text("All 12 came over whole.")
        expect(page.locator("tr", has_text="here already")).to_have_count(2)
        self.assertEqual(len(list((self.home / "shelf").glob("recording-*.mp4"))), 10)
        self.assertEqual(Axe().run(page).response["violations"], [])
        page.get_by_label("recording_0001.mp4").check()
        page.get_by_role("button", name="Delete there").click()
        expect(page.locator("#notice")).to_contain_text("1 file deleted there.")
        self.assertFalse((self.home / "devices" / "phone" / "recording_0001.mp4").exists())

    def test_a_file_is_brought_in_measured_and_held_against_a_rig(self):
        page = self.page
        odd = self.home / "a 'strange' name.mov"
        shutil.copyfile(self.home / "feeds" / "greenhouse.mp4", odd)
        (self.home / "notes.txt").write_text("no media")
        page.goto(f"{self.url}/takes/bring/")
        page.set_input_files("#files", [odd, self.home / "notes.txt"])
        rows = page.locator(".incoming tr")
        expect(rows.filter(has_text="notes.txt")).to_contain_text("can't be read as a media file")
        row = rows.filter(has_text="strange")
        expect(row).to_contain_text("checked")
        self.assertEqual(Axe().run(page).response["violations"], [])
        row.get_by_role("link").click()
        expect(page.locator("#found-title")).to_be_visible()
        expect(page.locator("#take")).to_contain_text("nothing was asked of it")
        page.get_by_label("Hold it against what a rig asks").select_option("Greenhouse camera, feed")
        page.get_by_role("button", name="Hold it against this").click()
        expect(page.locator("section[aria-labelledby=proof-title]")).to_contain_text("960×540")
        page.goto(f"{self.url}/takes/?which=brought")
        expect(page.locator(".take-row").filter(has_text="strange")).to_contain_text("differs")
        for path in ("/takes/", "/takes/?which=bin", "/takes/1/"):
            page.goto(f"{self.url}{path}")
            found = Axe().run(page).response["violations"]
            self.assertEqual([(one["id"], one["nodes"][0]["html"][:200]) for one in found], [], path)

    def test_what_a_phone_is_set_to_record_is_held_against_what_it_recorded(self):
        page = self.page
        page.goto(f"{self.url}/rigs/")
        page.get_by_role("link", name="Leafkey, phone", exact=True).first.click()
        with page.expect_response(lambda answer: answer.request.method == "POST"):
            page.select_option("select[name=out]", "storage")
        self.unfold("simulated")
        page.select_option("#simulated select[name=fault]", "smaller")
        page.get_by_role("button", name="Apply").click()
        page.locator("#line a[href$='/file/']").click()
        expect(page.locator("h1")).to_have_text("What the phone records")
        for name, value in (("shape", "wide"), ("longer_px", "1024")):
            with page.expect_response(lambda answer: answer.request.method == "POST"):
                page.select_option(f"select[name={name}]", value)
        expect(page.locator("#stage")).to_contain_text("576×1024p 30")
        self.assertEqual(Axe().run(page, options=WCAG).response["violations"], [])
        page.get_by_role("link", name="Next: Roll").click()
        expect(page.locator("#pairing")).to_contain_text("Let its recorder record the screen")
        self.assertEqual(Axe().run(page, options=WCAG).response["violations"], [])
        page.keyboard.press("r")
        expect(page.locator("#band")).to_contain_text("0:02")
        page.keyboard.press("x")
        expect(page.locator("#take")).to_contain_text("It lies on the phone's own storage")
        take = page.url
        page.goto(f"{self.url}/takes/device/phone/")
        page.eval_on_selector_all(
            "input[name=name]", "boxes => boxes.forEach(box => { box.checked = box.value.startsWith('leafkey'); })"
        )
        page.get_by_role("button", name="Bring over what is ticked").click()
        expect(page.locator("tr", has_text="leafkey-phone")).to_contain_text("checked")
        page.goto(take)
        expect(page.locator("section[aria-labelledby=proof-title]")).to_contain_text("432×768")
