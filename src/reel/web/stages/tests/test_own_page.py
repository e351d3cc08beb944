"""The File page of a device that records by itself: what the device can set, and nothing else."""

from datetime import timedelta

from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from reel.core.line import DEVICES, Connector, DeviceKind, HopSetup, file_plan, propose, signal_chain
from reel.core.line.own_settings import OwnShape, OwnSound
from reel.core.line.tests.rigs import with_picture
from reel.web.rigs.actions import make_rig
from reel.web.rigs.models import Rig
from reel.web.takes.actions import begin
from reel.web.takes.models import Take

HTMX = {"HX-Request": "true"}


def on_device(kind=DeviceKind.PHONE, out=Connector.STORAGE, hop="own-recorder", **device):
    return with_picture(propose(kind), device={"out": out, **device}, path=(HopSetup(model=hop),))


class OwnPageTests(TestCase):
    def setUp(self):
        self.rig = make_rig("Pocket", on_device())
        self.address = reverse("stages:stage", args=[self.rig.pk, "file"])

    def post(self, **fields):
        return self.client.post(self.address, fields | {"touched": list(fields)}, headers=HTMX)

    @property
    def own(self):
        return Rig.objects.get(pk=self.rig.pk).plan.picture.own

    def test_it_holds_what_the_phone_can_set_and_nothing_else(self):
        page = self.client.get(self.address)
        for text in ("720×1560, the screen", "590×1280", "HEVC", "its microphone", "10 min"):
            self.assertContains(page, text)
        for text in ("Rate control", "Encoder speed", "Chroma and bit depth", "Start from", "Save as recipe"):
            self.assertNotContains(page, text)
        self.assertContains(page, "Room for")

    def test_what_is_set_is_what_is_asked_of_the_file(self):
        self.assertEqual(self.post(shape="wide", sound="both", limit_s="60", again="on").status_code, 200)
        own = self.own
        self.assertEqual((own.shape, own.sound, own.limit_s, own.again), (OwnShape.WIDE, OwnSound.BOTH, 60, True))
        plan = file_plan(Rig.objects.get(pk=self.rig.pk).plan)
        self.assertEqual((plan.frame.key, len(plan.tracks)), ("720x1280p30", 2))
        self.assertContains(
            self.client.get(reverse("stages:stage", args=[self.rig.pk, "sound"])),
            "its own and its microphone, a track each",
        )
        self.post(limit_s="0")
        self.assertFalse(self.own.again, "without a limit there is nothing after which to begin again")
        self.client.post(reverse("stages:undo", args=[self.rig.pk, "file"]))
        self.assertEqual(self.own.limit_s, 60)

    def test_what_does_not_go_together_is_refused_and_nothing_is_lost(self):
        self.rig = make_rig("Quick pocket", on_device(mode=DEVICES[DeviceKind.PHONE].facts.modes[1]))
        self.address = reverse("stages:stage", args=[self.rig.pk, "file"])
        self.post(per_s="60")
        refused = self.post(codec="hevc")
        self.assertContains(refused, "keeps up with 31 a second", status_code=422)
        self.assertContains(refused, "It is still set to", status_code=422)
        self.assertEqual(self.own.codec, "h264")
        for wrong in ({"per_s": "999"}, {"per_s": "9" * 5000}, {"longer_px": "-1"}, {"sound": "all"}, {"limit_s": "x"}):
            self.assertEqual(self.post(**wrong).status_code, 422)

    def test_every_stage_and_every_device_that_records_by_itself_has_its_page(self):
        rigs = [make_rig(kind, on_device(kind)) for kind in (DeviceKind.TABLET, DeviceKind.HEADSET)]
        rigs.append(make_rig("Paired", on_device(DeviceKind.HEADSET, Connector.PAIRED, "developer-link")))
        for rig in rigs:
            for stage in ("device", "path", "arrival", "frame", "sound", "file", "roll"):
                self.assertEqual(self.client.get(reverse("stages:stage", args=[rig.pk, stage])).status_code, 200)
        page = self.client.get(reverse("stages:stage", args=[rigs[-1].pk, "file"]))
        self.assertContains(page, "1 min, fixed")
        self.assertContains(page, "comes over by itself")

    def test_the_steps_of_its_pairing_are_ticked_by_hand_where_nobody_can_notice_them(self):
        roll = reverse("stages:stage", args=[self.rig.pk, "roll"])
        page = self.client.get(roll)
        self.assertContains(page, "Let its recorder record the screen")
        self.assertContains(page, "The app forbids capture")
        key = "pairing-0-record-screen"
        done = self.client.post(reverse("stages:tick", args=[self.rig.pk]), {"key": key, "pairing": "1"}, headers=HTMX)
        self.assertContains(done, 'aria-pressed="true"', count=1)
        self.assertContains(self.client.get(roll), f'value="{key}"><input type="hidden" name="was"')

    def test_a_series_says_what_is_missing_between(self):
        setup, began = on_device(), timezone.now()
        self.assertTrue(signal_chain(setup.picture).is_remote)
        one = begin(rig_id=None, rig_name="Pocket", name="Pocket 001", file_name="a.mp4", setup=setup, started_at=began)
        Take.objects.filter(pk=one.pk).update(length_ms=60_000)
        two = begin(
            rig_id=None, rig_name="Pocket", name="Pocket 002", file_name="b.mp4", setup=setup,
            started_at=began + timedelta(seconds=61.5), follows=one,
        )  # fmt: skip
        self.assertContains(self.client.get(two.get_absolute_url()), "the 1.5 s between them are in neither")
        self.assertContains(self.client.get(one.get_absolute_url()), "It goes on in")
