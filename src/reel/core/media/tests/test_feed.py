from reel.core.file import Container, Recipe
from reel.core.media import FileFeed
from reel.core.media.tests.clips import FRAME, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.signal import NS, InputError, Picture, Samples


def read_until(feed, until_ns):
    arrived = []
    while (due := feed.due_ns()) is not None and due <= until_ns:
        arrived.append(feed.read(due))
    return arrived


class FileFeedTests(FolderTestCase):
    def make(self, **settings):
        return write_clip(self.folder / "feed.mp4", Recipe(frame=FRAME, container=Container.MP4), range(30), **settings)

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
        feed = FileFeed(self.make(sound=False), start_ns=0, loop=True)
        self.addCleanup(feed.close)
        self.assertIsNone(feed.sound)
        pictures = read_until(feed, 3 * NS - 1)
        self.assertEqual(len(pictures), 90)
        steps = {round((b.at_ns - a.at_ns) / 1e6) for a, b in zip(pictures, pictures[1:], strict=False)}
        self.assertEqual(steps, {33})

    def test_late_reader_skips_pictures_and_says_so(self):
        feed = FileFeed(self.make(sound=False), start_ns=0)
        self.addCleanup(feed.close)
        first, late = feed.read(0), feed.read(NS)
        self.assertGreater(late.sequence, first.sequence + 10)

    def test_what_is_no_feed_is_refused_by_name(self):
        (self.folder / "notes.txt").write_text("not a video")
        for name in ("notes.txt", "missing.mp4"):
            with self.subTest(name), self.assertRaises(InputError) as raised:
                FileFeed(self.folder / name, start_ns=0)
            self.assertIn(name, str(raised.exception))
