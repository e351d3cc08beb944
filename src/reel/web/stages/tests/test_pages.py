import io
import os
from dataclasses import replace
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from reel.core.file import Recipe
from reel.core.frame import FrameSetup, Scaler
from reel.core.line import DeviceKind, Turn, propose, write_rig
from reel.core.line.tests.rigs import feed
from reel.core.measure import AlarmKind, Condition, alarms
from reel.core.signal import Mode, Signal
from reel.standins.scenario import Fault, Scenario, Shows
from reel.web.rigs.actions import import_rig, make_rig
from reel.web.rigs.models import Rig
from reel.web.stages.forms.file import RecipeForm
from reel.web.takes.actions import begin

FRAME = Mode.parse("1280x720p30")
CONSOLE = replace(propose(DeviceKind.CONSOLE), frame=FrameSetup(mode=FRAME))
FRAMING = {"size": "1280×720", "rate": "30", "timing": "fixed", "scaler": "bicubic", "ground": "#000000"}
DEVICE = {
    "name": "Console", "mode": "1920x1080p60", "out": "hdmi", "pixels": "yuv444p", "matrix": "709", "range": "limited",
}  # fmt: skip
FILE = {
    "container": "mkv", "codec": "h264", "rate": "quality", "number": "20", "effort": "fast", "samples": "4:2:0 8-bit",
    "matrix": "709", "range": "limited", "bitrate_mbps": "12", "max_mbps": "20", "keyframe_s": "2",
    "sound_codec": "aac", "sound_kbps": "192", "sound_rate_hz": "48000", "sound_channels": "2", "sound_files": "none",
    "tune": "", "level": "", "lookahead": "", "b_frames": "", "name_pattern": "{rig}_{number}",
}  # fmt: skip
MAY_BE_EMPTY = (
    "number", "bitrate_mbps", "max_mbps", "tune", "level", "lookahead", "b_frames", "samples", "sound_kbps",
    "keyframe_s",
)  # fmt: skip
HTMX = {"HX-Request": "true"}
HOSTILE = ("NaN", "1e309", "-0", str(2**63), "inf", "<b>", "\x00", "", "'; drop table", "9" * 10_000)


class StageTests(TestCase):
    def setUp(self):
        self.rig = make_rig("Moss & Stone <i>", CONSOLE)

    def address(self, stage):
        return reverse("stages:stage", args=[self.rig.pk, stage])

    def test_every_stage_answers_without_a_recorder_and_escapes_the_name(self):
        for stage in ("device", "path", "arrival", "frame", "sound", "file", "roll"):
            response = self.client.get(self.address(stage))
            self.assertContains(response, "Moss &amp; Stone &lt;i&gt;")
            self.assertContains(response, "The recorder does not answer")
        self.assertEqual(self.client.get(self.address("elsewhere")).status_code, 404)

    def test_device_is_kept(self):
        response = self.client.post(self.address("device"), DEVICE)
        self.assertRedirects(response, self.address("device"))
        device = Rig.objects.get().plan.picture.device
        self.assertEqual((device.mode.label, device.protected), ("1080p 60", False))

    def test_how_it_is_simulated_is_kept_apart(self):
        scenario = reverse("stages:scenario", args=[self.rig.pk])
        fields = {"shows": "bars", "drift_ppm": "12.5", "lag_ms": "40", "fault": "pulled", "from_s": "3"}
        before = Rig.objects.get().setup
        self.assertRedirects(self.client.post(scenario, fields), self.address("device"))
        wanted = Scenario(shows=Shows.BARS, drift_ppm=12.5, lag_ms=40, fault=Fault.PULLED, from_s=3)
        self.assertEqual((Rig.objects.get().scenarios, Rig.objects.get().setup), ((wanted,), before))
        for field, values in (
            ("drift_ppm", HOSTILE),
            ("from_s", HOSTILE),
            ("lag_ms", HOSTILE),
            ("fault", ("minimised", "<b>")),
        ):
            for value in values:
                if value not in ("-0", "") or (field == "from_s" and value == ""):
                    refused = self.client.post(scenario, fields | {field: value})
                    self.assertContains(refused, "Simulated: how it behaves", status_code=422)
        self.assertEqual(Rig.objects.get().scenarios, (wanted,))
        net = make_rig("Feed", feed("leaf.mp4"))
        page = self.client.get(reverse("stages:stage", args=[net.pk, "device"]))
        self.assertNotContains(page, "Simulated")

    def test_a_rig_that_can_not_be_read_is_shown_as_such(self):
        Rig.objects.filter(pk=self.rig.pk).update(setup={"version": 9})
        make_rig("Whole", CONSOLE)
        page = self.client.get(reverse("rigs:index"))
        self.assertContains(page, "be read")
        self.assertContains(page, "Whole")
        listed = io.StringIO()
        call_command("list_rigs", stdout=listed)
        self.assertRegex(listed.getvalue(), r"can't be read(.|\n)*Whole")
        self.assertEqual(self.client.get(self.address("device")).status_code, 409)
        self.client.post(reverse("rigs:delete", args=[self.rig.pk]))
        self.assertEqual(Rig.objects.count(), 1)

    def test_a_rig_that_records_as_it_is_sent_says_what_that_leaves_out(self):
        rig = make_rig("Far", feed("tcp://127.0.0.1:9999", recipe=Recipe(as_sent=True)))
        self.assertContains(self.client.get(reverse("rigs:index")), "Far")
        for stage, is_said in (("arrival", True), ("frame", True), ("sound", True), ("device", False), ("file", False)):
            page = self.client.get(reverse("stages:stage", args=[rig.pk, stage]))
            self.assertEqual("nothing of this page is in the file" in page.content.decode(), is_said, stage)
        self.assertContains(page, "MP4: picture and sound as they are sent.")
        self.assertContains(page, "A take measures it.")
        self.assertNotContains(page, "Encoding speed")

    def test_file_is_kept(self):
        self.client.post(
            self.address("file"), FILE | {"rate": "bitrate", "keyframe_s": "0.5", "sound_rate_hz": "96000"}
        )
        recipe = Rig.objects.get().plan.recipe
        self.assertEqual((recipe.sound_rate_hz, float(recipe.keyframe_s), recipe.label), (96_000, 0.5, "H.264 12 Mb/s"))

    def test_the_frame_is_kept_apart_from_what_arrives(self):
        wanted = {"size": "1080 x 1920", "rate": "30000/1001", "scaler": "lanczos", "ground": "#1F2A24"}
        self.assertRedirects(self.client.post(self.address("frame"), FRAMING | wanted), self.address("frame"))
        frame = Rig.objects.get().plan.frame
        self.assertEqual((frame.mode.key, frame.scaler), ("1080x1920p30000/1001", Scaler.LANCZOS))
        self.assertEqual(frame.ground, "#1f2a24")
        for field, values in (
            ("size", (*HOSTILE, "1281x720", "4098x2304", "32x32", "4096x4096")),
            ("rate", HOSTILE),
            ("ground", (*HOSTILE, "black")),
        ):
            for value in values:
                with self.subTest(field, value=value[:20]):
                    refused = self.client.post(self.address("frame"), FRAMING | {field: value})
                    self.assertEqual(refused.status_code, 422)
        self.assertEqual(Rig.objects.get().plan.frame, frame)

    def test_refused_values_change_nothing_and_keep_what_was_typed(self):
        before = Rig.objects.get().setup
        for field in FILE:
            for value in HOSTILE:
                if (value == "" and field in MAY_BE_EMPTY) or (value == "-0" and field in ("lookahead", "b_frames")):
                    continue
                with self.subTest(field=field, value=value[:20]):
                    form = RecipeForm(FILE | {field: value}, recipe=CONSOLE.recipe, setup=CONSOLE)
                    self.assertFalse(form.is_valid())
            self.assertEqual(self.client.post(self.address("file"), FILE | {field: "<b>"}).status_code, 422, field)
            self.assertEqual(Rig.objects.get().setup, before)
        response = self.client.post(
            self.address("file"), FILE | {"bitrate_mbps": "77000", "max_mbps": "3.5", "rate": "variable"}
        )
        self.assertContains(response, 'value="77000"', status_code=422)
        self.assertContains(response, 'value="3.5"', status_code=422)
        for value in HOSTILE:
            response = self.client.post(self.address("device"), DEVICE | {"mode": value})
            self.assertEqual(response.status_code, 422, value[:20])
        self.assertEqual(Rig.objects.get().setup, before)

    def store(self, **fields):
        return self.client.post(self.address("file"), fields, headers=HTMX)

    def touch(self, stage="file", **fields):
        """Store what a page sends where some fields were touched."""
        return self.client.post(self.address(stage), fields | {"touched": list(fields)}, headers=HTMX)

    def test_cost_follows_what_is_stored(self):
        response = self.store(**FILE | {"rate": "bitrate"})
        self.assertContains(response, "91.4 MB")  # (12 000 + 192) kb/s for a minute
        response = self.store(**FILE | {"rate": "variable", "bitrate_mbps": "", "max_mbps": ""})
        for usual in ("12", "24"):
            self.assertContains(response, f'value="{usual}"')  # what was left empty is what is usual, and is seen
        response = self.store(**FILE | {"rate": "bitrate", "bitrate_mbps": "NaN"})
        self.assertContains(response, "Not stored", status_code=422)
        self.assertContains(response, "The rig is still set to H.264", status_code=422)

    def test_a_refused_pair_says_why_and_offers_what_works(self):
        before = Rig.objects.get().setup
        asked = FILE | {"container": "mp4", "codec": "ffv1", "was_codec": "h264"}
        looked = self.store(**asked)
        self.assertContains(looked, "FFV1 also changes: rate control lossless", status_code=422)
        self.assertContains(looked, "hardly any program opens it there", status_code=422)
        self.assertContains(looked, "Take container MKV", status_code=422)
        for wrong, said in (
            ({"codec": "prores", "container": "webm", "was_codec": "prores"}, "it holds VP9 and AV1"),
            ({"sound_codec": "pcm24", "container": "ts"}, "Sound in MPEG-TS"),
            ({"codec": "h264", "number": "0"}, "lossless is a rate control of its own"),
            ({"level": "1"}, "H.264 needs 3.1 for this"),
            ({"effort": "placebo"}, "H.264 has ultrafast"),
            ({"codec": "mpeg2", "rate": "quantiser", "effort": "", "lookahead": "9"}, "MPEG-2 takes none"),
        ):
            with self.subTest(**wrong):
                self.assertContains(self.store(**FILE | wrong), said, status_code=422)
                self.assertEqual(Rig.objects.get().setup, before, "nothing is changed silently")
        taken = self.store(**asked | {"was_codec": "ffv1", "take": "0"})
        self.assertNotContains(taken, "hardly any program")
        self.assertRegex(taken.content.decode(), r'<option value="mkv" selected>')
        self.assertEqual(Rig.objects.get().plan.recipe.label, "FFV1 lossless")
        self.store(
            **FILE | {"codec": "av1", "effort": "10", "number": "40", "container": "webm", "sound_codec": "opus"}
        )
        self.assertEqual(Rig.objects.get().plan.recipe.label, "AV1 CRF 40")
        self.assertContains(self.touch(container="mp4", codec="hevc"), "HEVC also changes")
        self.assertEqual(Rig.objects.get().plan.recipe.codec, "hevc")

    def test_more_is_open_where_something_of_it_is_not_usual(self):
        page = self.client.get(self.address("file")).content.decode()
        self.assertRegex(page, r'id="file-more">')
        page = self.touch(part_minutes="30").content.decode()
        self.assertRegex(page, r'id="file-more" open>')
        self.assertIn("New part after 30 min", page)
        self.assertContains(self.touch(samples="4:2:2 8-bit"), "Few phones and browsers play 4:2:2 8-bit H.264.")

    def test_new_rigs(self):
        for name in ("x" * 61, "Moss & Stone <i>", "a\x07b", "right\u202eleft"):
            response = self.client.post(reverse("rigs:new"), {"name": name, "kind": "console"})
            self.assertEqual(response.status_code, 422, name)
        self.assertEqual(
            self.client.post(reverse("rigs:new"), {"name": "a", "kind": "feed", "feed": "../x"}).status_code, 422
        )
        self.assertEqual(
            self.client.post(reverse("rigs:new"), {"name": "a", "kind": "feed", "feed": ""}).status_code, 422
        )
        self.assertEqual(self.client.post(reverse("rigs:new"), {"name": "Second", "kind": "console"}).status_code, 302)
        self.assertEqual(Rig.objects.count(), 2)

    def test_a_rig_is_renamed_and_no_two_are_called_alike(self):
        address, other = reverse("rigs:rename", args=[self.rig.pk]), make_rig("Leafkey", self.rig.plan)
        for name in (other.name, "", "x" * 61, "a\nb"):
            with self.subTest(name):
                self.assertEqual(self.client.post(address, {"name": name}).status_code, 422)
        self.assertRedirects(self.client.post(address, {"name": " Pollen Atlas "}), reverse("rigs:index"))
        self.assertEqual(Rig.objects.get(pk=self.rig.pk).name, "Pollen Atlas")
        self.assertEqual(self.client.post(address, {"name": "Pollen Atlas"}).status_code, 302)

    def test_the_list_has_a_fixed_number_of_queries(self):
        for number in range(12):
            make_rig(f"Rig {number}", CONSOLE)
        with self.assertNumQueries(1):
            self.client.get(reverse("rigs:index"))

    def test_pages_are_closed_to_others(self):
        response = self.client.get(reverse("rigs:index"))
        policy = response["Content-Security-Policy"]
        self.assertIn("default-src 'none'", policy)
        self.assertIn("script-src 'self'", policy)
        self.assertNotIn("unsafe", policy)
        self.assertNotRegex(response.content.decode(), r"<script(?![^>]*(src=|application/json))|\son\w+=|style=")
        self.assertEqual(self.client.get(reverse("rigs:index"), headers={"host": "evil.example"}).status_code, 400)
        strict = type(self.client)(enforce_csrf_checks=True)
        for address in (self.address("device"), reverse("roll:cut"), reverse("roll:start", args=[self.rig.pk])):
            response = strict.post(address, DEVICE)
            self.assertContains(response, "token is missing", status_code=403)
        for address in (reverse("roll:cut"), reverse("roll:hold"), reverse("roll:start", args=[self.rig.pk])):
            self.assertEqual(self.client.get(address).status_code, 405)

    def test_an_alarm_is_mended_by_its_button(self):
        phone = make_rig("Leafkey", propose(DeviceKind.PHONE))
        (found,) = alarms(
            phone.plan.picture,
            Condition(
                first=Signal(mode=Mode.parse("720x1560p30")),
                signal=Signal(mode=Mode.parse("1560x720p30")),
                changed_s=1.0,
            ),
        )
        self.assertEqual((found.kind, found.mends), (AlarmKind.TURNED, "Keep the frame upright"))
        self.client.post(reverse("stages:mend", args=[phone.pk, "roll"]), {"remedy": found.remedy})
        self.assertEqual(Rig.objects.get(pk=phone.pk).plan.picture.arrival.turn, Turn.UPRIGHT)
        response = self.client.post(reverse("stages:mend", args=[phone.pk, "roll"]), {"remedy": found.remedy})
        self.assertContains(response, "no longer needed", status_code=409)

    def test_only_our_own_pages_may_ask(self):
        rig, ours = self.address("device"), "http://testserver"
        for address, headers, status in (
            (rig, {"sec-fetch-site": "same-origin"}, 200),
            (rig, {"sec-fetch-site": "none", "sec-fetch-mode": "navigate"}, 200),
            (rig, {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate"}, 200),  # a link to a page
            (rig, {"sec-fetch-site": "cross-site", "sec-fetch-mode": "no-cors"}, 403),
            (rig, {"sec-fetch-site": "same-site", "sec-fetch-mode": "cors"}, 403),  # another port of this machine
            (rig, {"origin": "https://evil.example"}, 403),
            ("/static/reel/app.css", {"host": "evil.example"}, 400),
            (rig, {"origin": ours}, 200),
        ):
            with self.subTest(address, **headers):
                response = self.client.get(address, headers=headers)
                self.assertEqual(response.status_code, status)
                self.assertEqual(response["Cross-Origin-Resource-Policy"], "same-origin")
        refused = self.client.post(reverse("roll:cut"), headers={"origin": "https://evil.example"})
        self.assertEqual(refused.status_code, 403)

    def test_an_imported_feed_from_the_network_asks_first(self):
        content = write_rig("Far camera", feed("rtsp://camera.invalid:554/garden"))
        rig = import_rig(content)
        self.assertFalse(rig.is_asked)
        page = reverse("stages:stage", args=[rig.pk, "roll"])
        self.assertContains(self.client.get(page), "came from a file")
        response = self.client.post(reverse("roll:start", args=[rig.pk]))
        self.assertContains(response, "Allow that under Device", status_code=409)
        self.client.post(reverse("rigs:allow", args=[rig.pk]))
        self.assertTrue(Rig.objects.get(pk=rig.pk).is_asked)
        self.assertTrue(import_rig(write_rig("Console", CONSOLE)).is_asked)

    def test_files_of_any_name_in_the_feeds_folder(self):
        odd = os.fsencode(settings.HOME.feeds) + b"/\xff\xfe.mp4"
        Path(os.fsdecode(odd)).write_bytes(b"x")
        self.addCleanup(os.unlink, odd)
        for address in (reverse("rigs:new"), reverse("rigs:proposal") + "?kind=feed"):
            self.assertEqual(self.client.get(address).status_code, 200)
        for name, content in (("cut.mkv", b"\x1a\x45\xdf\xa3" * 9), ("bare.h264", bytes(range(256)) * 9)):
            path = settings.HOME.feeds / name
            path.write_bytes(content)
            self.addCleanup(path.unlink)
            response = self.client.post(
                reverse("rigs:new"), {"name": name, "kind": "feed", "feed": name, "address": ""}
            )
            self.assertContains(response, name, status_code=422)

    def test_a_rig_that_rolls_is_left_alone_also_while_the_recorder_is_busy(self):
        begin(
            rig_id=self.rig.pk, rig_name="x", name="x 001", file_name="x.rolling.mkv", setup=CONSOLE,
            started_at=timezone.now(),
        )  # fmt: skip
        for stage, fields in (("device", DEVICE), ("file", FILE)):
            response = self.client.post(self.address(stage), fields)
            self.assertContains(response, "is rolling", status_code=409)
        response = self.client.post(reverse("rigs:delete", args=[self.rig.pk]))
        self.assertContains(response, "is rolling", status_code=409)

    def test_hostile_requests_change_nothing(self):
        before = Rig.objects.values_list("name", "setup").get()
        huge = self.client.post(self.address("file"), FILE | {"name_pattern": "x" * 2_000_000})
        many = self.client.post(self.address("file"), {f"f{n}": "1" for n in range(2_000)})
        for response in (huge, many):
            self.assertContains(response, "Nothing was changed", status_code=400)
        for name in ("../../etc", "x" * 10_000, "a\u202eb", "\x1b[31m", "<script>", "a\nb"):
            self.client.post(reverse("rigs:new"), {"name": name, "kind": "feed", "feed": name, "address": name})
            self.client.post(self.address("device"), DEVICE | {"mode": name, "name": name})
            response = self.client.post(reverse("roll:mark"), {"label": name})
            self.assertIn(response.status_code, (409, 503))
        for address in (
            "file:///etc/passwd",
            "concat:a|b",
            "gopher://x",
            "http://a b/",
            "tcp://h:1?x",
            "rtmp://" + "x" * 500,
        ):
            response = self.client.post(
                reverse("rigs:new"), {"name": "f", "kind": "feed", "feed": "", "address": address}
            )
            self.assertEqual(response.status_code, 422, address)
        for path in (
            f"/rigs/{2**63}/device/",
            "/rigs/-1/device/",
            "/rigs/1e3/device/",
            "/rigs/1/../../etc/",
            "/rigs/NaN/",
        ):
            self.assertEqual(self.client.get(path).status_code, 404, path)
        for method in ("put", "delete", "patch"):
            self.assertEqual(getattr(self.client, method)(self.address("file")).status_code, 405)
        self.assertEqual(Rig.objects.values_list("name", "setup").get(), before)

    def test_a_feed_is_a_file_or_an_address(self):
        address = reverse("rigs:new")
        self.client.post(
            address, {"name": "Net", "kind": "feed", "feed": "", "address": "rtmp://127.0.0.1:1935/live/garden"}
        )
        rig = Rig.objects.get(name="Net")
        stage = reverse("stages:stage", args=[rig.pk, "device"])
        fields = {"feed": "", "loop": "on", "address": "rtmp://127.0.0.1:1936/live/garden", "listen": "on"}
        self.assertEqual(self.client.post(stage, fields).status_code, 302)
        origin = Rig.objects.get(name="Net").plan.picture.origin
        self.assertEqual((origin.address, origin.listen), (fields["address"], True))
        self.assertEqual(self.client.post(stage, fields | {"address": "tcp://127.0.0.1:1"}).status_code, 422)
        self.assertEqual(self.client.post(stage, fields | {"address": "garden"}).status_code, 422)

    def test_no_recorder_is_said_and_nothing_breaks(self):
        self.assertEqual(self.client.post(reverse("roll:mark"), {"label": "x"}).status_code, 409, "it names no take")
        response = self.client.post(reverse("roll:mark"), {"label": "x", "take": "7"})
        self.assertContains(response, "The recorder does not answer", status_code=503)
