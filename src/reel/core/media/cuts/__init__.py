"""Cutting: what is kept of a take's files as one file, its packets untouched but for a few frames at its edges."""

from reel.core.media.cuts.encoding import encode, kept_hashes
from reel.core.media.cuts.joints import is_joinable
from reel.core.media.cuts.material import Files
from reel.core.media.cuts.pictures import still_of, wave_of
from reel.core.media.cuts.reading import opened, read_packets
from reel.core.media.cuts.writing import cut

__all__ = ["Files", "cut", "encode", "is_joinable", "kept_hashes", "opened", "read_packets", "still_of", "wave_of"]
