"""Files that no rig recorded, of odd kinds, encoded anew: what comes of each is proved against the finish."""

import io
import subprocess
from fractions import Fraction
from shutil import which

import av
import numpy as np
from django.conf import settings
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone
from PIL import Image

from reel.core.media import encode_for_browser, poster, probe, still
from reel.web.finishes.editing import opened
from reel.web.jobs.running import run_waiting
from reel.web.takes.models import Part, Take, TakeOrigin, TakeState
from reel.web.takes.proving import prove_part
from reel.web.takes.tests.home import HomeMixin

FRAMES = 32
# What each is: its container, codecs, pixel format and size, pictures a second, and more of how it is written.
ODD = {
    "mono": {"form": "matroska", "sound": "libmp3lame", "rate_hz": 44_100, "layout": "mono"},
    "narrow": {"form": "mpegts", "codec": "mpeg2video", "size": (720, 576), "rate": 25, "aspect": Fraction(16, 15),
               "sound": "mp2", "options": {"flags": "+ildct+ilme"}},
    "varies": {"times": [tick * 100 + tick * 17 % 60 for tick in range(FRAMES)]},
    "leaves out": {"times": [(tick + tick // 7) * 100 for tick in range(FRAMES)]},
    "full": {"form": "matroska", "codec": "mjpeg", "pixels": "yuvj422p", "sound": "pcm_s16le"},
    "film": {"form": "webm", "codec": "libvpx", "rate": Fraction(24_000, 1001), "sound": "libopus", "size": (322, 182)},
    "upright": {"turned_deg": 90},
    "hung": {"form": "matroska", "turned_deg": 180, "aspect": Fraction(8, 9)},
    "silent": {"sound": ""},
}  # fmt: skip


def write(path, *, form="mp4", codec="libx264", pixels="yuv420p", size=(320, 180), rate=30, aspect=None, sound="aac",
          rate_hz=48_000, layout="stereo", times=None, turned_deg=0, options=None):  # fmt: skip
    """Write a file of FRAMES pictures that move; `times` are those of its frames in hundredths of one."""
    with av.open(str(path), "w", format=form) as writer:
        picture = writer.add_stream(codec, rate=rate, options=options or {})
        picture.width, picture.height, picture.pix_fmt = *size, pixels
        picture.time_base = picture.codec_context.time_base = 1 / Fraction(rate) / (100 if times else 1)
        if aspect:
            picture.sample_aspect_ratio = picture.codec_context.sample_aspect_ratio = aspect
        if turned_deg:
            picture.set_display_rotation(turned_deg)
        track = writer.add_stream(sound, rate=rate_hz, layout=layout) if sound else None
        for tick in range(FRAMES):
            planes = np.full((size[1], size[0], 3), 60, dtype=np.uint8)
            planes[:, : size[0] // 2] = 150 + tick % 40
            frame = av.VideoFrame.from_ndarray(planes, format="rgb24").reformat(format=pixels)
            frame.pts = times[tick] if times else tick
            writer.mux(picture.encode(frame))
        if track is not None:
            count = int(FRAMES / Fraction(rate) * rate_hz)
            wave = (0.3 * np.sin(np.arange(count) / 20)).astype(np.float32)
            resampler = av.AudioResampler(format=track.format, layout=layout, rate=rate_hz, frame_size=1152)
            block = av.AudioFrame.from_ndarray(wave[None, :], format="fltp", layout="mono")
            block.sample_rate = rate_hz
            for one in [*resampler.resample(block), *resampler.resample(None)]:
                writer.mux(track.encode(one))
            writer.mux(track.encode(None))
        writer.mux(picture.encode(None))


class BroughtTests(HomeMixin, TestCase):
    def brought(self, name, look):
        form = look.get("form", "mp4")
        file_name = f"{name}.{ {'matroska': 'mkv', 'mpegts': 'ts'}.get(form, form) }"
        write(settings.HOME.shelf / file_name, **look)
        take = Take.objects.create(
            name=name, rig_name="Brought in", state=TakeState.CLOSED, started_at=timezone.now(),
            origin=TakeOrigin.BROUGHT_IN,
        )  # fmt: skip
        part = Part.objects.create(take=take, file_name=file_name)
        prove_part(part, lambda at: None)
        return Take.objects.with_parts().get(pk=take.pk)

    def make(self, take, how):
        """Have a finish made of all of a take, encoded in a way."""
        self.client.get(reverse("finishes:stage", args=[take.pk, "file"]))
        run_waiting()
        answer = self.client.post(reverse("finishes:file", args=[take.pk]), {"how": how, "seen": opened(take).seen})
        self.assertEqual(answer.status_code, 302, answer.content[:300])
        self.client.post(reverse("finishes:make", args=[take.pk]))
        run_waiting()
        run_waiting()

    def test_what_is_encoded_anew_is_proved_against_its_finish(self):
        for name, look in ODD.items():
            with self.subTest(name):
                take = self.brought(name, look)
                self.make(take, "point:share")
                made = Take.objects.with_parts().filter(origin=TakeOrigin.MADE).latest("pk")
                self.assertEqual(made.rig_name, f"Made from {name}")
                if name == "leaves out":
                    self.assertEqual(made.proof_state, "not asked")
                    continue
                differing = [
                    (one["label"], one["asked"], one["got"])
                    for one in made.first.proof["lines"] if one["verdict"] == "differs"
                ]  # fmt: skip
                self.assertEqual((differing, made.proof_state), ([], "as asked"))
                # square pixels, and no bars
                size = {"narrow": (768, 576), "film": (322, 182), "upright": (180, 320), "hung": (320, 202)}
                shown = made.form.width_px, made.form.height_px
                self.assertEqual(shown, size.get(name, (320, 180)))
                if name in ("upright", "hung", "narrow"):
                    paths = [settings.HOME.shelf / one.first.file_name for one in (take, made)]
                    self.assert_as_shown(*paths)

    def assert_as_shown(self, source, made):
        """One half is bright, the same one in the source as a player turns it, in its poster, and in copies of it."""
        small = made.with_name("small.mp4")
        encode_for_browser(source, small, lambda part: None)
        shown = [poster(source), *(still(path, Fraction(1, 2)) for path in (source, made, small))]
        small.unlink()
        bright = [np.asarray(Image.open(io.BytesIO(one)).convert("L").resize((8, 8))) > 105 for one in shown]
        self.assertEqual(bright[0].sum(), 32)
        for one in bright[1:]:
            self.assertEqual(one.tolist(), bright[0].tolist())

    def test_an_archive_copy_keeps_frames_as_they_are_coded_and_how_they_are_shown(self):
        for name in ("upright", "hung"):
            with self.subTest(name):
                take = self.brought(name, ODD[name])
                self.make(take, "archive")
                made = Take.objects.with_parts().filter(origin=TakeOrigin.MADE).latest("pk")
                self.assertTrue(made.first.is_hashed)
                one, other = (probe(settings.HOME.shelf / each.first.file_name).video for each in (take, made))
                for fact in ("width_px", "height_px", "turned_deg", "frames"):
                    self.assertEqual(getattr(one, fact), getattr(other, fact), fact)
                if second := which("mediainfo"):  # FFV1 says it with each frame
                    path = str(settings.HOME.shelf / made.first.file_name)
                    said = subprocess.check_output([second, "--Inform=Video;%PixelAspectRatio%", path], text=True)
                    self.assertAlmostEqual(float(said), one.pixel_aspect, delta=0.001)
