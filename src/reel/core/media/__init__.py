"""Real media files: probing, decoding, writing, rewrapping; shelves."""

from reel.core.media.channel_strip import ChannelStrip, sides
from reel.core.media.composing import Composer, Framed
from reel.core.media.containers import MAX_PIXELS, container_suffix
from reel.core.media.decoding import feed_files, feed_signal
from reel.core.media.digest import SentFacts, read_sent
from reel.core.media.drift import DriftResampler
from reel.core.media.drive import write_speed
from reel.core.media.errors import MediaError, NameTakenError, check_plain
from reel.core.media.facts import MediaFacts, SoundFacts, VideoFacts
from reel.core.media.frames import FrameFacts, frame_at, frame_times, reorders
from reel.core.media.framing import Framer
from reel.core.media.handing import WITH_CHAPTERS, sound_of, with_chapters
from reel.core.media.hardware import HardwareEncoder, try_hardware
from reel.core.media.limiter import Limiter
from reel.core.media.loudness import Loud, Loudness
from reel.core.media.overlay import Moment, OverlayAssets, OverlayBitmap, Stroke, draw_stroke, keep_image
from reel.core.media.picture import JpegEncoder, poster
from reel.core.media.planes import luma_of, planes_of
from reel.core.media.preview import encode_for_browser
from reel.core.media.probe import probe
from reel.core.media.rate import RateFacts, measure_rate
from reel.core.media.rewrap import RESCUED, claimed_length, rescue, rescued_path, rewrap_to_mp4
from reel.core.media.sent import Follows, SentWriter, why_not_held
from reel.core.media.shelf import Reserved, Shelf, megabytes, part_tag, sidecar_folder
from reel.core.media.speed import Sample, measure_speed
from reel.core.media.stills import frame_png, hardest_second, still
from reel.core.media.writer import PartWriter

__all__ = [
    "MAX_PIXELS",
    "RESCUED",
    "WITH_CHAPTERS",
    "ChannelStrip",
    "Composer",
    "DriftResampler",
    "Follows",
    "FrameFacts",
    "Framed",
    "Framer",
    "HardwareEncoder",
    "JpegEncoder",
    "Limiter",
    "Loud",
    "Loudness",
    "MediaError",
    "MediaFacts",
    "Moment",
    "NameTakenError",
    "OverlayAssets",
    "OverlayBitmap",
    "PartWriter",
    "RateFacts",
    "Reserved",
    "Sample",
    "SentFacts",
    "SentWriter",
    "Shelf",
    "SoundFacts",
    "Stroke",
    "VideoFacts",
    "check_plain",
    "claimed_length",
    "container_suffix",
    "draw_stroke",
    "encode_for_browser",
    "feed_files",
    "feed_signal",
    "frame_at",
    "frame_png",
    "frame_times",
    "hardest_second",
    "keep_image",
    "luma_of",
    "measure_rate",
    "measure_speed",
    "megabytes",
    "part_tag",
    "planes_of",
    "poster",
    "probe",
    "read_sent",
    "reorders",
    "rescue",
    "rescued_path",
    "rewrap_to_mp4",
    "sidecar_folder",
    "sides",
    "sound_of",
    "still",
    "try_hardware",
    "why_not_held",
    "with_chapters",
    "write_speed",
]
