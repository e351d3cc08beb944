"""A recipe: what the file is to hold, each setting with its limits and the sentence that explains it."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file.naming import DEFAULT_PATTERN, check_pattern
from reel.core.signal import SoundFormat

VIDEO_BITRATE_BPS = (200_000, 400_000_000)
# x264: 0 is lossless, which no profile but High 4:4:4 Predictive holds (ITU-T H.264, A.2.7).
QUALITY_CRF = (1, 51)
KEYFRAME_S = (Fraction(1, 10), Fraction(20))
SOUND_BITRATE_BPS = (64_000, 320_000)
SOUND_RATES_HZ = (44_100, 48_000, 96_000)
# Of each sample in a file of sound beside the take: more than any input has.
SOUND_FILE_BITS = 24


class Container(StrEnum):
    """The kinds of file that Reel rolls into; both stay readable when the writer is killed."""

    MKV = "mkv"
    MP4 = "mp4"


class SoundFiles(StrEnum):
    """What each track is written to beside the take, without loss: nothing, or a file of its own."""

    NONE = "none"
    WAV = "wav"
    FLAC = "flac"


class RateControl(StrEnum):
    """What is held constant while the picture changes: the data rate, or the quality."""

    CBR = "cbr"
    CRF = "crf"


@dataclass(frozen=True, slots=True, kw_only=True)
class Effort:
    """An x264 preset and the look-ahead that it uses by default, in frames (x264's own table of presets)."""

    preset: str
    lookahead: int


EFFORTS = {
    effort.preset: effort
    for effort in (
        Effort(preset="ultrafast", lookahead=0),
        Effort(preset="superfast", lookahead=0),
        Effort(preset="veryfast", lookahead=10),
        Effort(preset="faster", lookahead=20),
        Effort(preset="fast", lookahead=30),
        Effort(preset="medium", lookahead=40),
        Effort(preset="slow", lookahead=50),
    )
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe:
    """The file settings. Video is H.264 High, 4:2:0 8-bit, BT.709 limited; sound is AAC-LC.

    `bitrate_bps` counts with CBR, `quality_crf` with CRF; the other one is kept for the day the person changes back.
    The sound's bitrate, rate and channels hold for each track, `sound_files` is what each is written to as well.
    """

    container: Container = Container.MKV
    rate_control: RateControl = RateControl.CRF
    bitrate_bps: int = 12_000_000
    quality_crf: int = 20
    effort: str = "superfast"
    keyframe_s: Fraction = Fraction(2)
    sound_bitrate_bps: int = 192_000
    sound_rate_hz: int = 48_000
    sound_channels: int = 2
    sound_files: SoundFiles = SoundFiles.NONE
    name_pattern: str = DEFAULT_PATTERN

    def __post_init__(self) -> None:
        _within("Video bitrate", self.bitrate_bps, VIDEO_BITRATE_BPS, "bits per second")
        _within("Quality", self.quality_crf, QUALITY_CRF, "(CRF)")
        _within("Keyframe interval", self.keyframe_s, KEYFRAME_S, "seconds")
        _within("Sound bitrate", self.sound_bitrate_bps, SOUND_BITRATE_BPS, "bits per second")
        if self.sound_rate_hz not in SOUND_RATES_HZ:
            raise BadValueError("Sample rate", self.sound_rate_hz, "it is 44100, 48000 or 96000 Hz")
        if self.sound_channels not in (1, 2):
            raise BadValueError("Channels", self.sound_channels, "a track is mono or stereo")
        if self.effort not in EFFORTS:
            raise BadValueError("Effort", self.effort, "it is one of " + ", ".join(EFFORTS))
        check_pattern(self.name_pattern)

    @property
    def sound(self) -> SoundFormat:
        """The form of each track's sound."""
        return SoundFormat(rate_hz=self.sound_rate_hz, channels=self.sound_channels)

    @property
    def label(self) -> str:
        """The codec and its rate control for people: `H.264 CRF 20`, `H.264 12 Mb/s`."""
        if self.rate_control is RateControl.CRF:
            return f"H.264 CRF {self.quality_crf}"
        return f"H.264 {self.bitrate_bps / 1e6:g} Mb/s"


def _within(thing: str, value: int | Fraction, limits: tuple[int | Fraction, int | Fraction], unit: str) -> None:
    if not limits[0] <= value <= limits[1]:
        low, high = (f"{float(limit):,g}" if limit < 1000 else f"{int(limit):,}" for limit in limits)
        raise BadValueError(thing, f"{float(value):,g}", f"it must be from {low} to {high} {unit}".replace(",", " "))
