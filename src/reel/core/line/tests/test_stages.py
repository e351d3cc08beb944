import unittest
from dataclasses import replace
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import ConstantBitrate, Recipe
from reel.core.frame import FrameSetup
from reel.core.line import (
    Connector,
    Console,
    Deck,
    DeviceKind,
    HopSetup,
    Live,
    LossKind,
    MediaFile,
    Phone,
    line_stages,
    propose,
)
from reel.core.line.tests.rigs import feed
from reel.core.signal import Mode, Range, Signal, SoundFormat


def console(sent, recorded, **recipe):
    proposed = propose(DeviceKind.CONSOLE, mode=Mode.parse(sent))
    return replace(proposed, frame=FrameSetup(mode=Mode.parse(recorded)), recipe=Recipe(**recipe))


def kinds(stages):
    return [loss.kind for stage in stages for loss in stage.losses]


class WalkTests(unittest.TestCase):
    def test_what_is_kept_as_it_is_sent_passes_frame_and_sound(self):
        setup = feed("tcp://127.0.0.1:9999", Mode.parse("1280x720p30"), Recipe(as_sent=True))
        live = Live(signal=Signal(mode=Mode.parse("640x360p30")), sound=SoundFormat())
        frame, sound, file = line_stages(setup, (live,))[3:6]
        self.assertEqual((frame.fact, frame.detail, frame.losses), ("640×360", "as sent", ()))
        self.assertEqual((sound.fact, file.fact, file.rate_bps), ("as sent", "as sent", None))
        encoded = line_stages(replace(setup, recipe=Recipe()), (live,))
        self.assertIn(LossKind.SCALED_UP, kinds(encoded))

    def test_losses_stand_where_they_happen(self):
        self.assertEqual(kinds(line_stages(console("1280x720p30", "1280x720p30"))), ["chroma"], "once")
        stages = line_stages(console("3840x2160p30", "1920x1080p24"))
        self.assertEqual(kinds(stages), ["chroma", "scaled down", "rate"])
        self.assertEqual({loss.stage for loss in stages[3].losses}, {"frame"})
        found = kinds(line_stages(console("1280x720p30", "1920x1080p60")))
        self.assertEqual(found[:3], ["chroma", "scaled up", "repeated"])

    def test_feed_is_unknown_until_it_arrives(self):
        sent = feed("a.mp4", Mode.parse("1280x720p25"))
        self.assertIsNone(line_stages(sent)[0].rate_bps)
        arrives = Signal(mode=Mode.parse("1280x720p25"), pixels="yuv422p10le", range=Range.FULL)
        stages = line_stages(sent, [Live(signal=arrives, sound=SoundFormat())])
        self.assertEqual(kinds(stages), ["chroma", "depth", "converted"])
        self.assertEqual(stages[4].fact, "1 track")

    def test_fields_and_oblong_pixels_are_framed_without_loss(self):
        tape = propose(DeviceKind.DECK, {"analogue-box"})
        arrives = Signal(mode=Mode.parse("720x576i25"), pixels="yuyv422", pixel_aspect=Fraction(16, 15))
        for arrival in (None, arrives):
            frame = line_stages(tape, [Live(signal=arrival)])[3]
            self.assertEqual([loss.kind for loss in frame.losses][:1], [LossKind.CHROMA])

    def test_a_device_that_records_by_itself_follows_its_own_recipe(self):
        headset = propose(DeviceKind.HEADSET)
        device = replace(headset.picture.device, out=Connector.PAIRED)
        picture = replace(headset.picture, device=device, path=(HopSetup(model="developer-link"),))
        stages = line_stages(headset.with_input(0, picture))
        self.assertEqual(kinds(stages), ["compressed", "stops"])
        self.assertEqual((stages[3].losses, stages[5].fact), ((), "H.264 10 Mb/s"))

    def test_file_stage_is_the_forecast(self):
        setup = console("1280x720p30", "1280x720p30", rate=ConstantBitrate(bitrate_bps=8_000_000))
        self.assertEqual(line_stages(setup, [Live(sound=SoundFormat())])[5].rate_bps, 8_192_000)

    def test_devices_refuse_what_they_cannot_be(self):
        hd, pal = Mode.parse("1280x720p30"), Mode.parse("720x576i25")
        for make in (
            lambda: Console(mode=Mode.parse("640x480p60")),
            lambda: Console(mode=hd, pixels="rgb24"),
            lambda: Console(mode=hd, out=Connector.SCART),
            lambda: Console(mode=hd, kind=DeviceKind.PHONE),
            lambda: Deck(mode=hd),
            lambda: Deck(mode=pal, out=Connector.HDMI),
            lambda: Phone(mode=Mode.parse("720x1560p30"), sleep_s=1),
            lambda: MediaFile(name="../secret.mp4"),
            lambda: MediaFile(name=".."),
            lambda: MediaFile(name=""),
        ):
            with self.assertRaises(BadValueError):
                make()
