"""What is known of a media file that was read whole, as `probe` returns it."""

from dataclasses import dataclass
from fractions import Fraction

from reel.core.media.rate import RateFacts
from reel.core.signal import Matrix, Range


@dataclass(frozen=True, slots=True, kw_only=True)
class VideoFacts:
    """The picture of a file. `matrix`, `range`, `transfer` and `primaries` are None where the file does not say them.

    `frames` are the pictures that a player shows; `decoded` of them could be decoded, `undecodable` packets could not.
    `keyframe_ticks` holds the distances between keyframes in frames, each once, without the last stretch; `keyframes`
    is how many there are, `last_stretch` the frames from the last one on. `start_s` is the presentation time of the
    first picture, `length_s` from there to the end of the last. `pixel_aspect` is the width ÷ height of a pixel,
    `turned_deg` how far a player turns the picture. `transfer` and `primaries` are ITU-T H.273 codes. A codec is
    named as people do; one that Reel does not write, as libavcodec does. It `is_interlaced` where any picture is coded
    as fields; it has so many `sizes`. `peak_bits` are those of its busiest second.
    """

    codec: str
    profile: str
    width_px: int
    height_px: int
    pixels: str
    matrix: Matrix | None
    range: Range | None
    rate: RateFacts | None
    frames: int
    keyframe_ticks: tuple[int, ...]
    start_s: Fraction
    length_s: Fraction
    bitrate_bps: int
    decoded: int = 0
    undecodable: int = 0
    keyframes: int = 0
    last_stretch: int = 0
    pixel_aspect: Fraction = Fraction(1)
    turned_deg: int = 0
    transfer: int | None = None
    primaries: int | None = None
    level: str = ""
    is_interlaced: bool = False
    sizes: int = 1
    peak_bits: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundFacts:
    """One sound track of a file; `start_s` is the presentation time of its first sample, `length_s` until its last.

    `holes` are (second, seconds) at which its time leaves something out, negative where it goes back. `rms_db` is its
    level in dBFS over all, `sides_db` that of each channel, and `peak_db` its highest sample, None where nothing could
    be decoded; `undecodable` packets could not. `clipped` samples stand at full scale in runs of CLIP_RUN or more.
    `title` is its name.
    """

    codec: str
    profile: str
    rate_hz: int
    channels: int
    start_s: Fraction
    length_s: Fraction
    bitrate_bps: int
    holes: tuple[tuple[Fraction, Fraction], ...] = ()
    undecodable: int = 0
    rms_db: float | None = None
    sides_db: tuple[float, ...] = ()
    peak_db: float | None = None
    clipped: int = 0
    title: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class MediaFacts:
    """A media file: its container, size, first picture stream (if any) and sound tracks.

    The container is named by what the file says of itself; one that Reel does not write, by libavformat's name.

    `broken_s` is where reading it ended before its end, None when it could be read whole. `pictures` are its streams of
    moving pictures.
    """

    container: str
    size_bytes: int
    video: VideoFacts | None
    sound: tuple[SoundFacts, ...]
    broken_s: Fraction | None = None
    pictures: int = 1

    @property
    def length_s(self) -> Fraction:
        """The length of the picture, or of the longest track when there is none."""
        if self.video:
            return self.video.length_s
        return max((track.length_s for track in self.sound), default=Fraction(0))
