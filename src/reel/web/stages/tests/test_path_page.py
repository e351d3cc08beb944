"""The Path page and what is done with a whole rig, through Django's client without a recorder."""

from dataclasses import replace
from pathlib import Path
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError, connections
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from reel.core.line import DEVICES, Connector, Deinterlace, DeviceKind, HopSetup, file_plan, propose, signal_chain
from reel.core.line.tests.rigs import with_picture
from reel.core.signal import Mode
from reel.recorder.journal import Rolled
from reel.recorder.messages import RefusedError
from reel.web.rigs import actions
from reel.web.rigs.actions import make_rig
from reel.web.rigs.models import Rig
from reel.web.roll.journal import DatabaseJournal
from reel.web.stages import edits
from reel.web.takes.actions import begin
from reel.web.takes.models import Take, TakeState

SLOW = with_picture(
    propose(DeviceKind.CONSOLE, {"hdmi-box"}, Mode.parse("1920x1080p60")),
    path=(HopSetup(model="hdmi-2.0"), HopSetup(model="hdmi-box"), HopSetup(model="usb-2")),
)
HTMX = {"HX-Request": "true"}


class PathPageTests(TestCase):
    def setUp(self):
        self.rig = make_rig("Moss & Stone", SLOW)

    def models(self):
        return [hop.model for hop in Rig.objects.get(pk=self.rig.pk).plan.picture.path]

    def change(self, **fields):
        return self.client.post(reverse("stages:change", args=[self.rig.pk]), fields, headers=HTMX)

    def test_rows_say_what_each_hop_carries_and_passes_on(self):
        response = self.client.get(reverse("stages:stage", args=[self.rig.pk, "path"]))
        for text in ("600 MHz", "1080p 60 NV12", "280 Mb/s", "1080p 30 MJPEG", "rate halved", "Use the USB 3 port"):
            self.assertContains(response, text)
        self.assertContains(response, "pass-through")

    def test_a_change_gives_the_rows_and_the_line_at_once(self):
        response = self.change(do="swap", place="2", model="usb-3")
        self.assertEqual(self.models(), ["hdmi-2.0", "hdmi-box", "usb-3"])
        self.assertNotContains(response, "rate halved")
        self.assertContains(response, 'id="line" hx-swap-oob="true"')
        self.change(do="add", place="1", model="splitter-60")
        self.change(do="down", place="1")
        self.assertEqual(self.models(), ["hdmi-2.0", "hdmi-box", "splitter-60", "usb-3"])
        self.change(do="up", place="2")
        self.change(do="remove", place="1")
        self.assertEqual(self.models(), ["hdmi-2.0", "hdmi-box", "usb-3"])

    def test_what_cannot_be_is_refused_in_a_sentence_and_changes_nothing(self):
        before = self.models()
        for fields in (
            {"do": "swap", "place": "9", "model": "usb-3"},
            {"do": "swap", "place": "-1", "model": "usb-3"},
            {"do": "swap", "place": "1e9", "model": "usb-3"},
            {"do": "swap", "place": "2", "model": "<script>"},
            {"do": "add", "place": "0"},
            {"do": "option", "place": "1", "option": "8K"},
            {"do": "explode", "place": "0"},
            {},
        ):
            with self.subTest(fields):
                response = self.change(**fields)
                self.assertEqual(response.status_code, 409)
                self.assertNotIn(b"<script>", response.content)
        for _ in range(20):
            self.change(do="add", place="0", model="splitter-120")
        self.assertEqual(len(self.models()), 12)
        self.assertEqual(self.models()[-3:], before)

    def test_a_remedy_does_what_its_button_says_once(self):
        address = reverse("stages:mend", args=[self.rig.pk, "path"])
        response = self.client.post(address, {"remedy": "hop 2 usb-3"}, headers=HTMX)
        self.assertNotContains(response, "rate halved")
        again = self.client.post(address, {"remedy": "hop 2 usb-3"}, headers=HTMX)
        self.assertContains(again, "no longer needed", status_code=409)
        self.assertEqual(self.models(), ["hdmi-2.0", "hdmi-box", "usb-3"])

    def test_protection_is_explained_and_not_removed(self):
        protected = replace(SLOW.picture.device, protected=True)
        edits.set_device(self.rig, 0, (protected, SLOW.picture.origin), None)
        response = self.client.get(reverse("stages:stage", args=[self.rig.pk, "path"]))
        self.assertContains(response, "Reel does not take protection off")
        self.assertContains(response, "Set it for gameplay: protection off")
        self.assertContains(response, "Record its component output")
        self.assertContains(self.client.get(reverse("rigs:index")), "blocked: protected")

    def test_every_kind_has_its_pages(self):
        for kind in DeviceKind:
            if not DEVICES[kind].facts.ways_out:
                continue
            rig = make_rig(kind.value, propose(kind))
            for stage in ("device", "path", "arrival", "frame", "sound", "file", "roll"):
                response = self.client.get(reverse("stages:stage", args=[rig.pk, stage]))
                self.assertEqual(response.status_code, 200, (kind, stage))
            form = self.client.get(reverse("stages:stage", args=[rig.pk, "device"])).context["form"]
            data = {name: value for name, value in form.initial.items() if name in form.fields and value is not False}
            response = self.client.post(reverse("stages:stage", args=[rig.pk, "device"]), data)
            self.assertEqual(response.status_code, 302, (kind, response.context and response.context["form"].errors))
            rig.refresh_from_db()
            self.assertEqual(rig.plan, propose(kind), "what is shown, sent back, changes nothing")

    def test_another_way_out_lays_another_path(self):
        rig = make_rig("Tape", propose(DeviceKind.DECK, {"analogue-box"}))
        fields = {"name": "Tape deck", "mode": "720x480i30000/1001", "out": "s-video"}
        self.client.post(reverse("stages:stage", args=[rig.pk, "device"]), fields)
        rig.refresh_from_db()
        self.assertEqual((rig.plan.picture.device.out, rig.plan.picture.origin.device), (Connector.SVIDEO, "Tape deck"))
        self.assertEqual(rig.plan.picture.path[0].model, "s-video-cable")
        self.assertIsNone(signal_chain(rig.plan.picture).signal_path.block)

    def test_a_headset_may_record_by_itself(self):
        rig = make_rig("Canopy", propose(DeviceKind.HEADSET))
        fields = {"name": "Headset", "mode": "1920x1000p36", "out": "paired", "eye": "right"}
        self.client.post(reverse("stages:stage", args=[rig.pk, "device"]), fields)
        rig.refresh_from_db()
        self.assertEqual([hop.model for hop in rig.plan.picture.path], ["developer-link"])
        for stage in ("device", "frame", "sound"):
            page = self.client.get(reverse("stages:stage", args=[rig.pk, stage]))
            self.assertContains(page, "The headset records by itself")

    def test_arrival_is_kept(self):
        rig = make_rig("Tape", propose(DeviceKind.DECK, {"analogue-box"}))
        address = reverse("stages:stage", args=[rig.pk, "arrival"])
        fields = {"offer": "", "deinterlace": "pair", "matrix": "709", "range": "", "shape": "16/9"}
        self.assertRedirects(self.client.post(address, fields), address)
        rig.refresh_from_db()
        arrival = rig.plan.picture.arrival
        self.assertEqual(
            (arrival.deinterlace, arrival.matrix.value, str(arrival.shape)), (Deinterlace.PAIR, "709", "16/9")
        )
        for wrong in ({"deinterlace": "blend"}, {"offer": "9x9p1 raw"}, {"shape": "1/0"}, {"matrix": "NaN"}):
            self.assertEqual(self.client.post(address, fields | wrong).status_code, 422, wrong)

    def test_the_frame_follows_what_arrives(self):
        self.client.post(reverse("stages:fit-frame", args=[self.rig.pk]))
        self.assertEqual(Rig.objects.get().plan.frame.mode.key, "1920x1080p30")


class WholeRigTests(TestCase):
    def setUp(self):
        self.rig = make_rig("Moss & Stone", SLOW)

    def test_duplicates_get_names_of_their_own(self):
        for _ in range(3):
            self.client.post(reverse("rigs:duplicate", args=[self.rig.pk]))
        self.assertEqual(
            sorted(Rig.objects.values_list("name", flat=True)),
            ["Moss & Stone", "Moss & Stone copy", "Moss & Stone copy 2", "Moss & Stone copy 3"],
        )
        self.assertEqual({rig.plan for rig in Rig.objects.all()}, {SLOW})

    def test_export_delete_import(self):
        exported = self.client.get(reverse("rigs:export", args=[self.rig.pk]))
        self.assertIn('filename="moss-stone.rig.json"', exported["Content-Disposition"])
        asked = self.client.get(reverse("rigs:delete", args=[self.rig.pk]))
        self.assertContains(asked, "Delete Moss &amp; Stone?")
        self.client.post(reverse("rigs:delete", args=[self.rig.pk]))
        self.assertFalse(Rig.objects.exists())
        for name in ("Moss & Stone", "Moss & Stone 2"):
            self.client.post(reverse("rigs:import"), {"file": SimpleUploadedFile("rig.json", exported.content)})
            self.assertEqual(Rig.objects.get(name=name).plan, SLOW)

    def test_bad_files_are_refused_with_line_and_reason(self):
        for content, reason in (
            (b"{", "line 1"),
            (b'{\n"kind": "reel-rig",\n"version": 8}', "line 3: it has version 8"),
            (b"\xff" * 100, "line 1"),
            (b" " * 200_000, "at most 100000"),
            (b" " * 2_000_000, "none that is imported here has over 1000000"),
        ):
            sent = {"file": SimpleUploadedFile("rig.json", content)}
            response = self.client.post(reverse("rigs:import"), sent, follow=True)
            self.assertContains(response, reason)
        self.assertContains(self.client.post(reverse("rigs:import"), {}, follow=True), "No file was chosen")
        self.assertEqual(Rig.objects.count(), 1)

    def test_ticks_are_kept_and_taken_back(self):
        rig = make_rig("Canopy", propose(DeviceKind.HEADSET))
        address = reverse("stages:tick", args=[rig.pk])
        response = self.client.post(address, {"key": "eye"}, headers=HTMX)
        self.assertContains(response, 'aria-pressed="true"')
        self.assertEqual(Rig.objects.get(pk=rig.pk).ticked, ["eye"])
        self.client.post(address, {"key": "mirror"}, headers=HTMX)
        self.client.post(address, {"key": "eye", "was": "1"}, headers=HTMX)
        self.assertEqual(Rig.objects.get(pk=rig.pk).ticked, ["mirror"])

    def test_what_was_put_back_must_be_put_back_after_the_next_take(self):
        rig = make_rig("Leafkey", propose(DeviceKind.PHONE))
        for key in ("turn", "sleep-on"):
            edits.tick(rig, key, done=True)
        facts = {"rig_name": rig.name, "name": "Leafkey 001", "file_name": "leafkey.mkv", "setup": rig.plan}
        take = begin(rig_id=rig.pk, started_at=timezone.now(), **facts)
        actions.untick_put_back(rig.pk, rig.plan)
        self.assertEqual(Rig.objects.get(pk=rig.pk).ticked, ["turn"])
        put_back = reverse("stages:put-back", args=[rig.pk, take.pk])
        self.assertNotContains(self.client.get(reverse("takes:take", args=[take.pk])), put_back)
        take.state = TakeState.CLOSED
        take.save()
        self.assertContains(self.client.get(reverse("takes:take", args=[take.pk])), put_back)
        page = self.client.get(put_back)
        self.assertContains(page, "Sleep lock is on again")
        self.assertContains(page, 'aria-pressed="false"')
        Rig.objects.filter(pk=rig.pk).update(setup={"version": 99})  # of a newer Reel: the take's page lives on
        self.assertEqual(self.client.get(put_back).content, b"")

    def test_checks_that_cannot_be_stored_do_not_keep_a_take_from_beginning(self):
        rolled = Rolled(
            rig_id=self.rig.pk,
            rig_name=self.rig.name,
            setup=self.rig.plan,
            plan=file_plan(self.rig.plan),
            name="Moss & Stone 001",
            rolling=Path("moss.rolling.mkv"),
            started_at=timezone.now(),
        )
        with (
            mock.patch.object(actions, "untick_put_back", side_effect=OperationalError("database is locked")),
            mock.patch.object(connections, "close_all"),  # the test's own connection
            self.assertLogs("reel.web.roll.journal", "ERROR"),
        ):
            take_id = DatabaseJournal().rolled(rolled)
        self.assertEqual(Take.objects.get(pk=take_id).state, TakeState.ROLLING)

    def test_nothing_is_changed_while_it_rolls(self):
        class Rolling:
            @staticmethod
            def roll_of(*, rig_id):
                return rig_id == self.rig.pk or None

        for change in (
            lambda: edits.set_path(self.rig, 0, (), Rolling),
            lambda: actions.delete(self.rig, Rolling),
            lambda: edits.apply_remedy(self.rig, 0, "hop 2 usb-3", Rolling),
            lambda: edits.fit_frame(self.rig, Rolling),
        ):
            with self.assertRaises(RefusedError) as raised:
                change()
            self.assertIn("is rolling; cut it", str(raised.exception))
        self.assertEqual(Rig.objects.get().plan, SLOW)

    def test_new_rigs_are_proposed_from_what_is_at_hand(self):
        address = reverse("rigs:new")
        self.client.post(address, {"kind": "deck", "have": ["analogue-stick"], "name": "", "feed": "", "address": ""})
        self.assertEqual(Rig.objects.get(name="Tape deck").plan.picture.path[1].model, "analogue-stick")
        response = self.client.get(reverse("rigs:proposal"), {"kind": "console", "have": ["hdmi-stick"]})
        self.assertContains(response, "HDMI stick, 1080p 30 MJPEG")
        self.assertContains(response, "Wrong matrix")
        for kind in DeviceKind:
            self.assertEqual(self.client.get(reverse("rigs:proposal"), {"kind": kind.value}).status_code, 200)
        self.assertEqual(self.client.get(reverse("rigs:proposal"), {"kind": "<b>"}).status_code, 200)
        refused = self.client.post(address, {"kind": "toaster", "name": "x", "feed": "", "address": ""})
        self.assertEqual(refused.status_code, 422)
