"""Files that are brought in: copied over links that break, known again, refused when they are none, made takes."""

import os
import random
import struct
from unittest.mock import patch

from django.conf import settings
from django.test import TestCase
from django.urls import reverse
from watchdog.events import FileClosedEvent

from reel.core.line import file_plan
from reel.core.media import MediaError
from reel.core.media.tests.clips import write_clip
from reel.core.offload import BLOCK_BYTES, LinkBrokenError
from reel.standins.storage import Link
from reel.web.jobs.models import Job, JobState
from reel.web.jobs.running import run_waiting
from reel.web.takes import actions, asking, bringing, watching
from reel.web.takes.files import Incoming, IncomingSource, IncomingState
from reel.web.takes.models import ProofState, Take, TakeOrigin
from reel.web.takes.tests.home import SETUP, HomeMixin
from reel.web.takes.watching import WatchedFolder, look_into

HOSTILE = (
    "../../etc/passwd.mp4", "a\x01b\x7f.mp4", "‮4pm.exe.mp4", "'; DROP TABLE takes; --.mp4", '"<script>.mp4', "con.mp4",
    "x" * 240 + ".mp4", ".hidden.mp4", "no ending", "two..dots...mp4", "né́á.mp4", "%2e%2e%2f.mp4",
)  # fmt: skip


class BringTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.card = settings.HOME.root / "card"
        self.card.mkdir()
        self.clip = write_clip(self.card / "clip.mkv", file_plan(SETUP), range(60))
        self.enterContext(patch.object(bringing, "PATIENCE_S", 1.0))
        self.enterContext(patch.object(bringing, "LOOK_S", 0.01))

    def shelf_names(self):
        return sorted(path.name for path in settings.HOME.shelf.iterdir())

    def from_folder(self, path):
        self.client.post(reverse("takes:bring-folder"), {"path": str(path)})
        run_waiting()

    def test_a_folder_becomes_takes_that_are_measured_and_known_again(self):
        (self.card / "notes.txt").write_text("no media")
        self.from_folder(self.card)
        take = Take.objects.get()
        self.assertEqual((take.origin, take.name, take.codec), (TakeOrigin.BROUGHT_IN, "clip", "H.264"))
        self.assertEqual((take.proof_state, take.length_ms, take.tracks), (ProofState.NOT_ASKED, 2000, ["Sound"]))
        self.assertEqual((settings.HOME.shelf / "clip.mkv").read_bytes(), self.clip.read_bytes())
        for name, args in (("take", [take.pk]), ("index", []), ("bring", []), ("moments", [take.pk, 1])):
            self.assertEqual(self.client.get(reverse(f"takes:{name}", args=args)).status_code, 200)
        (self.card / "again.mkv").write_bytes(self.clip.read_bytes())
        self.from_folder(self.card / "again.mkv")
        self.assertEqual(Incoming.objects.get(name="again.mkv").state, IncomingState.KNOWN)
        self.assertEqual((Take.objects.count(), self.shelf_names()), (1, ["clip.mkv"]))

    def test_it_is_held_against_what_somebody_says_it_should_be(self):
        self.from_folder(self.clip)
        take = Take.objects.get()
        asking.hold(take, SETUP)
        run_waiting()
        take.refresh_from_db()
        self.assertEqual([one.label for one in take.first.proved.differing], [])
        self.assertEqual((take.proof_state, take.setup), (ProofState.AS_ASKED, SETUP))
        asking.hold(take, None)
        run_waiting()
        self.assertEqual(Take.objects.get().proof_state, ProofState.NOT_ASKED)

    def test_what_is_no_media_file_is_said_and_leaves_nothing(self):
        data, places = self.clip.read_bytes(), random.Random(4)
        truncated = data[: len(data) // 3]
        huge = (
            b"\x00\x00\x00\x18ftypisom"
            + b"\x00" * 12
            + struct.pack(">I", 0xFFFFFFF0)
            + b"moov"
            + places.randbytes(2000)
        )
        broken = {
            "random.mp4": places.randbytes(50_000), "text.mov": b"hello\n" * 99, "huge.mp4": huge,
            "html.mkv": b"<html>",
            "zeros.ts": bytes(10_000),
            "playlist.mp4": b"#EXTM3U\n#EXTINF:1,\nfile:///etc/passwd\n",
        }  # fmt: skip
        for number in range(20):
            at = places.randrange(len(data) // 2)
            broken[f"noise{number}.mkv"] = places.randbytes(200) + data[at : at + 5000]
        for name, content in broken.items():
            (self.card / name).write_bytes(content)
        (self.card / "empty.mp4").write_bytes(b"")
        (self.card / "truncated.mkv").write_bytes(truncated)  # which can be read as far as it goes
        self.from_folder(self.card)
        states = {one.name: one for one in Incoming.objects.all()}
        for name in (*broken, "empty.mp4"):
            with self.subTest(name):
                self.assertEqual(states[name].state, IncomingState.FAILED)
                self.assertIn(name.rpartition(".")[0], states[name].problem)
        self.assertEqual(states["truncated.mkv"].state, IncomingState.WHOLE)
        self.assertEqual(self.shelf_names(), ["clip.mkv", "truncated.mkv"])
        self.assertContains(self.client.get(reverse("takes:bring")), "can&#x27;t be read")

    def test_names_as_hostile_as_can_be(self):
        data = self.clip.read_bytes()
        for number, name in enumerate(HOSTILE):
            begun = self.client.post(
                reverse("takes:bring-begin"), {"name": name, "size": len(data), "modified": number}
            )
            self.client.post(f"{begun.json()['address']}?at=0", data, content_type="application/octet-stream")
        run_waiting()
        self.assertEqual(set(Incoming.objects.values_list("state", flat=True)), {IncomingState.WHOLE})
        names = self.shelf_names()
        self.assertEqual(len(names), len(HOSTILE))
        for name in names:
            self.assertRegex(name, r"\A[a-z0-9][a-z0-9_.-]*\.mkv\Z")
        self.assertEqual([path.name for path in settings.HOME.root.glob("*.mp4")], [])
        self.assertNotContains(self.client.get(reverse("takes:bring")), "<script>.")

    def test_a_browser_sends_pieces_and_goes_on_where_it_stopped(self):
        data = self.clip.read_bytes()
        facts = {"name": "evening.mkv", "size": len(data), "modified": 1_700_000_000_000}

        def send(address, at, stop):
            return self.client.post(f"{address}?at={at}", data[at:stop], content_type="application/octet-stream")

        begun = self.client.post(reverse("takes:bring-begin"), facts).json()
        send(begun["address"], 0, 1000)
        self.assertEqual(send(begun["address"], 500, 1500).status_code, 409)  # another tab
        again = self.client.post(reverse("takes:bring-begin"), facts).json()
        self.assertEqual(again, {"at": 1000, "address": begun["address"]})
        send(begun["address"], 1000, len(data))
        run_waiting()
        self.assertEqual((settings.HOME.shelf / "evening.mkv").read_bytes(), data)
        self.assertEqual(send(begun["address"], len(data), len(data)).status_code, 404)
        with patch("shutil.disk_usage", return_value=os.statvfs_result((0,) * 10) and type("Usage", (), {"free": 10})):
            refused = self.client.post(reverse("takes:bring-begin"), facts | {"name": "full.mkv"})
        self.assertEqual((refused.status_code, Incoming.objects.filter(name="full.mkv").count()), (409, 0))

    def test_what_is_laid_in_a_watched_folder_is_brought_in(self):
        self.client.post(reverse("takes:bring-watched"), {"path": str(self.card)})
        found = WatchedFolder.objects.get()
        self.assertEqual(look_into(found), 0)  # what was there before stays
        data = self.clip.read_bytes()
        (self.card / "deep").mkdir()
        for name, content in (("deep/new.mkv", data + b""), ("notes.txt", b"no media"), ("bad.mp4", b"no media")):
            (self.card / name).write_bytes(content)
            os.utime(self.card / name, (2_000_000_000, 2_000_000_000))
        self.assertEqual(look_into(found), 2)
        run_waiting()
        self.assertEqual((Take.objects.get().name, look_into(found)), ("new", 0))  # what failed is not tried again
        self.client.post(reverse("takes:bring-watched"), {"stop": found.pk})
        self.assertEqual(WatchedFolder.objects.count(), 0)
        for typed in (str(settings.HOME.shelf), str(settings.HOME.root), "/nowhere", "card", ""):
            self.assertEqual(self.client.post(reverse("takes:bring-watched"), {"path": typed}).status_code, 422)

    def test_a_watcher_looks_into_the_folder_in_which_a_file_was_closed_and_outlives_an_error(self):
        found, looked = WatchedFolder.objects.create(folder=str(self.card)), []
        WatchedFolder.objects.create(folder=str(settings.HOME.root / "another"))
        self.enterContext(patch.object(watching, "close_old_connections"))  # the test's own is on this thread
        with patch.object(watching, "look_into", side_effect=looked.append):
            watching.Watcher().on_closed(FileClosedEvent(str(self.card / "deep" / "new.mkv")))
        self.assertEqual(looked, [found])
        with patch.object(watching, "look_into", side_effect=ZeroDivisionError), self.assertLogs(watching.log, "ERROR"):
            watching.Watcher().on_closed(FileClosedEvent(str(self.card / "new.mkv")))

    def test_a_watcher_that_could_not_begin_or_has_ended_begins_again(self):
        WatchedFolder.objects.create(folder=str(self.card))
        watcher = watching.Watcher()
        with patch.object(watching.Observer, "start", side_effect=RuntimeError("can't start new thread")):
            self.assertRaises(RuntimeError, watcher.follow)
        for _ in range(2):
            watcher.follow()
            self.assertTrue(watcher._observer.is_alive())
            self.assertEqual(list(watcher._watches), [str(self.card)])
            watcher._observer.stop()
            watcher._observer.join(20)

    def test_a_folder_that_is_none_is_refused_with_what_was_typed(self):
        for typed in ("", "relative/path", "/nowhere/at all", "/etc/hostname\x00", "/" + "x" * 2000):
            response = self.client.post(reverse("takes:bring-folder"), {"path": typed})
            self.assertEqual(response.status_code, 422)
        self.assertContains(
            self.client.post(reverse("takes:bring-folder"), {"path": "/none <b>"}), "/none &lt;b&gt;", status_code=422
        )


class DeviceTests(HomeMixin, TestCase):
    """A phone's own storage, its link slow, broken, and not true."""

    def setUp(self):
        super().setUp()
        self.phone = settings.HOME.devices / "phone"
        self.phone.mkdir(parents=True)
        self.address = reverse("takes:device", args=["phone"])
        for number in range(3):
            path = write_clip(self.phone / f"recording-{number}.mkv", file_plan(SETUP), range(10 + number))
            if number == 2:  # one of several blocks: what follows the last cluster is passed over by players
                path.write_bytes(
                    path.read_bytes()
                    + b"\xec\x10\x00\x00\x00\x00\x90\x00\x00"
                    + bytes(2 * BLOCK_BYTES + BLOCK_BYTES // 2)
                )
        self.storage = bringing.storage_of(IncomingSource.DEVICE, "phone")
        self.enterContext(patch.object(bringing, "PATIENCE_S", 0.02))
        self.enterContext(patch.object(bringing, "LOOK_S", 0.01))

    def ask(self, *numbers):
        self.client.post(self.address, {"do": "bring", "name": [f"recording-{number}.mkv" for number in numbers]})
        run_waiting()

    def test_all_come_over_and_only_then_are_they_deleted_there(self):
        self.assertContains(self.client.get(self.address), "3 files")
        refused = self.client.post(self.address, {"do": "delete", "name": ["recording-0.mkv"]})
        self.assertEqual((refused.status_code, len(self.storage.files())), (409, 3))
        self.ask(0, 1, 2)
        self.assertContains(self.client.get(self.address), "All 3 came over whole.")
        for take in Take.objects.all():
            there, here = self.phone / take.first.file_name, settings.HOME.shelf / take.first.file_name
            self.assertEqual((there.read_bytes(), take.origin), (here.read_bytes(), TakeOrigin.BY_DEVICE))
        (settings.HOME.shelf / "recording-1.mkv").write_bytes(b"damaged")
        self.client.post(self.address, {"do": "delete", "name": ["recording-0.mkv"]})
        refused = self.client.post(self.address, {"do": "delete", "name": ["recording-1.mkv"]})
        self.assertEqual(refused.status_code, 409)
        self.assertEqual(sorted(one.name for one in self.storage.files()), ["recording-1.mkv", "recording-2.mkv"])
        actions.delete(Take.objects.get(parts__file_name="recording-2.mkv"))  # here; it comes over once more when asked
        self.ask(2)
        self.assertTrue((settings.HOME.shelf / "recording-2.mkv").exists())

    def test_a_link_that_breaks_is_waited_for_and_goes_on(self):
        self.storage.set_link(Link(breaks_after_bytes=BLOCK_BYTES + 100))
        self.ask(2)
        found = Incoming.objects.get()
        self.assertEqual((found.state, found.copied_bytes), (IncomingState.BROKEN, BLOCK_BYTES))
        self.assertEqual(Job.objects.get(kind="bring").state, JobState.FAILED)
        self.assertContains(self.client.get(self.address), "the link is broken")
        self.assertEqual(bringing.take_up_broken(), 0)
        read = []
        with patch.object(type(self.storage), "read", autospec=True, side_effect=type(self.storage).read) as reading:
            self.client.post(reverse("takes:link", args=["phone"]), {"up": "1"})
            run_waiting()
            read = [call.args[2] for call in reading.call_args_list]
        self.assertEqual((Incoming.objects.get().state, read[0]), (IncomingState.WHOLE, BLOCK_BYTES))
        self.assertEqual(len(list(settings.HOME.shelf.glob("*rolling*"))), 0)

    def test_what_is_altered_on_the_way_is_mended_or_said(self):
        self.storage.set_link(Link(alters_reads=(0,)))
        self.ask(0)
        self.assertEqual(Incoming.objects.get(name="recording-0.mkv").state, IncomingState.WHOLE)
        self.storage.set_link(Link(alters_reads=tuple(range(20))))
        self.ask(1)
        found = Incoming.objects.get(name="recording-1.mkv")
        self.assertEqual(found.state, IncomingState.FAILED)
        self.assertIn("differs from what lies there in 1 block", found.problem)
        self.assertEqual([path.name for path in settings.HOME.shelf.iterdir()], ["recording-0.mkv"])

    def test_a_full_drive_an_unplugged_shelf_and_a_killed_worker_leave_no_half_file_under_a_name(self):
        def full(*args):
            raise OSError(28, "No space left on device")

        with patch("os.fsync", full):
            self.ask(0)
        self.assertIn("No space left", Incoming.objects.get(name="recording-0.mkv").problem)
        self.assertEqual(list(settings.HOME.shelf.iterdir()), [])

        def killed(*args, **kwargs):
            raise KeyboardInterrupt

        with patch.object(bringing, "differing_blocks", killed), self.assertRaises(KeyboardInterrupt):
            self.ask(1)
        self.assertEqual([path.name for path in settings.HOME.shelf.iterdir()], ["recording-1.rolling.mkv"])
        Job.objects.filter(state=JobState.RUNNING).update(state=JobState.WAITING)
        run_waiting()
        self.assertEqual([path.name for path in settings.HOME.shelf.iterdir()], ["recording-1.mkv"])
        settings.HOME.shelf.rename(settings.HOME.root / "away")
        self.ask(2)
        self.assertIn("shelf that can't be reached", Incoming.objects.get(name="recording-2.mkv").problem)

    def test_a_storage_that_is_not_there(self):
        self.storage.set_link(Link(is_up=False))
        self.assertContains(self.client.get(self.address), "The link to the phone broke.")
        with self.assertRaises(LinkBrokenError):
            self.storage.files()
        self.assertEqual(self.client.get(reverse("takes:device", args=["toaster"])).status_code, 404)
        with self.assertRaises(MediaError):
            bringing.storage_of(IncomingSource.FOLDER, "/nowhere").files()
