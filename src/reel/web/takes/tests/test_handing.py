"""What is handed on of takes, read back by the libraries of its own formats."""

import csv
import io
import json
import tempfile
from unittest.mock import patch

import av
import numpy as np
import opentimelineio as otio
import webvtt
from django.conf import settings
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone
from PIL import Image

from reel.core.errors import BadValueError
from reel.core.handing import table
from reel.core.line import file_plan
from reel.core.measure import Counts
from reel.core.media import MediaError, Shelf
from reel.web.jobs.files import clear_asides
from reel.web.jobs.kinds import Subject
from reel.web.jobs.models import Aside
from reel.web.jobs.running import CalledOffError
from reel.web.takes import actions, making
from reel.web.takes.files import Made, MadeKind
from reel.web.takes.models import Mark, Take
from reel.web.takes.tests.home import SETUP, HomeMixin, make_take

LABELS = ("first <bloom> & dew", "", '=cmd("x")', "--> three")


class HandingTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.take = make_take("stone", Counts(ticks=90))
        for place, label in enumerate(LABELS):
            Mark.objects.create(take=self.take, tick=20 * place + 10, label=label)

    def got(self, name, *args, **query):
        response = self.client.get(reverse(f"takes:{name}", args=args), query)
        self.assertEqual(response.status_code, 200)
        self.assertIn("attachment", response["Content-Disposition"])
        return response.content

    def test_chapters_as_webvtt(self):
        with tempfile.NamedTemporaryFile(suffix=".vtt") as file:
            file.write(self.got("chapters", self.take.pk, 1))
            file.flush()
            cues = webvtt.read(file.name)
        starts = ["00:00:00.000", "00:00:01.000", "00:00:01.667", "00:00:02.333"]  # the first mark is at a third of one
        self.assertEqual([cue.start for cue in cues], starts)
        self.assertEqual((cues[0].end, cues[3].end), (starts[1], "00:00:03.000"))
        self.assertEqual(cues[1].text, "Mark 2")

    def test_of_two_marks_on_one_frame_the_later_one_names_the_chapter(self):
        """A chapter without a length is none: players leave out all that follows one."""
        Mark.objects.create(take=self.take, tick=70, label="twice")
        lines = self.got("chapters", self.take.pk, 1).decode().splitlines()
        spans = [line.split(" --> ") for line in lines if " --> " in line and line[0].isdigit()]
        self.assertEqual(len(spans), 4)
        self.assertTrue(all(begin < end for begin, end in spans), spans)
        self.assertIn("twice", lines)

    def test_marks_and_losses_as_a_table_that_is_no_formula(self):
        rows = list(csv.DictReader(io.StringIO(self.got("moments", self.take.pk, 1).decode())))
        self.assertEqual([row["kind"] for row in rows].count("mark"), 4)
        lost = next(row for row in rows if row["kind"] == "lost frames")
        self.assertEqual((lost["timecode"], lost["label"], float(lost["seconds"])), ("00:00:01:10", "2 lost", 0.067))
        labels = [row["label"] for row in rows if row["kind"] == "mark"]
        self.assertEqual(labels, [LABELS[0], "", f"'{LABELS[2]}", f"'{LABELS[3]}"])
        self.assertEqual(next(csv.reader(io.StringIO(table(("@sum", "a\nb"), [])))), ["@sum", "a\nb"])

    def test_takes_that_rolled_together_are_tracks_in_step(self):
        late = Counts(ticks=90, began_late_ms=100.0)
        begun = timezone.now()
        one = make_take("one", Counts(ticks=90, began_late_ms=0.0), begun)
        make_take("other", late, begun)
        line = otio.adapters.read_from_string(self.got("timeline", one.pk).decode(), "otio_json")
        tracks = line.video_tracks()
        self.assertEqual([track.name for track in tracks], ["one", "other"])
        self.assertEqual([type(item).__name__ for item in tracks[1]], ["Gap", "Clip"])
        self.assertEqual(tracks[1][0].duration(), otio.opentime.RationalTime(3, 30))
        clip = otio.adapters.read_from_string(self.got("timeline", self.take.pk).decode(), "otio_json").tracks[0][0]
        self.assertEqual(clip.duration(), otio.opentime.RationalTime(90, 30))
        self.assertTrue(clip.media_reference.target_url.endswith("/shelf/stone.mkv"))
        marked = {marker.name: marker.marked_range for marker in clip.markers}
        self.assertEqual(marked[LABELS[0]].start_time, otio.opentime.RationalTime(10, 30))
        self.assertEqual(marked["2 lost"].duration, otio.opentime.RationalTime(2, 30))

    def test_a_frame_as_png_and_its_facts(self):
        image = Image.open(io.BytesIO(self.got("png", self.take.pk, 1, at="1.0167")))
        plan = file_plan(SETUP)
        self.assertEqual(image.size, (plan.frame.width_px, plan.frame.height_px))
        # the ramp of the clip moves by three a frame: tick 30 is told from its neighbours
        row = np.asarray(image.convert("L"))[90].astype(int)
        dark = int(np.argmin(row[:200]))
        self.assertLessEqual(abs(dark - (200 - 30 * 3 % 200)), 2)
        for at, said in (
            ("1.0167", "frame 30 "),
            ("0", "frame 0 · I key"),
            ("1.3833", "frame 39 "),
            ("2.99", "frame 89 "),
        ):
            response = self.client.get(reverse("takes:frame", args=[self.take.pk, 1]), {"at": at})
            self.assertContains(response, said)

    def test_facts_of_several_and_the_log_sheet(self):
        facts, ids = reverse("takes:facts"), [self.take.pk, make_take("two", Counts(ticks=90)).pk]
        rows = list(csv.DictReader(io.StringIO(self.client.post(facts, {"take": ids, "as": "csv"}).content.decode())))
        self.assertEqual([row["name"] for row in rows], ["stone", "two"])
        self.assertEqual((rows[0]["lost"], rows[0]["size"]), ("2", "320x180"))
        told = json.loads(self.client.post(facts, {"take": ids, "as": "json"}).content)
        self.assertEqual(told[0]["proof_state"], "differs")
        page = self.client.post(facts, {"take": ids})
        self.assertContains(page, "first &lt;bloom&gt; &amp; dew")

    def test_files_are_made_aside_and_named_when_they_are_whole(self):
        part, shelf = self.take.first, settings.HOME.shelf
        for kind in MadeKind:
            made = making.ask_for_file(part, kind)
            self.assertEqual(making.ask_for_file(part, kind).pk, made.pk)  # a double click
            making.make(self.subject(made), lambda done: None)
        names = {made.kind: made.file_name for made in Made.objects.filter(is_whole=True)}
        self.assertEqual(
            names,
            {
                "chapters": "stone_chapters.mkv",
                "small": "stone_small.mp4",
                "wav": "stone_sound.wav",
                "flac": "stone_sound.flac",
            },
        )
        with av.open(str(shelf / names["chapters"])) as container:
            self.assertEqual([one["metadata"]["title"] for one in container.chapters()][:2], [LABELS[0], "Mark 2"])
            packets = [bytes(packet) for packet in container.demux(video=0) if packet.size]
        with av.open(str(shelf / "stone.mkv")) as container:
            self.assertEqual([bytes(packet) for packet in container.demux(video=0) if packet.size], packets)
        for name in (names["wav"], names["flac"]):
            with av.open(str(shelf / name)) as container:
                heard = sum(frame.samples for frame in container.decode(audio=0))
            self.assertAlmostEqual(heard / 48_000, 3.0, delta=0.05)
        response = self.client.get(reverse("takes:made", args=[Made.objects.first().pk]))
        self.assertIn("stone_chapters.mkv", response["Content-Disposition"])

    def subject(self, made):
        return Subject(subject=made.pk)

    def test_what_is_called_off_killed_or_fails_leaves_nothing(self):
        part, shelf = self.take.first, settings.HOME.shelf
        before = sorted(path.name for path in shelf.iterdir())

        def called_off(done):
            raise CalledOffError("off")

        def killed(done):
            raise KeyboardInterrupt

        made = making.ask_for_file(part, MadeKind.WAV)
        with self.assertRaises(CalledOffError):
            making.make(self.subject(made), called_off)
        self.assertEqual(sorted(path.name for path in shelf.iterdir()), before)

        # a killed worker cleans nothing up: the next one does
        with patch.object(Shelf, "discard"), self.assertRaises(KeyboardInterrupt):
            making.make(self.subject(made), killed)
        left = [path.name for path in shelf.glob("*.rolling.*")]
        self.assertEqual(left, ["stone_sound.rolling.wav"])
        Aside.objects.create(folder=str(shelf), name=left[0])  # which a kill leaves too
        self.assertEqual(clear_asides(), 1)
        self.assertEqual(sorted(path.name for path in shelf.iterdir()), before)
        making.make(self.subject(made), lambda done: None)
        self.assertEqual(Made.objects.get(pk=made.pk).file_name, "stone_sound.wav")
        (shelf / "stone.mkv").unlink()
        gone = making.ask_for_file(part, MadeKind.SMALL)
        with self.assertRaises(MediaError):
            making.make(self.subject(gone), lambda done: None)
        self.assertEqual(list(shelf.glob("*rolling*")), [])

    def test_what_can_t_be_made_is_refused(self):
        Mark.objects.all().delete()
        with self.assertRaisesMessage(BadValueError, "no marks"):
            making.ask_for_file(self.take.first, MadeKind.CHAPTERS)
        with self.assertRaisesMessage(BadValueError, "Track"):
            making.ask_for_file(self.take.first, MadeKind.WAV, 7)
        actions.delete(Take.objects.get(pk=self.take.pk))
        self.assertEqual(Made.objects.count(), 0)
