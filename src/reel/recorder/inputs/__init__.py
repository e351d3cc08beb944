"""Inputs that are no stand-ins: media files, and streams from the network."""

from reel.recorder.inputs.file import FileFeed
from reel.recorder.inputs.network import StreamFeed

__all__ = ["FileFeed", "StreamFeed"]
