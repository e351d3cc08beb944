"""The Frame page through Django's client: pieces, arrangements, undoing."""

import os
from dataclasses import replace
from fractions import Fraction
from io import BytesIO

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse
from PIL import Image

from reel.core.errors import BadValueError
from reel.core.frame import Arrangement, Face, Fit, Quarter
from reel.core.line import DeviceKind, Eye, Headset, propose
from reel.core.signal import Mode
from reel.web.rigs import actions
from reel.web.rigs.actions import make_rig
from reel.web.rigs.changing import MAX_UNDO
from reel.web.rigs.homefiles import remove_unused_images
from reel.web.rigs.models import Rig
from reel.web.setups import stored
from reel.web.stages import edits

HTMX = {"HX-Request": "true"}
PIECE = {
    "fit": "fill", "crop_left": "96", "crop_top": "64", "crop_right": "96", "crop_bottom": "32",
    "x": "", "y": "", "width": "", "height": "", "zoom": "1", "centre_x": "50", "centre_y": "50",
    "turn": "0", "opacity": "100", "key": "",
}  # fmt: skip
HOSTILE = ("NaN", "1e309", str(2**63), "inf", "<b>", "'; drop table", "9" * 10_000, "1e-5000", "1e-9999999", "1.0e0")


class FramePageTests(TestCase):
    def setUp(self):
        self.rig = make_rig("Canopy", propose(DeviceKind.HEADSET))

    @property
    def frame(self):
        return Rig.objects.get(pk=self.rig.pk).plan.frame

    def post(self, view, query="", /, **fields):
        address = reverse(f"stages:{view}", args=[self.rig.pk])
        return self.client.post(address + query, fields, headers=HTMX)

    def page(self, query=""):
        return self.client.get(reverse("stages:stage", args=[self.rig.pk, "frame"]) + query)

    def add_camera(self):
        self.client.post(reverse("stages:add-input", args=[self.rig.pk]), {"kind": "camera"})

    def test_a_piece_is_kept_and_what_is_wrong_changes_nothing(self):
        answer = self.post("piece", **PIECE | {"turn": "90", "mirrored": "on"})
        self.assertContains(answer, 'id="line"')
        piece = self.frame.arrangements[0].pieces[0]
        self.assertEqual((piece.fit, piece.crop.left_px, piece.crop.bottom_px), (Fit.FILL, 96, 32))
        self.assertEqual((piece.turn, piece.mirrored, piece.place), (Quarter.RIGHT, True, None))
        before = self.frame
        for field in PIECE:
            for value in HOSTILE:
                if field in ("x", "y", "width", "height"):
                    continue
                with self.subTest(field, value=value[:20]):
                    refused = self.post("piece", **PIECE | {field: value})
                    self.assertEqual(refused.status_code, 422)
        for wrong in ({"x": "1e9"}, {"width": "-2", "x": "0", "y": "0", "height": "2"}, {"key": "r"}, {"key": "ä"}):
            self.assertEqual(self.post("piece", **PIECE | wrong).status_code, 422, wrong)
        self.assertEqual(self.frame, before)
        self.assertContains(self.post("piece", **PIECE | {"crop_left": "9999"}), "9999", status_code=422)

    def test_what_is_stored_can_be_read_back_however_many_digits_were_typed(self):
        """A zoom of 1 + 10⁻¹⁸ was stored once, and its rig could only be deleted."""
        for zoom, status in (("1.000000000000000001", 422), ("1.0000001", 422), ("1.123456", 200), ("1,5", 200)):
            answer = self.post("piece", **PIECE | {"fit": "own", "zoom": zoom})
            self.assertEqual(answer.status_code, status, zoom)
            self.assertEqual(self.page().status_code, 200)
        self.assertEqual(self.frame.arrangements[0].pieces[0].zoom, Fraction(3, 2))
        piece = replace(self.frame.arrangements[0].pieces[0], zoom=1 + Fraction(1, 10**15))
        with self.assertRaises(BadValueError):
            stored(replace(self.rig.plan, frame=replace(self.frame, arrangements=(Arrangement(pieces=(piece,)),))))

    def test_insets_are_laid_over_moved_and_taken_out(self):
        self.add_camera()
        self.post("arrange", do="add", input="Camera")
        pieces = self.frame.arrangements[0].pieces
        self.assertEqual([piece.input for piece in pieces], ["", "Camera"])
        self.post("piece", "?arrangement=0&piece=1", **PIECE | {"x": "10", "y": "20", "width": "300", "height": "200"})
        self.post("piece", "?arrangement=0&piece=0", **PIECE | {"opacity": "90"})
        moved = self.frame.arrangements[0].pieces[1]
        self.assertEqual((moved.place.x_px, moved.place.width_px), (10, 300), "changing one never moves another")
        self.post("arrange", "?piece=1", do="down")
        self.assertEqual([piece.input for piece in self.frame.arrangements[0].pieces], ["Camera", ""])
        kept = self.post("arrange", do="keep", name="Both")
        self.assertContains(kept, 'arrangement=1&amp;piece=0"', msg_prefix="what is done next is done to the new one")
        self.post("arrange", "?arrangement=1", do="beside")
        self.assertEqual([one.name for one in self.frame.arrangements], ["The picture", "Both"])
        self.assertContains(self.page("?arrangement=1"), "Both")
        self.post("arrange", "?arrangement=1", do="rename", name="Side by side")
        self.post("arrange", "?arrangement=0&piece=0", do="remove")
        self.post("arrange", "?arrangement=1", do="forget")
        self.assertEqual(len(self.frame.arrangements), 1)
        before = self.frame
        for fields in ({"do": "add", "input": "Nobody"}, {"do": "forget"}, {"do": "dance"}, {"do": "remove"}):
            with self.subTest(**fields):
                self.assertEqual(self.post("arrange", **fields).status_code, 409)
        self.assertEqual(self.frame, before)
        for query in ("?arrangement=99&piece=99", "?arrangement=x", "?piece=-1", "?arrangement=" + "9" * 5000):
            self.assertEqual(self.page(query).status_code, 200)

    def test_the_other_eye_is_laid_over_the_first(self):
        self.assertEqual(self.post("arrange", do="eye").status_code, 409)
        headset = Headset(mode=Mode.parse("1920x1000p36"), eye=Eye.BOTH)
        self.rig.plan = replace(self.rig.plan, inputs=(replace(propose(DeviceKind.HEADSET).picture, device=headset),))
        self.rig.save()
        self.assertContains(self.page(), "The other eye")
        self.post("arrange", do="eye")
        left, right = self.frame.arrangements[0].pieces
        shown = [piece.cast((1920, 1000), self.frame.size)[0] for piece in (left, right)]
        self.assertEqual((shown[0].x_px, shown[0].width_px), (0, 960))
        self.assertTrue(960 <= shown[1].x_px < 964 and shown[1].width_px > 950, shown[1])
        self.assertEqual((left.place, right.input), (None, ""))

    def test_touch_marks_are_the_devices_own(self):
        self.assertEqual(self.post("touches").status_code, 409)
        self.rig.plan = replace(self.rig.plan, inputs=propose(DeviceKind.PHONE).inputs)
        self.rig.save()
        self.assertContains(self.page(), "by the device")
        self.assertContains(self.post("touches"), "show</button>")
        self.rig.refresh_from_db()
        self.assertFalse(self.rig.plan.picture.device.touches)

    def test_captions_clocks_and_images_are_laid_over(self):
        self.post("lay-over", do="caption", text="Bed 4")
        self.post("lay-over", do="clock")
        image = BytesIO()
        Image.new("RGBA", (64, 40), (200, 30, 30, 128)).save(image, "PNG")
        answer = self.post("lay-over", image=SimpleUploadedFile("badge.png", image.getvalue()))
        self.assertContains(answer, "badge.png")
        _, caption, clock, badge = self.frame.arrangements[0].pieces
        self.assertEqual((caption.overlay.text, clock.overlay.face), ("Bed 4", Face.TIMECODE))
        self.assertEqual((badge.place.width_px, badge.place.height_px), (64, 40))
        self.assertTrue((settings.HOME.images / badge.overlay.name).is_file())
        self.assertEqual({path.suffix for path in settings.HOME.images.iterdir()}, {".png"})
        fields = {"text": "Bed 4, north\nlate", "font": "sometype-mono", "size_px": "48", "colour": "#FFD400"}
        fields |= {"x": "40", "y": "60", "opacity": "80", "key": "b", "grounded": "on", "ground": "#102030"}
        self.post("piece", "?piece=1", **fields)
        changed = self.frame.arrangements[0].pieces[1]
        self.assertEqual(changed.overlay.lettering.colour, "#ffd400")
        self.assertEqual((changed.overlay.lettering.ground, changed.key, changed.opacity), ("#102030", "b", 80))
        self.assertGreater(changed.place.height_px, 1.8 * caption.place.height_px, "two lines, and larger")
        before = self.frame
        for wrong in ({"colour": "red"}, {"size_px": "9999"}, {"key": "x"}, {"font": "other"}, {"text": ""}):
            with self.subTest(**wrong):
                self.assertEqual(self.post("piece", "?piece=1", **fields | wrong).status_code, 422)
        for data in (b"", b"no picture", image.getvalue()[:60], b"\x89PNG" + b"0" * 3_000_000):
            with self.subTest(size=len(data)):
                refused = self.post("lay-over", image=SimpleUploadedFile("badge.png", data))
                self.assertEqual(refused.status_code, 409)
        self.assertEqual(self.frame, before)

    def test_an_uploaded_image_is_removed_when_nothing_can_show_it_any_more(self):
        image, sample = BytesIO(), settings.HOME.cache / f"sample-{self.rig.pk}.mkv"
        Image.new("RGB", (64, 40), (30, 200, 30)).save(image, "PNG")
        self.post("lay-over", image=SimpleUploadedFile("badge.png", image.getvalue()))
        kept = settings.HOME.images / self.frame.arrangements[0].pieces[-1].overlay.name
        young = settings.HOME.images / "0123456789abcdef.png"
        for path in (kept, young, sample):
            path.parent.mkdir(parents=True, exist_ok=True)
            path.touch()
        os.utime(kept, (0, 0))
        remove_unused_images()
        self.undo()
        remove_unused_images()
        self.assertTrue(kept.exists(), "Redo shows it again")
        self.rig.refresh_from_db()
        actions.delete(self.rig, None)
        self.assertEqual([path.exists() for path in (kept, young, sample)], [False, True, False])

    def test_a_stroke_that_can_not_be_drawn_is_refused(self):
        line = '{"points": [[1, 2], [30, 40]], "width_px": 6, "colour": "#ffd400"}'
        self.assertEqual(self.post("draw", do="add", stroke=line).status_code, 503, "no recorder")
        wrong = ("", "{", "[]", line.replace("6", "900"), line.replace("#ffd400", "red"), line.replace("30", "99999"))
        for stroke in wrong:
            with self.subTest(stroke):
                self.assertEqual(self.post("draw", do="add", stroke=stroke).status_code, 409)
        self.assertEqual(self.post("draw", do="dance").status_code, 409)
        self.assertEqual(self.post("toggle", key="c").status_code, 503)

    def undo(self, **fields):
        return self.client.post(reverse("stages:undo", args=[self.rig.pk, "frame"]), fields, headers=HTMX)

    def test_only_what_was_touched_of_a_piece_is_changed(self):
        self.assertEqual(self.post("piece", touched="crop_left", crop_left="120").status_code, 200)
        self.assertEqual(self.post("piece", touched=["turn", "mirrored"], turn="90", mirrored="on").status_code, 200)
        (piece,) = self.frame.arrangements[0].pieces
        self.assertEqual((piece.crop.left_px, piece.crop.right_px, piece.turn, piece.mirrored), (120, 0, "90", True))

    def test_changes_are_taken_back_and_done_again(self):
        frames = [self.frame]
        for left in range(3):
            self.post("piece", **PIECE | {"crop_left": str(left)})
            frames.append(self.frame)
        for frame in reversed(frames[:-1]):
            self.undo()
            self.assertEqual(self.frame, frame)
        self.assertEqual(self.undo().status_code, 409)
        for frame in frames[1:]:
            self.undo(again="1")
            self.assertEqual(self.frame, frame)
        self.undo()
        self.post("piece", **PIECE | {"crop_left": "77"})
        self.assertEqual(self.undo(again="1").status_code, 409, "a new change ends what could be done again")
        for left in range(MAX_UNDO + 5):
            self.post("piece", **PIECE | {"crop_left": str(left)})
        self.assertEqual(Rig.objects.get().edits.count(), MAX_UNDO)

    def test_the_16_9_part_of_a_square_picture_is_proposed(self):
        self.assertContains(self.page(), "Keep the 16:9 part")
        self.post("take-advice", advice="part")
        self.assertEqual(self.frame.mode.size_label, "960×540")
        self.assertNotContains(self.page(), "Keep the 16:9 part")
        self.assertEqual(self.post("take-advice", advice="part").status_code, 409)
        edits.fit_frame(Rig.objects.get(), None)
        self.assertEqual(self.frame.mode.size_label, "960×1000")

    def test_without_a_recorder_nothing_is_looked_for_or_shown(self):
        self.assertEqual(self.post("find-bars").status_code, 503)
        self.assertEqual(self.post("show", "?arrangement=0").status_code, 200)
