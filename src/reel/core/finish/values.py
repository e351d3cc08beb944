"""A finish and what it is made from: values without files."""

import re
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import CONTAINERS, Container, RateKind, Recipe
from reel.core.finish.keep import Keep
from reel.core.finish.packets import PacketIndex
from reel.core.finish.picture import PictureFinish
from reel.core.finish.track import TrackFinish
from reel.core.frame import turned
from reel.core.signal import Matrix, Range

VERSION = 1
MAX_TRACKS = 64
# So many takes may follow on another one.
MAX_BEHIND = 50
# What the tracks are called that a finish adds.
COMMENTARY, MIX = "Commentary", "Mix"
_FILE_NAME = re.compile(r"(\w[\w.-]{0,79})?\Z", re.ASCII)
# The containers that can be chosen; an MP4 is a plain one in any case, once it is closed.
TARGETS = tuple(container for container in Container if container is not Container.MP4_PLAIN)


class StreamKind(StrEnum):
    """What a stream of a file holds."""

    PICTURE = "picture"
    SOUND = "sound"
    OTHER = "other"


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceStream:
    """A stream of a file by its `index` there; `codec` is libavcodec's name, "" for one that it does not know.

    `form` is what two streams share that can follow each other: the size and format of a picture, the rate and channels
    of sound, which has `channels` and `rate_hz`; a picture has its size, its pixel format by libavutil's name, and its
    colours as decoders take them; its size is as it is shown, `turned_deg` against the clock, with pixels of an
    `aspect` of width ÷ height. `bitrate_bps` is 0 where it was not measured.
    """

    index: int
    kind: StreamKind
    codec: str
    title: str = ""
    form: str = ""
    channels: int = 0
    rate_hz: int = 0
    width_px: int = 0
    height_px: int = 0
    pixels: str = ""
    aspect: Fraction = Fraction(1)
    turned_deg: int = 0
    matrix: Matrix = Matrix.BT709
    range: Range = Range.LIMITED
    bitrate_bps: int = 0

    @property
    def coded(self) -> tuple[int, int, Fraction]:
        """The size and the shape of pixels that a picture is coded with, before it is turned."""
        return turned(self.width_px, self.height_px, self.aspect, self.turned_deg)


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """A file that a finish is made from: its streams, and the packets of its picture where they were read.

    `is_joinable` says that frames which are encoded anew may stand in its picture's stream.
    """

    streams: tuple[SourceStream, ...]
    packets: PacketIndex | None = None
    is_joinable: bool = False

    @property
    def pictures(self) -> tuple[SourceStream, ...]:
        return tuple(stream for stream in self.streams if stream.kind is StreamKind.PICTURE)

    @property
    def sounds(self) -> tuple[SourceStream, ...]:
        return tuple(stream for stream in self.streams if stream.kind is StreamKind.SOUND)


@dataclass(frozen=True, slots=True, kw_only=True)
class Encoding:
    """That all is encoded anew, by a recipe: to `size_bytes` where that is not None. Raises BadValueError."""

    recipe: Recipe
    size_bytes: int | None = None

    def __post_init__(self) -> None:
        if self.size_bytes is not None and not 100_000 <= self.size_bytes <= 10**13:
            raise BadValueError("Size", f"{self.size_bytes / 1e6:g} MB", "it is from 0.1 MB to 10 TB")
        if self.size_bytes is not None and not set(self.recipe.codec_facts.rates) & {
            RateKind.VARIABLE,
            RateKind.BITRATE,
        }:
            codec = self.recipe.codec_facts.label
            raise BadValueError("Size", f"{self.size_bytes / 1e6:g} MB", f"{codec} has no bitrate that could be set")
        if self.recipe.as_sent:
            raise BadValueError("Recipe", "as sent", "what is encoded anew has a codec")


@dataclass(frozen=True, slots=True, kw_only=True)
class Finish:
    """What is made: a file of a container with the tracks (from 1, in their order) that are chosen, None for all, and
    with what is kept of the take, None for all of each of its files. `sound` says what becomes of some tracks,
    `picture` of it, `encoding` that all is encoded anew. `commentary` is the name of a file of what was spoken over it,
    which is a track behind the others; the tracks of `mixdown` are mixed in one before them. `behind` are the numbers
    of takes whose files follow on its own.

    Whatever it does not name stays as it is. Raises BadValueError.
    """

    container: Container
    tracks: tuple[int, ...] | None = None
    keep: Keep | None = None
    sound: tuple[TrackFinish, ...] = ()
    encoding: Encoding | None = None
    picture: PictureFinish = field(default_factory=PictureFinish)
    commentary: str = ""
    mixdown: tuple[int, ...] = ()
    behind: tuple[int, ...] = ()
    version: int = VERSION

    def __post_init__(self) -> None:
        if self.version != VERSION:
            raise BadValueError("Finish", self.version, f"this Reel reads version {VERSION}")
        chosen = self.tracks or ()
        if len(chosen) > MAX_TRACKS or any(not 1 <= track <= MAX_TRACKS for track in chosen):
            raise BadValueError("Tracks", len(chosen), f"they are counted from 1 to {MAX_TRACKS}")
        if len(set(chosen)) < len(chosen):
            raise BadValueError("Tracks", ", ".join(map(str, chosen)), "each is chosen once")
        if len(set(self.mixdown)) < len(self.mixdown) or any(not 1 <= one <= MAX_TRACKS + 1 for one in self.mixdown):
            raise BadValueError("Mix", ", ".join(map(str, self.mixdown))[:40], "each track is in it once")
        if len(self.behind) > MAX_BEHIND or len(set(self.behind)) < len(self.behind):
            raise BadValueError("Takes", len(self.behind), f"up to {MAX_BEHIND} follow, each once")
        if not _FILE_NAME.match(self.commentary):
            raise BadValueError("Commentary", self.commentary[:20], "it is a plain file name")
        if self.encoding is not None and self.encoding.recipe.container is not self.container:
            raise BadValueError("Container", self.container, f"the recipe has {self.encoding.recipe.container}")
        named = [one.track for one in self.sound]
        if len(set(named)) < len(named) or any(not 1 <= one <= MAX_TRACKS for one in named):
            raise BadValueError("Tracks", ", ".join(map(str, named)), f"each is named once, from 1 to {MAX_TRACKS}")

    @property
    def is_plain(self) -> bool:
        """Whether it names nothing but its container, the tracks and what is kept."""
        return replace(self, keep=None, tracks=None) == Finish(container=self.container)

    @property
    def keeps_frames(self) -> bool:
        """Whether it encodes without loss and draws nothing: frames stay as they are coded, however they are shown."""
        is_lossless = self.encoding is not None and self.encoding.recipe.rate.kind is RateKind.LOSSLESS
        return is_lossless and not self.picture.is_drawn

    def with_sound(self, changes: Iterable[TrackFinish]) -> "Finish":
        """Return it with what is done to tracks, in their order and without what says nothing."""
        said = [one for one in changes if one != TrackFinish(track=one.track)]
        return replace(self, sound=tuple(sorted(said, key=lambda one: one.track)))

    @property
    def suffix(self) -> str:
        """The ending of the file's name."""
        return CONTAINERS[self.container].suffix
