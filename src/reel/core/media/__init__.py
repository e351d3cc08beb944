"""Real media files: probing, writing, rewrapping, playing as a feed; shelves."""

from reel.core.media.errors import MediaError, NameTakenError
from reel.core.media.feed import FileFeed
from reel.core.media.framing import Framer
from reel.core.media.picture import JpegEncoder, poster
from reel.core.media.probe import MediaFacts, SoundFacts, VideoFacts, probe
from reel.core.media.rate import RateFacts, measure_rate
from reel.core.media.rewrap import rewrap_to_mp4
from reel.core.media.shelf import Reserved, Shelf, megabytes
from reel.core.media.stream import StreamFeed
from reel.core.media.writer import PartWriter

__all__ = [
    "FileFeed",
    "Framer",
    "JpegEncoder",
    "MediaError",
    "MediaFacts",
    "NameTakenError",
    "PartWriter",
    "RateFacts",
    "Reserved",
    "Shelf",
    "SoundFacts",
    "StreamFeed",
    "VideoFacts",
    "measure_rate",
    "megabytes",
    "poster",
    "probe",
    "rewrap_to_mp4",
]
