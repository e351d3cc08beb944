"""What tests of several inputs read from a file: the pictures' lumas, the tracks' samples, a tone's level."""

import av
import numpy as np

from reel.core.signal import Mode

SMALL = Mode.parse("64x64p24")


def amplitude_db(samples, hz, rate_hz=48_000):
    """The level in dB of a tone in samples (n,), by correlation with a Hann window; 0 is an amplitude of 1."""
    window = np.hanning(len(samples))
    turning = np.exp(-2j * np.pi * hz * np.arange(len(samples)) / rate_hz)
    return 20 * np.log10(max(1e-9, 2 * abs((samples * window * turning).sum()) / window.sum()))


def decoded(path):
    """The samples of each track of a file, float64 (channels, n), by its title."""
    found = {}
    with av.open(str(path)) as container:
        streams = {stream.index: stream for stream in container.streams.audio}
        blocks = {index: [] for index in streams}
        for packet in container.demux(*streams.values()):
            blocks[packet.stream.index] += [frame.to_ndarray() for frame in packet.decode()]
        for index, stream in streams.items():
            found[stream.metadata.get("title") or stream.metadata.get("name")] = np.concatenate(blocks[index], axis=1)
    return found


def lumas(path, area=None):
    """The mean luma of each picture of a file, in an area (x, y, width, height)."""
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            luma = frame.to_ndarray()[: frame.height, : frame.width]
            if area:
                x, y, width, height = area
                luma = luma[y : y + height, x : x + width]
            yield float(luma.mean())
