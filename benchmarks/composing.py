"""Composition: a picture of 1280×720 with one live inset and a caption, against the same picture alone."""

import time
from fractions import Fraction

import av
import numpy as np

from reel.core.frame import Arrangement, Caption, Fit, FrameSetup, Piece, Place
from reel.core.media import Composer
from reel.core.signal import Mode, Signal

FRAMES, PER_S = 150, 30
MODE, CAMERA = Mode.parse("1280x720p30"), Mode.parse("640x480p30")
INSET = Piece(input="camera", fit=Fit.FILL, place=Place(x_px=916, y_px=500, width_px=336, height_px=190))
CAPTION = Piece(
    overlay=Caption(text="Moss & Stone, third bed"), place=Place(x_px=40, y_px=620, width_px=520, height_px=70)
)


def core_shares() -> tuple[float, float]:
    """Give the part of a core that a composed picture needs at 30 a second, and the picture alone."""
    composed, alone = (Arrangement(pieces=pieces) for pieces in ((Piece(), INSET, CAPTION), (Piece(),)))
    return min(_share(composed) for _ in range(3)), min(_share(alone) for _ in range(3))


def _share(arrangement: Arrangement) -> float:
    composer = Composer(FrameSetup(mode=MODE, arrangements=(arrangement,)), Signal(mode=MODE))
    pictures, insets = _pictures(MODE), _pictures(CAMERA)
    started = time.process_time()
    for number in range(FRAMES):
        picture, inset = pictures[number % len(pictures)], insets[number % len(insets)]
        composer.compose({"": (picture, Fraction(1)), "camera": (inset, Fraction(1))})
    return (time.process_time() - started) / FRAMES * PER_S


def _pictures(mode: Mode) -> list[av.VideoFrame]:
    """Give some pictures as a capture box hands them over, 4:2:2 packed."""
    random = np.random.default_rng(6)
    samples = random.integers(16, 236, (4, mode.height_px, mode.width_px, 2), dtype=np.uint8)
    return [av.VideoFrame.from_ndarray(one, format="yuyv422") for one in samples]
