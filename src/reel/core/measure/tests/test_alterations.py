"""A good file altered in forty ways: the proof names each that a player or an ear would notice, and nothing else."""

import struct
from dataclasses import replace
from fractions import Fraction

import av
import numpy as np

from reel.core.file import ConstantBitrate, Container, Draft, FilePlan, SoundCodec, VideoCodec, resolve
from reel.core.measure import Counts, LossCause, Stretch, examine, prove
from reel.core.media import MediaError, PartWriter, planes_of, probe, read_sent
from reel.core.media.tests.clips import FRAME, plan
from reel.core.media.tests.clips import picture as clip_picture
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.signal import Mode

FRAMES = 90
PLAN = plan(keyframe_s=Fraction(1), container=Container.MP4, tracks=("",))


def with_recipe(**changes):
    return replace(PLAN, recipe=replace(PLAN.recipe, **changes))


RANDOM = np.random.default_rng(2)
GROUND = RANDOM.integers(30, 220, (180, 320)).astype(np.uint8)


def picture(number, width=320, height=180, frozen_from=None, black=range(0), each=1):
    """Bars that move over a ground of many greys; `each` picture so many times."""
    number -= number % each
    if frozen_from is not None:
        number = min(number, frozen_from)
    planes = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
    planes[:height] = 16 if number in black else np.resize(np.roll(GROUND, 4 * number, axis=1), (height, width))
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


def write(path, *, codec="libx264", options=None, rate=30, size=(320, 180), pixels="yuv420p", gop=30,
          frames=range(FRAMES), tags=(1, 1, 1, 1), aspect=None, pictures=None, sound_s=3.0, sound_at_s=0.0,
          layout="stereo", rate_hz=48_000, sound_bps=192_000, sound_codec="aac", tracks=1, holes=(),
          form="mp4", loud=0.2, more_pictures=0):  # fmt: skip
    """Write a file as some program might; the defaults are what PLAN asks."""
    with av.open(str(path), "w", format=form, options={"use_editlist": "1"} if form == "mp4" else {}) as container:
        stream = container.add_stream(codec, rate=rate)
        stream.width, stream.height, stream.pix_fmt = *size, pixels
        context = stream.codec_context
        context.time_base, context.gop_size = Fraction(1, rate), gop
        context.colorspace, context.color_primaries, context.color_trc, context.color_range = tags
        if aspect:
            context.sample_aspect_ratio = aspect
        usual = {"preset": "veryfast", "profile": "high", "8x8dct": "1", "sc_threshold": "0", "keyint_min": str(gop)}
        context.options = usual | {"crf": "20"} | (options or {}) if codec == "libx264" else options or {}
        others = [container.add_stream("mjpeg", rate=rate) for _ in range(more_pictures)]
        for other in others:
            other.width, other.height, other.pix_fmt = *size, "yuvj420p"
        heard = [container.add_stream(sound_codec, rate=rate_hz, layout=layout) for _ in range(tracks)]
        for track in heard:
            track.bit_rate = sound_bps
            if sound_codec == "aac":
                track.codec_context.options = {"aac_coder": "fast"}
        for number in frames:
            frame = picture(number, *size, **(pictures or {}))
            frame = frame if pixels == "yuv420p" else frame.reformat(format=pixels)
            frame.pts, frame.time_base = number, Fraction(1, rate)
            container.mux(stream.encode(frame))
            for other in others:
                container.mux(other.encode(frame.reformat(format="yuvj420p")))
        container.mux(stream.encode(None))
        noise = RANDOM.normal(0, loud, (2 if layout == "stereo" else 1, 1024)).astype(np.float32)
        for track in heard:
            for number in range(round(sound_s * rate_hz / 1024)):
                if number in holes:
                    continue
                block = av.AudioFrame.from_ndarray(noise, format="fltp", layout=layout)
                block.sample_rate, block.time_base = rate_hz, Fraction(1, rate_hz)
                block.pts = number * 1024 + round(sound_at_s * rate_hz)
                container.mux(track.encode(block))
            container.mux(track.encode(None))
    return path


def blink(number):
    """A page with a cursor that blinks twice a second."""
    planes = np.full((270, 320), 128, dtype=np.uint8)
    planes[:180] = 60
    planes[100:114, 80:82] = 230 if number // 15 % 2 else 60
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


def coloured(number):
    """Colour that moves at one luma."""
    frame = picture(0)
    for plane in planes_of(frame)[1:]:
        plane[:, :] = 90
        plane[:, (number * 4) % 120 : (number * 4) % 120 + 40] = 160
    return frame


MUCH = ConstantBitrate(bitrate_bps=8_000_000)


class AlterationTests(FolderTestCase):
    def differing(self, path, asked=PLAN, **counts):
        found = examine(path)
        counted = Counts(ticks=FRAMES, **counts)
        proof = prove(asked, facts=found.facts, counts=counted, seen=found.seen)
        self.assertTrue(all(line.cause for line in proof.differing if line.label in ("Frames", "Lost frames")))
        return {line.label for line in proof.differing}, proof

    def test_an_unaltered_file_is_as_asked(self):
        for form, container in (("mp4", Container.MP4), ("matroska", Container.MKV)):
            found, proof = self.differing(write(self.folder / form, form=form), with_recipe(container=container))
            self.assertEqual(found, set(), proof.differing)
            self.assertGreater(proof.asked_count, 20)

    def test_alterations_in_writing(self):
        for number, (label, changes) in enumerate((
            ("Container", {"form": "matroska"}),
            ("Size", {"size": (336, 188)}),
            ("Size", {"size": (160, 90)}),
            ("Rate", {"rate": 25}),
            ("Rate", {"rate": 60}),
            ("Codec, profile", {"codec": "mpeg4"}),
            ("Codec, profile", {"options": {"profile": "main", "8x8dct": "0"}}),
            ("Codec, profile", {"options": {"profile": "baseline", "8x8dct": "0"}}),
            ("Codec, profile", {"pixels": "yuv444p", "options": {"profile": "high444"}}),
            ("Pixel format", {"pixels": "yuv422p", "options": {"profile": "high422"}}),
            ("Pixel format", {"pixels": "yuv420p10le", "options": {"profile": "high10"}}),
            ("Matrix, range", {"tags": (6, 1, 1, 1)}),
            ("Matrix, range", {"tags": (2, 1, 1, 1)}),
            ("Matrix, range", {"tags": (1, 1, 1, 2)}),
            ("Transfer, primaries", {"tags": (1, 9, 1, 1)}),
            ("Transfer, primaries", {"tags": (1, 1, 16, 1)}),
            ("Transfer, primaries", {"tags": (1, 2, 2, 1)}),
            ("Pixel shape", {"aspect": Fraction(4, 3)}),
            ("Keyframes", {"gop": 300}),
            ("Keyframes", {"gop": 60}),
            ("Keyframes", {"gop": 15}),
            ("Lost frames", {"frames": [n for n in range(FRAMES) if not 40 <= n < 44]}),
            ("Lost frames", {"frames": range(60)}),
            ("Frames", {"frames": [n for n in range(FRAMES) if n != 50]}),
            ("Blackness", {"pictures": {"black": range(FRAMES)}}),
            ("Blackness", {"pictures": {"black": range(30, FRAMES)}}),
            ("Sound ends at", {"sound_s": 1.5}),
            ("Sound ends at", {"sound_s": 4.0}),
            ("Sound starts at", {"sound_at_s": 0.25}),
            ("Sound channels", {"layout": "mono"}),
            ("Sound rate", {"rate_hz": 44_100}),
            ("Sound codec", {"sound_codec": "ac3"}),
            ("Sound tracks", {"tracks": 2}),
            ("Sound tracks", {"tracks": 0}),
            ("Sound holes", {"holes": range(50, 60)}),
            ("Sound holes", {"holes": (30, 31, 80, 81)}),
            ("Sound silence", {"loud": 0.0}),
            ("New pictures", {"pictures": {"each": 2}}),
            ("Sound clipping", {"loud": 2.0, "sound_codec": "pcm_s16le", "form": "mov"}),
            ("Scan", {"options": {"flags": "+ildct+ilme"}}),
            ("Begins at", {"frames": range(150, 150 + FRAMES), "sound_at_s": 5.0}),
            ("Picture tracks", {"more_pictures": 1}),
        )):  # fmt: skip
            with self.subTest(label, **{key: str(value)[:40] for key, value in changes.items()}):
                found, proof = self.differing(write(self.folder / f"{number}", **{"form": "mp4"} | changes))
                self.assertIn(label, found, proof.summary)
                if label in ("Matrix, range", "Transfer, primaries", "Sound channels", "Sound silence", "Scan"):
                    self.assertTrue(next(line.cause for line in proof.differing if line.label == label))

    def test_a_file_that_was_turned_damaged_or_cut_off_afterwards(self):
        good = write(self.folder / "good.mp4").read_bytes()
        turned = bytearray(good)
        at = turned.index(b"tkhd") + 44
        turned[at : at + 36] = struct.pack(">9i", 0, 1 << 16, 0, -1 << 16, 0, 0, 180 << 16, 0, 1 << 30)
        damaged = bytearray(good)
        middle = good.index(b"mdat") + 30_000
        damaged[middle : middle + 5000] = bytes(5000)
        sturdy = write(self.folder / "good.mkv", form="matroska").read_bytes()
        for name, content, label in (
            ("turned.mp4", turned, "Pixel shape"),
            ("damaged.mp4", damaged, "Damage"),
            ("cut.mkv", sturdy[: len(sturdy) // 2], "Lost frames"),
        ):
            (self.folder / name).write_bytes(content)
            asked = with_recipe(container=Container(name[-3:]))
            with self.subTest(name):
                found, proof = self.differing(self.folder / name, asked)
                self.assertIn(label, found, proof.summary)
        (self.folder / "headless.mp4").write_bytes(good[: len(good) // 3])
        with self.assertRaises(MediaError):
            examine(self.folder / "headless.mp4")

    def test_what_nobody_would_notice_is_no_difference(self):
        for changes in ({"loud": 0.001}, {"pictures": {"black": range(5, 20)}}):
            with self.subTest(changes):
                found, proof = self.differing(write(self.folder / "quiet", **changes))
                self.assertEqual(found, set(), proof.differing)

    def test_a_file_that_was_changed_after_it_was_written(self):
        """Whatever was changed of what it carries, in every container, also where nothing else would show it."""
        for container, more in (
            (Container.MP4, {}), (Container.MKV, {}), (Container.TS, {}), (Container.MOV, {}),
            (Container.MKV, {"codec": VideoCodec.AV1, "effort": "11"}),
            (Container.MP4, {"codec": VideoCodec.AV1, "effort": "11"}),
            (Container.MP4, {"codec": VideoCodec.HEVC, "effort": "ultrafast"}),
            (Container.MKV, {"codec": VideoCodec.VP9, "effort": "speed 8", "sound_codec": SoundCodec.OPUS}),
            (Container.MKV, {"codec": VideoCodec.FFV1, "sound_codec": SoundCodec.PCM16}),
            (Container.MKV, {"codec": VideoCodec.MPEG2, "sound_codec": SoundCodec.AC3, "rate": MUCH}),
            (Container.MOV, {"codec": VideoCodec.PRORES, "bits": 10, "sound_codec": SoundCodec.PCM24}),
        ):  # fmt: skip
            recipe = resolve(Draft(container=container, **more))
            asked = FilePlan(recipe=recipe, frame=FRAME, tracks=("Sound",))
            path = self.folder / f"a.{recipe.suffix}"
            with PartWriter(path, asked) as writer:
                for tick in range(30):
                    writer.write_picture(clip_picture(tick).reformat(format=asked.signal.pixels), tick)
                    writer.write_samples(0, RANDOM.normal(0, 0.1, (2, 1600)).astype(np.float32))
            counts = Counts(ticks=30, written=writer.facts)
            data = path.read_bytes()
            with av.open(str(path)) as container_of:
                places = [(one.pos, one.size) for one in container_of.demux() if one.pos and one.size > 400]
            with self.subTest(container, codec=recipe.codec):
                said = [self.since(asked, path, counts)]
                for pos, size in places[len(places) // 2 :: len(places) // 3][:2]:
                    at = pos + size // 2
                    path.write_bytes(data[:at] + bytes(255 - one for one in data[at : at + 8]) + data[at + 8 :])
                    said.append(self.since(asked, path, counts))
                self.assertEqual(said, ["unchanged", "changed", "changed"])

    def since(self, asked, path, counts):
        """What a proof says of a file's packets since they were written."""
        proof = prove(asked, facts=probe(path), counts=counts, found=read_sent(path))
        return next(line.got for line in proof.lines if line.label == "Since it was written")

    def test_good_takes_of_all_kinds_do_not_differ(self):
        """Quiet, tonal, one-sided, with pauses, very short, one picture, standing still, slow, odd rates."""
        seconds = np.arange(48_000 * 3) / 48_000
        tone = 0.3 * np.sin(2 * np.pi * 440 * seconds)
        sounds = {
            "tone": np.stack([tone, tone]), "one side": np.stack([tone, 0 * tone]),
            "pauses": np.stack([tone * (seconds % 1 < 0.2)] * 2), "quiet": RANDOM.normal(0, 1e-3, (2, len(tone))),
            "hiss": RANDOM.normal(0, 0.1, (2, len(tone))), "a click": np.stack([(seconds == 1) * 0.5] * 2),
        }  # fmt: skip
        looks = {
            "still": lambda n: picture(0), "cursor": lambda n: blink(n), "slow pan": lambda n: picture(n // 30),
            "moving": picture, "colour alone": coloured,
        }  # fmt: skip
        rates = (
            "1", "10", "12", "24000/1001", "48000/1001", "72", "72000/1001", "90", "96", "120000/1001", "240000/1001",
            "144",
        )  # fmt: skip
        every = (Container.MKV, Container.MP4, Container.TS)
        cases = [("30", 90, look, "hiss", every[:1]) for look in looks]
        cases += [("30", 90, "moving", sound, every[1:2]) for sound in sounds]
        cases += [(rate, 40 if rate != "1" else 6, "moving", "tone", every) for rate in rates]
        cases += [("30", frames, "moving", "hiss", every) for frames in (1, 2, 3, 5)]
        for rate, frames, look, sound, containers in cases:
            for container in containers:
                mode = Mode.parse(f"320x180p{rate}")
                asked = plan(mode, container=container, effort="veryfast", keyframe_s=Fraction(1))
                path = self.folder / f"good.{asked.recipe.suffix}"
                heard = np.tile(sounds[sound], 14).astype(np.float32)
                with PartWriter(path, asked) as writer:
                    for tick in range(frames):
                        writer.write_picture(looks[look](tick), tick)
                        start, stop = (round(number * 48_000 / mode.rate) for number in (tick, tick + 1))
                        writer.write_samples(0, heard[:, start:stop])
                found = examine(path)
                counts = Counts(ticks=frames, written=writer.facts)
                proof = prove(asked, facts=found.facts, counts=counts, seen=found.seen, found=read_sent(path))
                with self.subTest(container, rate=rate, frames=frames, look=look, sound=sound):
                    self.assertEqual([(one.label, one.asked, one.got) for one in proof.differing], [])
                    said = [one.got for one in proof.lines if one.label == "Sound sides"]
                    self.assertEqual(said, ["right silent throughout"] if sound == "one side" else [])
                    in_time = found.in_time
                    shown, heard_of = in_time.picture, in_time.tracks[0]
                    self.assertEqual((shown.lost, shown.doubled, shown.cuts, shown.black), ((), (), (), ()))
                    self.assertEqual((heard_of.clipped, bool(heard_of.silent)), ((), sound == "a click"))

    def test_one_cause_is_said_once_and_agrees_with_the_file(self):
        path = write(self.folder / "gaps", frames=[n for n in range(FRAMES) if not 40 <= n < 47])
        _, proof = self.differing(path, lost_encoder=7, lost_before=3)
        causes = {line.cause for line in proof.differing if line.label in ("Frames", "Lost frames")}
        self.assertEqual(len(causes), 1)
        self.assertEqual(next(line.got for line in proof.lines if line.label == "Lost frames"), "10")

    def test_a_signal_that_was_gone_is_a_line_of_its_own(self):
        away = Stretch(first_tick=30, ticks=15, cause=LossCause.NO_SIGNAL)
        _, proof = self.differing(write(self.folder / "gone"), lost_before=15, stretches=(away,))
        line = next(line for line in proof.differing if line.label == "Signal gone")
        self.assertEqual((line.got, bool(line.todo)), ("0.5 s from 00:00:01:00", True))

    def test_a_bitrate_that_was_not_held(self):
        asked = with_recipe(rate=ConstantBitrate(bitrate_bps=250_000))
        path = write(self.folder / "long", frames=range(180), sound_s=6.0)
        found = examine(path)
        proof = prove(asked, facts=found.facts, counts=Counts(ticks=180), seen=found.seen)
        self.assertEqual([line.label for line in proof.differing], ["Video bitrate", "Busiest second"])
        # held on average, and not in the second in which all moves
        moves = {"frames": range(180), "sound_s": 6.0, "gop": 300, "pictures": {"frozen_from": 40}}
        path = write(self.folder / "burst", options={"crf": "1", "aq-mode": "0", "mbtree": "0"}, **moves)
        found = examine(path)
        asked = with_recipe(rate=ConstantBitrate(bitrate_bps=found.facts.video.bitrate_bps), keyframe_s=Fraction(10))
        proof = prove(asked, facts=found.facts, counts=Counts(ticks=180), seen=found.seen)
        self.assertEqual([line.label for line in proof.differing], ["Busiest second"])
