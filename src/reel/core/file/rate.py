"""Rate control: what is held constant while the picture changes. A closed set of values, each with its own fields."""

from dataclasses import dataclass
from enum import StrEnum

from reel.core.errors import BadValueError
from reel.core.wire import Variant

BITRATE_BPS = (200_000, 400_000_000)
# The largest number that any codec's scale has.
_MOST = 63


class RateKind(StrEnum):
    """The kinds of rate control."""

    BITRATE = "bitrate"
    VARIABLE = "variable"
    QUANTISER = "quantiser"
    QUALITY = "quality"
    LOSSLESS = "lossless"
    PROFILE = "profile"


RATE_WORDS = {
    RateKind.QUALITY: "constant quality",
    RateKind.BITRATE: "constant bitrate",
    RateKind.VARIABLE: "variable bitrate",
    RateKind.QUANTISER: "constant quantiser",
    RateKind.LOSSLESS: "lossless",
    RateKind.PROFILE: "by its profile",
}


class RateControl(Variant):
    """How an encoder spends bits."""

    __slots__ = ()
    kind: RateKind

    @classmethod
    def variants(cls) -> dict[str, type[Variant]]:
        """Return the classes by their kind."""
        return {
            RateKind.BITRATE: ConstantBitrate,
            RateKind.VARIABLE: VariableBitrate,
            RateKind.QUANTISER: ConstantQuantiser,
            RateKind.QUALITY: ConstantQuality,
            RateKind.LOSSLESS: Lossless,
            RateKind.PROFILE: ByProfile,
        }

    @property
    def label(self) -> str:
        """For people, short: `CRF 20`, `12 Mb/s`."""
        raise NotImplementedError

    @property
    def target_bps(self) -> int | None:
        """Bits per second that are held on average; None where the picture decides."""
        return None

    @property
    def number(self) -> int | None:
        """The number on the codec's scale of quality or quantisers; None where there is none."""
        return None


@dataclass(frozen=True, slots=True, kw_only=True)
class ConstantBitrate(RateControl):
    """Every second takes `bitrate_bps`, whatever is shown."""

    bitrate_bps: int
    kind: RateKind = RateKind.BITRATE

    def __post_init__(self) -> None:
        self.check_kind()
        _check_bitrate("Video bitrate", self.bitrate_bps)

    @property
    def label(self) -> str:
        return f"{self.bitrate_bps / 1e6:g} Mb/s"

    @property
    def target_bps(self) -> int:
        return self.bitrate_bps


@dataclass(frozen=True, slots=True, kw_only=True)
class VariableBitrate(RateControl):
    """On average `bitrate_bps`; busy seconds take up to `max_bps`."""

    bitrate_bps: int
    max_bps: int
    kind: RateKind = RateKind.VARIABLE

    def __post_init__(self) -> None:
        self.check_kind()
        _check_bitrate("Video bitrate", self.bitrate_bps)
        _check_bitrate("Maximum bitrate", self.max_bps)
        if self.max_bps < self.bitrate_bps:
            raise BadValueError(
                "Maximum bitrate",
                _megabits(self.max_bps),
                f"it is at least the average, {_megabits(self.bitrate_bps)}",
            )

    @property
    def label(self) -> str:
        return f"{self.bitrate_bps / 1e6:g}, up to {self.max_bps / 1e6:g} Mb/s"

    @property
    def target_bps(self) -> int:
        return self.bitrate_bps


@dataclass(frozen=True, slots=True, kw_only=True)
class ConstantQuantiser(RateControl):
    """Every picture is rounded by the same step, whether or not it would be seen."""

    quantiser: int
    kind: RateKind = RateKind.QUANTISER

    def __post_init__(self) -> None:
        self.check_kind()
        _check_number("Quantiser", self.quantiser)

    @property
    def label(self) -> str:
        return f"QP {self.quantiser}"

    @property
    def number(self) -> int:
        return self.quantiser


@dataclass(frozen=True, slots=True, kw_only=True)
class ConstantQuality(RateControl):
    """Every picture looks as good as the others; what moves fast is rounded more, since the eye can't follow it."""

    quality: int
    kind: RateKind = RateKind.QUALITY

    def __post_init__(self) -> None:
        self.check_kind()
        _check_number("Quality", self.quality)

    @property
    def label(self) -> str:
        return f"CRF {self.quality}"

    @property
    def number(self) -> int:
        return self.quality


@dataclass(frozen=True, slots=True, kw_only=True)
class Lossless(RateControl):
    """Nothing is rounded: what is decoded is what was encoded, sample by sample."""

    kind: RateKind = RateKind.LOSSLESS

    def __post_init__(self) -> None:
        self.check_kind()

    @property
    def label(self) -> str:
        return "lossless"


@dataclass(frozen=True, slots=True, kw_only=True)
class ByProfile(RateControl):
    """The codec's profile says how many bits a picture of a size has."""

    kind: RateKind = RateKind.PROFILE

    def __post_init__(self) -> None:
        self.check_kind()

    @property
    def label(self) -> str:
        """Nothing: the profile says it."""
        return ""


def _check_bitrate(thing: str, bitrate_bps: int) -> None:
    low, high = BITRATE_BPS
    if not low <= bitrate_bps <= high:
        raise BadValueError(thing, _megabits(bitrate_bps), f"it must be from {_megabits(low)} to {_megabits(high)}")


def _megabits(bitrate_bps: int) -> str:
    return f"{bitrate_bps / 1e6:g} Mb/s"


def _check_number(thing: str, number: int) -> None:
    if not 0 <= number <= _MOST:
        raise BadValueError(thing, number, f"it must be from 0 to {_MOST}")
