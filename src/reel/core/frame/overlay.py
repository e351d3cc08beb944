"""What is laid over the picture without being an input: a caption, an image, a clock."""

import re
from dataclasses import dataclass
from enum import StrEnum

from reel.core.errors import BadValueError
from reel.core.wire import Variant

MAX_TEXT, MAX_LINES = 200, 4
SIZE_PX = (8, 400)
COLOUR = re.compile(r"#[0-9a-f]{6}\Z", re.ASCII)
# Unicode 15, 23.2: joins emoji to one picture.
_JOINER = "\u200d"
_IMAGE_NAME = re.compile(r"[0-9a-f]{16}\.png\Z", re.ASCII)


class OverlayKind(StrEnum):
    """What lies over the picture."""

    CAPTION = "caption"
    IMAGE = "image"
    CLOCK = "clock"


class Font(StrEnum):
    """The fonts that ship with Reel, by the names of their files."""

    GROTESQUE = "bricolage-grotesque"
    SANS = "instrument-sans"
    MONO = "sometype-mono"


class Face(StrEnum):
    """What a clock shows: the timecode of the take, or the time of day."""

    TIMECODE = "timecode"
    TIME = "time of day"


class Overlay(Variant):
    """Something that is drawn."""

    __slots__ = ()

    @classmethod
    def variants(cls) -> dict[str, type[Variant]]:
        """Return the classes by their kind."""
        return {OverlayKind.CAPTION: Caption, OverlayKind.IMAGE: Image, OverlayKind.CLOCK: Clock}


@dataclass(frozen=True, slots=True, kw_only=True)
class Lettering:
    """How something is written: `size_px` is the height of a line; without a `ground` the picture shows through."""

    font: Font = Font.GROTESQUE
    size_px: int = 46
    colour: str = "#ffffff"
    ground: str = ""

    def __post_init__(self) -> None:
        if not SIZE_PX[0] <= self.size_px <= SIZE_PX[1]:
            raise BadValueError("Letter size", self.size_px, f"it must be from {SIZE_PX[0]} to {SIZE_PX[1]} pixels")
        for thing, colour in (("Colour", self.colour), ("Background", self.ground or "#000000")):
            if not COLOUR.match(colour):
                raise BadValueError(thing, colour, "it is a colour like #1f2a24")


@dataclass(frozen=True, slots=True, kw_only=True)
class Caption(Overlay):
    """Words over the picture."""

    text: str
    lettering: Lettering = Lettering()
    kind: OverlayKind = OverlayKind.CAPTION

    def __post_init__(self) -> None:
        self.check_kind()
        lines = self.text.split("\n")
        if not self.text.strip() or len(self.text) > MAX_TEXT or len(lines) > MAX_LINES:
            raise BadValueError(
                "Caption", self.text[:40], f"it has 1 to {MAX_TEXT} characters in up to {MAX_LINES} lines"
            )
        if not all(line.replace(_JOINER, "").isprintable() for line in lines):
            raise BadValueError("Caption", self.text[:40], "it has printable characters only")


@dataclass(frozen=True, slots=True, kw_only=True)
class Image(Overlay):
    """An image of the home's images, by the name that it was given when it was checked and kept."""

    name: str
    title: str = ""
    kind: OverlayKind = OverlayKind.IMAGE

    def __post_init__(self) -> None:
        self.check_kind()
        if not _IMAGE_NAME.match(self.name):
            raise BadValueError("Image", self.name[:40], "it is one that was uploaded")
        if len(self.title) > MAX_TEXT or not self.title.isprintable():
            raise BadValueError("Image", self.title[:40], f"its title has up to {MAX_TEXT} printable characters")


@dataclass(frozen=True, slots=True, kw_only=True)
class Clock(Overlay):
    """The take's timecode, or the time of day, in the picture."""

    face: Face = Face.TIMECODE
    lettering: Lettering = Lettering(font=Font.MONO, size_px=36, ground="#000000")
    kind: OverlayKind = OverlayKind.CLOCK

    def __post_init__(self) -> None:
        self.check_kind()
