"""Sends a moving ramp in real time: python -m reel.recorder.tests.sender ADDRESS SECONDS WIDTH HEIGHT FORMAT.

A process of its own, since opening an output for a listener holds the interpreter's lock.
"""

import sys
import time
from contextlib import suppress

import av

from reel.core.media.tests.clips import picture


def send(address, seconds, width, height, form):
    with av.open(address, "w", format=form) as container:
        options = {"preset": "ultrafast", "tune": "zerolatency", "g": "15"}
        stream = container.add_stream("libx264", rate=30, options=options)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        start = time.monotonic()
        for tick in range(round(seconds * 30)):
            time.sleep(max(0, start + tick / 30 - time.monotonic()))
            frame = picture(tick, width, height)
            frame.pts = tick
            container.mux(stream.encode(frame))


if __name__ == "__main__":
    with suppress(OSError):  # the other side may go
        send(sys.argv[1], float(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4]), sys.argv[5])
