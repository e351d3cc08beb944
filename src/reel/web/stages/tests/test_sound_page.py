"""The Sound page through Django's client: strips, tracks, inputs that come and go."""

from dataclasses import replace

from django.test import TestCase
from django.urls import reverse

from reel.core.frame import Arrangement, FrameSetup, Piece
from reel.core.line import DeviceKind, propose
from reel.core.signal import Mode
from reel.core.sound import MAX_TRACKS, Sides, SyncReading, TrackSetup
from reel.core.sound.setup import DELAY_MS
from reel.recorder.messages import InputStatus, RefusedError, RigStatus, Status, SyncStatus
from reel.web.rigs.actions import make_rig
from reel.web.rigs.models import Rig
from reel.web.stages import edits

HTMX = {"HX-Request": "true"}
STRIP = {"level_db": "-6", "delay_ms": "40", "sides": "mono", "tracks": ["1"]}
HOSTILE = ("NaN", "1e309", str(2**63), "inf", "<b>", "'; drop table", "9" * 10_000)


class SoundPageTests(TestCase):
    def setUp(self):
        self.rig = make_rig("Moss & Stone", propose(DeviceKind.CONSOLE, {"hdmi-box"}))

    @property
    def plan(self):
        return Rig.objects.get(pk=self.rig.pk).plan

    def post(self, name, fields=(), place=0, **more):
        address = reverse(f"stages:{name}", args=[self.rig.pk])
        return self.client.post(f"{address}?input={place}", dict(fields), headers=HTMX, **more)

    def add(self, kind):
        return self.client.post(reverse("stages:add-input", args=[self.rig.pk]), {"kind": kind})

    def test_one_click_records_a_microphone_on_a_track_of_its_own(self):
        page = self.client.get(reverse("stages:stage", args=[self.rig.pk, "sound"]))
        self.assertContains(page, "Record a microphone too")
        self.assertEqual(self.add("microphone").status_code, 302)
        plan = self.plan
        self.assertEqual([one.name for one in plan.inputs], ["Console", "Microphone"])
        self.assertEqual([one.sound.tracks for one in plan.inputs], [(1,), (2,)])
        self.assertEqual([track.name for track in plan.tracks], ["Console", "Microphone"])
        self.add("microphone")
        self.assertEqual(len({one.origin.identity for one in self.plan.inputs}), 3, "another microphone is another one")
        page = self.client.get(reverse("stages:stage", args=[self.rig.pk, "sound"]))
        self.assertNotContains(page, "Record a microphone too")
        for stage in ("device", "path", "arrival"):
            self.assertContains(
                self.client.get(reverse("stages:stage", args=[self.rig.pk, stage]) + "?input=1"), "Micro"
            )
        self.assertEqual(
            self.client.get(reverse("stages:stage", args=[self.rig.pk, "path"]) + "?input=7").status_code, 404
        )

    def test_where_all_tracks_are_taken_another_input_goes_on_the_last(self):
        one = self.plan.picture
        tracks = tuple(TrackSetup(name=f"Track {number}") for number in range(1, MAX_TRACKS + 1))
        full = replace(one, sound=replace(one.sound, tracks=tuple(range(1, MAX_TRACKS + 1))))
        edits.change(Rig.objects.get(pk=self.rig.pk), replace(self.plan, inputs=(full,), tracks=tracks), None)
        self.assertEqual(self.add("microphone").status_code, 302)
        self.assertEqual((len(self.plan.tracks), self.plan.inputs[1].sound.tracks), (MAX_TRACKS, (MAX_TRACKS,)))

    def test_a_page_that_saw_other_inputs_changes_none(self):
        """A double click on “take out”, and a window that is older than what another one did."""
        self.add("microphone")
        self.add("microphone")
        seen = self.client.get(reverse("stages:stage", args=[self.rig.pk, "sound"])).context["shape"]
        first, second = (self.post("remove-input", {"rig_shape": seen}, place=1) for _ in range(2))
        self.assertNotEqual(first.headers["X-Rig-Shape"], seen)
        self.assertContains(second, "changed in another window", status_code=409)
        self.assertEqual(len(self.plan.inputs), 2)
        late = self.post("strip", STRIP | {"rig_shape": seen}, place=1)
        self.assertEqual(late.status_code, 409)
        again = self.post("strip", STRIP | {"rig_shape": first.headers["X-Rig-Shape"]}, place=1)
        self.assertEqual(again.status_code, 200)
        self.assertEqual(again.headers["X-Rig-Shape"], first.headers["X-Rig-Shape"], "a level moves nothing")

    def test_a_strip_is_kept_and_what_is_wrong_changes_nothing(self):
        more = {"high_pass_hz": "80", "noise_db": "12", "limit_db": "-3", "tracks": ["1", "3"], "muted": "on"}
        answer = self.post("strip", STRIP | more)
        self.assertContains(answer, 'id="line"')
        sound = self.plan.picture.sound
        self.assertEqual((sound.level_db, sound.delay_ms, sound.sides, sound.tracks), (-6, 40, Sides.MONO, (1, 3)))
        self.assertEqual((sound.high_pass_hz, sound.noise_db, sound.limit_db, sound.muted), (80, 12, -3, True))
        self.assertEqual(len(self.plan.tracks), 3, "the tracks up to it are made")
        self.assertContains(answer, "high-pass 80 · noise −12 · limiter −3")
        before = self.plan
        for field in ("level_db", "delay_ms", "sides", "high_pass_hz", "noise_db", "limit_db", "tracks"):
            for value in (*HOSTILE, *(["7"] if field == "tracks" else ["-90000"])):
                refused = self.post("strip", STRIP | {field: value})
                with self.subTest(field, value=value[:20]):
                    self.assertEqual(refused.status_code, 422)
        self.assertEqual(self.plan, before)

    def test_tracks_are_named_and_taken_out_when_nothing_goes_to_them(self):
        self.add("microphone")
        self.post("tracks", {"track_1": "game", "track_2": "voice", "mix_first": "on"})
        self.assertEqual([track.name for track in self.plan.tracks], ["game", "voice"])
        self.assertTrue(self.plan.mix_first)
        for name in ("", "game", "GAME", "mix of all", "a\x07b", "x" * 41):
            with self.subTest(name):
                self.assertIn(self.post("tracks", {"track_1": "game", "track_2": name}).status_code, (409, 422))
        self.assertEqual(self.post("tracks", {"remove": "2"}).status_code, 409)
        self.post("strip", STRIP | {"tracks": ["1"]}, place=1)
        self.assertContains(self.post("tracks", {"track_1": "game", "track_2": "voice"}), "can't be separated")
        self.post("tracks", {"remove": "2"})
        self.assertEqual([track.name for track in self.plan.tracks], ["game"])
        self.assertEqual(self.post("tracks", {"remove": "x"}).status_code, 409)

    def test_an_input_that_is_taken_out_leaves_nothing_behind(self):
        self.add("camera")
        self.add("microphone")
        arranged = Arrangement(name="Both", pieces=(Piece(), Piece(input="Camera")))
        alone = Arrangement(name="Bench", pieces=(Piece(input="Camera"),))
        frame = FrameSetup(mode=Mode.parse("1280x720p30"), arrangements=(arranged, alone))
        edits.set_frame(Rig.objects.get(pk=self.rig.pk), frame, None)
        self.client.post(reverse("stages:rename-input", args=[self.rig.pk]) + "?input=1", {"name": "Bench camera"})
        self.assertEqual(self.plan.frame.arrangements[0].pieces[1].input, "Bench camera")
        for name in ("", "Console", "x" * 41):
            renaming = reverse("stages:rename-input", args=[self.rig.pk]) + "?input=1"
            self.assertEqual(self.client.post(renaming, {"name": name}).status_code, 409)
        self.client.post(reverse("stages:remove-input", args=[self.rig.pk]) + "?input=1")
        plan = self.plan
        self.assertEqual([one.name for one in plan.inputs], ["Console", "Microphone"])
        self.assertEqual([one.sound.tracks for one in plan.inputs], [(1,), (2,)], "its track goes, the next moves up")
        self.assertEqual([arrangement.pieces for arrangement in plan.frame.arrangements], [(Piece(),), (Piece(),)])
        first = reverse("stages:remove-input", args=[self.rig.pk])
        self.assertEqual(self.client.post(first).status_code, 409)
        for kind in ("feed", "toaster", ""):
            self.assertEqual(self.add(kind).status_code, 409)
        for _ in range(6):
            last = self.add("chat")
        self.assertEqual((len(self.plan.inputs), last.status_code), (6, 409))

    def test_balance_is_set_from_what_was_measured_only(self):
        with self.assertRaises(RefusedError):
            edits.balance(self.rig, None)
        self.assertEqual(self.post("balance").status_code, 409)
        self.assertEqual(self.plan, replace(self.plan))

    def test_a_sync_test_sets_the_delays_that_it_found_and_no_others(self):
        self.add("camera")
        self.add("microphone")
        self.add("chat")
        page = self.client.get(reverse("stages:stage", args=[self.rig.pk, "sound"]))
        self.assertContains(page, "Test with Camera")
        self.assertNotContains(page, "Set the delay of Console", msg_prefix="its sound belongs to its own picture")
        rig = Rig.objects.get(pk=self.rig.pk)
        said = {1: SyncReading(), 2: SyncReading(offset_ms=-75.4, within_ms=2, claps_ms=(-75.0,) * 3)}
        found = SyncStatus(place=1, flashes=5, sounds=said, clicks={1: 0, 2: 5}, left_s=0)
        inputs = tuple(InputStatus(name=one.name) for one in rig.plan.inputs)
        status = Status(rigs=(RigStatus(rig_id=rig.pk, inputs=inputs, sync=found),))
        edits.sync(rig, None, status)
        self.assertEqual([one.sound.delay_ms for one in self.plan.inputs], [0, 0, 75, 0])
        for places in (None, [2], [1], [3], [9]):
            with self.subTest(places=places), self.assertRaises(RefusedError):
                edits.sync(rig, places, status)
        far = replace(found, sounds={2: SyncReading(offset_ms=-5000, within_ms=2, claps_ms=(-5000.0,) * 3)})
        edits.sync(Rig.objects.get(pk=rig.pk), None, Status(rigs=(replace(status.rigs[0], sync=far),)))
        self.assertEqual(self.plan.inputs[2].sound.delay_ms, DELAY_MS[1], "as far as a delay goes")
        for name in ("sync", "test-sync"):
            self.assertIn(self.post(name, place=2).status_code, (409, 503))
            self.assertEqual(self.post(name, place=7).status_code, 404)
