"""An archive copy: what a take's file decodes to, kept without loss in open formats with checksums."""

from reel.core.errors import BadValueError
from reel.core.file import CODECS, Container, Draft, Lossless, Recipe, SoundCodec, VideoCodec, resolve
from reel.core.finish.picture import PictureFinish
from reel.core.finish.values import Source


def archive_recipe(source: Source, tags: PictureFinish | None = None) -> Recipe:
    """Return the recipe that keeps a file's frames to the last bit: FFV1 and FLAC in MKV, with its own samples.

    `tags` are what its colours really are. FLAC keeps 24 bits of each sample of sound. Raises BadValueError where FFV1
    is not written in the frames' format.
    """
    if not source.pictures:
        raise BadValueError("Archive copy", "sound only", "it is made of a picture")
    picture = source.pictures[0]
    pixels = picture.pixels.replace("yuvj", "yuv")
    kinds = {stored.pixels: kind for kind, stored in CODECS[VideoCodec.FFV1].stored.items()}
    if pixels not in kinds:
        raise BadValueError("Pixel format", pixels or "none", f"FFV1 is written in {', '.join(kinds)}")
    chroma, bits = kinds[pixels]
    return resolve(
        Draft(
            container=Container.MKV,
            codec=VideoCodec.FFV1,
            rate=Lossless(),
            chroma=chroma,
            bits=bits,
            matrix=(tags.matrix if tags is not None else None) or picture.matrix,
            range=(tags.range if tags is not None else None) or picture.range,
            sound_codec=SoundCodec.FLAC,
            sound_channels=max((one.channels for one in source.sounds), default=2) if source.sounds else 2,
        )
    )
