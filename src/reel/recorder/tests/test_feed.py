import gc
import os
import struct
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from reel.core.file import ConstantQuality, Container, Recipe
from reel.core.line import DeviceKind, MediaFile, Network, Simulated, propose_input
from reel.core.line.tests.rigs import feed
from reel.core.measure import Watched, contradictions, prove
from reel.core.media import Shelf, probe
from reel.core.media.tests.clips import plan, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.signal import NS, InputError, Mode, Picture, Samples
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs import FileFeed
from reel.recorder.inputs.drivers import DRIVERS, Surroundings, openers_for
from reel.recorder.virtual import record


def read_until(feed, until_ns):
    arrived = []
    while (due := feed.due_ns()) is not None and due <= until_ns:
        arrived.append(feed.read(due))
    return arrived


class FileFeedTests(FolderTestCase):
    def make(self, tracks=("Sound",)):
        return write_clip(self.folder / "feed.mp4", plan(container=Container.MP4, tracks=tracks), range(30))

    def test_each_driver_says_what_it_could_open(self):
        self.make()
        (self.folder / ".hidden.mp4").write_bytes(b"x")
        found = {
            origin: driver(Surroundings(feeds=self.folder, now_ns=lambda: 0)).enumerate()
            for origin, driver in DRIVERS.items()
        }
        self.assertEqual([origin.kind.value for origin in (*found[MediaFile], *found[Network])], ["file"])
        self.assertEqual(found[MediaFile], (MediaFile(name="feed.mp4"),))
        self.assertIn(propose_input(DeviceKind.CONSOLE).origin, found[Simulated])
        self.assertTrue(all(isinstance(one, origin) for origin, ones in found.items() for one in ones))

    def test_pictures_and_sound_come_at_their_own_pace(self):
        feed = FileFeed(self.make(), start_ns=5 * NS)
        self.addCleanup(feed.close)
        self.assertEqual((feed.signal.mode.key, feed.sound.channels), ("320x180p30", 2))
        arrived = read_until(feed, 9 * NS)
        pictures = [item for item in arrived if isinstance(item, Picture)]
        self.assertEqual([item.sequence for item in pictures], list(range(30)))
        for item in pictures:
            self.assertLess(abs(item.at_ns - 5 * NS - item.sequence * NS / 30), 100_000)
        heard = sum(item.data.shape[1] for item in arrived if isinstance(item, Samples))
        self.assertLess(abs(heard - 48_000), 2048)
        self.assertIsNone(feed.due_ns(), "it ends")

    def test_loop_goes_on_without_a_gap(self):
        feed = FileFeed(self.make(tracks=()), start_ns=0, loop=True)
        self.addCleanup(feed.close)
        self.assertIsNone(feed.sound)
        pictures = read_until(feed, 3 * NS - 1)
        self.assertEqual(len(pictures), 90)
        steps = {round((b.at_ns - a.at_ns) / 1e6) for a, b in zip(pictures, pictures[1:], strict=False)}
        self.assertEqual(steps, {33})

    def test_late_reader_skips_pictures_and_says_so(self):
        feed = FileFeed(self.make(tracks=()), start_ns=0)
        self.addCleanup(feed.close)
        first, late = feed.read(0), feed.read(NS)
        self.assertGreater(late.sequence, first.sequence + 10)

    def test_what_is_no_feed_is_refused_by_name(self):
        (self.folder / "notes.txt").write_text("not a video")
        for name in ("notes.txt", "missing.mp4"):
            with self.subTest(name), self.assertRaises(InputError) as raised:
                FileFeed(self.folder / name, start_ns=0)
            self.assertIn(name, str(raised.exception))


RAW_FORMATS = (
    *(
        "yuvj444p",
        "gbrp",
        "yuva420p",
        "yuv411p",
        "yuv410p",
        "yuv440p",
        "gray",
        "gray16le",
        "gray10le",
        "rgb24",
        "bgr24",
    ),
    *("rgba", "bgra", "argb", "rgb565le", "rgb48le", "gbrp10le", "gbrap", "yuv444p12le", "yuv422p12le", "yuv420p16le"),
    *("yuva444p10le", "yuva422p", "nv12", "nv21", "uyvy422", "yvyu422", "yuyv422", "yuv444p"),
    *("yuvj422p", "y210le", "monow", "monob", "rgb8", "bgr4_byte", "pal8"),
)
FRAMES, WIDTH, HEIGHT = 20, 96, 64


def drawn(number, width=WIDTH, height=HEIGHT):
    """Bars of three colours above a ramp that moves: what became of it can be told in any format."""
    image = np.zeros((height, width, 3), dtype=np.uint8)
    for place, colour in enumerate(((200, 40, 40), (40, 200, 40), (40, 40, 200))):
        image[: height // 2, place * width // 3 : (place + 1) * width // 3] = colour
    image[height // 2 :] = ((np.arange(width) * 2 + number * 8) % 200 + 30)[None, :, None]
    return av.VideoFrame.from_ndarray(image, format="rgb24")


def in_palette(frame):
    """A picture of eight colours, and the table of them."""
    image = frame.to_ndarray() > 100
    palette = np.array([[255, 255 * (n & 1), 255 * (n >> 1 & 1), 255 * (n >> 2 & 1)] for n in range(256)])
    places = image[..., 0] + 2 * image[..., 1] + 4 * image[..., 2]
    return av.VideoFrame.from_ndarray((places.astype(np.uint8), palette.astype(np.uint8)), format="pal8")


class ForeignFeedTests(FolderTestCase):
    """Files as other makers write them: each is recorded right, or refused in a sentence."""

    def write(self, name, codec, pixels, *, frames=FRAMES, size=(WIDTH, HEIGHT), times=None, sound=None, form=None,
              transfer=2):  # fmt: skip
        path = self.folder / name
        with av.open(str(path), "w", format=form) as container:
            stream = container.add_stream(codec, rate=20)
            stream.width, stream.height, stream.pix_fmt = *size, pixels
            stream.codec_context.color_trc = transfer
            stream.codec_context.time_base = Fraction(1, 20 if codec == "mpeg2video" else 1000)
            heard = container.add_stream(sound, rate=44_100, layout="mono") if sound else None
            for number in range(frames):
                frame = drawn(number, *size)
                frame = in_palette(frame) if pixels == "pal8" else frame.reformat(format=pixels)
                frame.pts = times[number] if times else number * 50
                frame.time_base = Fraction(1, 1000)
                container.mux(stream.encode(frame))
                if heard:
                    block = av.AudioFrame.from_ndarray(np.zeros((1, 2205), dtype=np.int16), format="s16", layout="mono")
                    block.sample_rate, block.pts, block.time_base = 44_100, number * 2205, Fraction(1, 44_100)
                    container.mux(heard.encode(block))
            container.mux(stream.encode(None))
            if heard:
                container.mux(heard.encode(None))
        return path

    def roll(self, name, seconds=1.0, frame="96x64p20"):
        setup = feed(name, Mode.parse(frame), Recipe(effort="ultrafast", rate=ConstantQuality(quality=4)), loop=False)
        clock = VirtualClock()
        openers = openers_for(setup, (), self.folder, clock.now_ns)
        shelf = Shelf(self.folder / "shelf")
        shelf.make()
        return record(setup, openers, shelf, rig_name="feed", rolled_s=[(0, seconds)], clock=clock)

    def pictures(self, path):
        with av.open(str(path)) as container:
            return [frame.to_ndarray(format="rgb24").astype(int) for frame in container.decode(video=0)]

    def assert_right(self, take, name, frames=FRAMES, tolerance=40):
        self.assertEqual((take.counts.ticks, take.counts.lost), (frames, 0), name)
        facts = probe(take.path)
        proof = prove(
            plan(Mode.parse("96x64p20"), rate=ConstantQuality(quality=4), tracks=("",) * len(facts.sound)),
            facts=facts,
            counts=take.counts,
        )
        self.assertEqual([line.label for line in proof.differing if "bitrate" not in line.label], [], name)
        shown = self.pictures(take.path)
        self.assertEqual(len(shown), frames, name)
        colours = [shown[5][10, x] for x in (16, 48, 80)]
        for got, main in zip(colours, range(3), strict=True):
            self.assertEqual(int(got.argmax()), main, f"{name}: {colours}")
            self.assertGreater(got[main] - sorted(got)[1], tolerance, f"{name}: {colours}")

    def test_a_high_dynamic_range_is_said_on_the_page_and_in_the_proof(self):
        for code, name in ((16, "PQ"), (18, "HLG")):
            path = self.write(f"{name}.mkv", "libx264", "yuv420p10le", transfer=code)
            take = self.roll(path.name)
            proof = prove(plan(Mode.parse("96x64p20")), facts=probe(take.path), counts=take.counts)
            (said,) = [line for line in proof.differing if line.label == "Arriving transfer"]
            self.assertEqual((said.asked, said.got, bool(said.todo)), ("709", name, True))
            signal = FileFeed(path, start_ns=0).signal
            (sentence,) = contradictions(feed(path.name).picture, signal, Watched(per_s=20.0, distinct_per_s=20.0))
            self.assertIn(f"high dynamic range ({name})", sentence)

    def test_every_pixel_format_is_recorded_in_its_colours(self):
        for pixels in RAW_FORMATS:
            path = self.write(f"{pixels}.nut", "rawvideo", pixels)
            with self.subTest(pixels):
                take = self.roll(path.name)
                if pixels.startswith(("gray", "mono")):
                    self.assertEqual(len(self.pictures(take.path)), FRAMES)
                else:
                    self.assert_right(take, pixels)
                take.path.unlink()

    def test_codecs_sizes_and_times(self):
        uneven = [0, 30, 100, 160, 200, 250, 310, 340, 400, 460, 500, 550, 610, 640, 700, 740, 800, 860, 900, 940]
        for name, codec, pixels, more in (
            ("prores.mov", "prores_ks", "yuva444p10le", {}),
            ("prores.mkv", "prores_ks", "yuv422p10le", {}),
            ("mjpeg.avi", "mjpeg", "yuvj420p", {}),
            ("old.mpg", "mpeg2video", "yuv420p", {"form": "mpeg"}),
            ("ffv1.mkv", "ffv1", "yuv444p10le", {}),
            ("png.mov", "png", "rgba", {}),
            ("bare.h264", "libx264", "yuv420p", {}),
            ("varying.mkv", "libx264", "yuv420p", {"times": uneven}),
            ("varying.mp4", "libx264", "yuv444p", {"times": uneven}),
            ("odd.mkv", "ffv1", "yuv420p", {"size": (97, 65)}),
            ("odd.nut", "rawvideo", "rgb24", {"size": (95, 63)}),
            ("mono.mp4", "libx264", "yuv420p", {"sound": "aac"}),
            ("wave.mkv", "libx264", "yuv420p", {"sound": "pcm_s16le"}),
        ):
            path = self.write(name, codec, pixels, **more)
            with self.subTest(name):
                frame = "96x64p25" if name == "bare.h264" else "96x64p20"
                take = self.roll(name, 0.8 if name == "bare.h264" else 1.0, frame)
                self.assertEqual(take.counts.lost, 0, take.counts)
                self.assertGreaterEqual(len(self.pictures(take.path)), 20)
                self.assertTrue(path.exists())

    def test_sound_that_changes_its_format_goes_on(self):
        joined = self.folder / "joined.ts"
        parts = []
        for number, (rate, layout) in enumerate(((48_000, "stereo"), (44_100, "mono"))):
            path = self.folder / f"{number}.ts"
            with av.open(str(path), "w", format="mpegts") as container:
                stream = container.add_stream("libx264", rate=20)
                stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
                heard = container.add_stream("mp2", rate=rate, layout=layout)
                for step in range(20):
                    frame = drawn(step).reformat(format="yuv420p")
                    frame.pts, frame.time_base = number * 20 + step, Fraction(1, 20)
                    container.mux(stream.encode(frame))
                    count = rate // 20
                    block = av.AudioFrame.from_ndarray(
                        np.zeros((1, count * (2 if layout == "stereo" else 1)), dtype=np.int16),
                        format="s16",
                        layout=layout,
                    )
                    block.sample_rate, block.pts, block.time_base = (
                        rate,
                        (number * 20 + step) * count,
                        Fraction(1, rate),
                    )
                    container.mux(heard.encode(block))
                container.mux(stream.encode(None))
                container.mux(heard.encode(None))
            parts.append(path.read_bytes())
        joined.write_bytes(b"".join(parts))
        take = self.roll("joined.ts", 1.8)
        self.assertGreater(probe(take.path).sound[0].length_s, Fraction(17, 10))

    def test_a_picture_with_a_display_matrix_stands_as_players_show_it(self):
        source = self.write("phone.mp4", "libx264", "yuv420p")
        content = bytearray(source.read_bytes())
        at = content.index(b"tkhd") + 4 + 40
        # ISO/IEC 14496-12, 8.3: the matrix of a picture that is shown turned a quarter clockwise
        content[at : at + 36] = struct.pack(">9i", 0, 1 << 16, 0, -1 << 16, 0, 0, HEIGHT << 16, 0, 1 << 30)
        source.write_bytes(content)
        feed = FileFeed(source, start_ns=0)
        self.addCleanup(feed.close)
        self.assertEqual((feed.signal.mode.width_px, feed.signal.mode.height_px), (HEIGHT, WIDTH))
        image = feed.read(0).frame.to_ndarray(format="rgb24").astype(int)
        # the bars were above, from left to right: clockwise they stand on the right, from above down
        self.assertEqual([int(image[y, 50].argmax()) for y in (16, 48, 80)], [0, 1, 2])

    def test_what_can_not_be_played_is_refused_in_a_sentence(self):
        whole = self.write("whole.mkv", "libx264", "yuv420p", frames=60).read_bytes()
        movie = self.write("whole.mp4", "libx264", "yuv420p", frames=60).read_bytes()
        broken = bytearray(movie)
        start = broken.index(b"mdat") + 4
        broken[start : start + 30_000] = bytes(len(broken[start : start + 30_000]))
        for name, content in (
            ("empty.mkv", b""), ("cut.mkv", whole[:900]), ("cut.mp4", movie[:-400]), ("text.mp4", b"hello" * 99),
            ("noise.ts", os.urandom(40_000)), ("noise.h264", os.urandom(9000)), ("zeros.mp4", bytes(broken)),
            ("head.mov", movie[:40]),
        ):  # fmt: skip
            (self.folder / name).write_bytes(content)
        with av.open(str(self.folder / "sound.mp4"), "w") as container:
            heard = container.add_stream("aac", rate=44_100, layout="mono")
            block = av.AudioFrame.from_ndarray(np.zeros((1, 1024), dtype=np.float32), format="fltp", layout="mono")
            block.sample_rate = 44_100
            container.mux(heard.encode(block))
            container.mux(heard.encode(None))
        os.mkfifo(self.folder / "pipe.mkv")
        (self.folder / "folder.mp4").mkdir()
        for name in (
            "empty.mkv", "cut.mkv", "cut.mp4", "text.mp4", "noise.ts", "noise.h264", "zeros.mp4", "head.mov",
            "sound.mp4", "pipe.mkv", "folder.mp4",
        ):  # fmt: skip
            with self.subTest(name), self.assertRaises(InputError) as raised:
                self.roll(name)
            self.assertIn(name, str(raised.exception))
            self.assertEqual(list((self.folder / "shelf").glob("*")), [])

    def test_a_file_that_is_damaged_in_the_middle_plays_on_and_counts_what_it_lost(self):
        content = bytearray(self.write("damaged.avi", "mjpeg", "yuvj420p", frames=40).read_bytes())
        middle = len(content) // 2
        content[middle : middle + 4000] = bytes(4000)
        (self.folder / "damaged.avi").write_bytes(content)
        take = self.roll("damaged.avi", 2.0)
        self.assertEqual(take.counts.ticks, 40)
        shown = self.pictures(take.path)
        self.assertEqual(len(shown), 40)

    def test_one_picture_is_played(self):
        self.write("one.mkv", "ffv1", "yuv420p", frames=1)
        take = self.roll("one.mkv", 0.5)
        self.assertEqual((take.counts.ticks, take.counts.lost_before), (10, 9), "the rest never came")

    def test_closing_leaves_nothing_behind(self):
        path = self.make_long()
        for _ in range(3):
            self.open_and_close(path)
        gc.collect()
        threads, memory = self.threads(), self.memory_mb()
        for _ in range(25):
            self.open_and_close(path)
        gc.collect()
        self.assertEqual(self.threads(), threads)
        self.assertLess(self.memory_mb() - memory, 25)

    def make_long(self):
        return self.write("long.mp4", "libx264", "yuv420p", frames=80, size=(640, 360))

    def open_and_close(self, path):
        feed = FileFeed(path, start_ns=0, loop=True)
        for _ in range(30):
            feed.read(0)
        feed.close()

    @staticmethod
    def threads():
        return len(list(Path("/proc/self/task").iterdir()))

    @staticmethod
    def memory_mb():
        return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGESIZE") / 1e6
