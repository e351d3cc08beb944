"""Levels of picture codecs: the smallest that holds a size, a rate and a bitrate, by their standards' tables."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from reel.core.signal import Mode


@dataclass(frozen=True, slots=True, kw_only=True)
class Level:
    """A level: luma samples of a picture and in a second, longest side, and bits per second.

    `block_px` is the side of what pictures are counted in: 16 for H.264, whose macroblocks are, 1 where samples are.
    """

    name: str
    picture_px: int
    second_px: int
    side_px: int
    bits_bps: int
    block_px: int = 1

    def lacks(self, mode: Mode, bits_bps: int | None, factor: Fraction = Fraction(1)) -> str:
        """Return which limit a frame goes beyond, "" for none; without `bits_bps` bitrate is not held against it.

        A profile may have `factor` times as many bits; see BITS_FACTORS.
        """
        block = self.block_px
        across, down = (-(-side // block) * block for side in (mode.width_px, mode.height_px))
        second_px = across * down * mode.rate
        if across * down > self.picture_px or max(across, down) > self.side_px:
            return f"a picture of {mode.size_label} is larger than it holds"
        if second_px > self.second_px:
            most = Fraction(self.second_px, across * down)
            return f"{mode.size_label} goes up to {float(most):.4g} pictures a second in it"
        max_bps = self.bits_bps * factor
        if bits_bps is not None and bits_bps > max_bps:
            return f"it holds up to {float(max_bps) / 1e6:g} Mb/s"
        return ""


def min_level(
    levels: Sequence[Level], mode: Mode, bits_bps: int | None, factor: Fraction = Fraction(1)
) -> Level | None:
    """Return the lowest level that holds a frame; None when none does."""
    return next((level for level in levels if not level.lacks(mode, bits_bps, factor)), None)


def level_of(levels: Sequence[Level], name: str) -> Level | None:
    return next((level for level in levels if level.name == name), None)


# ITU-T H.264, table A-2: how many times the bits of High a profile has.
BITS_FACTORS = {
    "High 10": Fraction(3000, 1250),
    "High 4:2:2": Fraction(4000, 1250),
    "High 4:4:4 Predictive": Fraction(4000, 1250),
}
# ITU-T H.264, table A-1: macroblocks a second, macroblocks of a picture, kbit/s in Main; High has 1.25 times as many
# bits (table A-2). No side is longer than √(8 × macroblocks) (A.3.1).
_H264 = (
    ("1", 1485, 99, 64),
    ("1.1", 3000, 396, 192),
    ("1.2", 6000, 396, 384),
    ("1.3", 11880, 396, 768),
    ("2", 11880, 396, 2000),
    ("2.1", 19800, 792, 4000),
    ("2.2", 20250, 1620, 4000),
    ("3", 40500, 1620, 10_000),
    ("3.1", 108_000, 3600, 14_000),
    ("3.2", 216_000, 5120, 20_000),
    ("4", 245_760, 8192, 20_000),
    ("4.1", 245_760, 8192, 50_000),
    ("4.2", 522_240, 8704, 50_000),
    ("5", 589_824, 22_080, 135_000),
    ("5.1", 983_040, 36_864, 240_000),
    ("5.2", 2_073_600, 36_864, 240_000),
    ("6", 4_177_920, 139_264, 240_000),
    ("6.1", 8_355_840, 139_264, 480_000),
    ("6.2", 16_711_680, 139_264, 800_000),
)
H264_LEVELS = tuple(
    Level(
        name=name,
        picture_px=picture * 256,
        second_px=second * 256,
        side_px=int((8 * picture) ** 0.5) * 16,
        bits_bps=kilobits * 1250,
        block_px=16,
    )
    for name, second, picture, kilobits in _H264
)
# ITU-T H.265, tables A.8 and A.9: luma samples of a picture and a second, kbit/s in the Main tier. No side is longer
# than √(8 × samples) (A.4.1).
_HEVC = (
    ("1", 36_864, 552_960, 128),
    ("2", 122_880, 3_686_400, 1500),
    ("2.1", 245_760, 7_372_800, 3000),
    ("3", 552_960, 16_588_800, 6000),
    ("3.1", 983_040, 33_177_600, 10_000),
    ("4", 2_228_224, 66_846_720, 12_000),
    ("4.1", 2_228_224, 133_693_440, 20_000),
    ("5", 8_912_896, 267_386_880, 25_000),
    ("5.1", 8_912_896, 534_773_760, 40_000),
    ("5.2", 8_912_896, 1_069_547_520, 60_000),
    ("6", 35_651_584, 1_069_547_520, 60_000),
    ("6.1", 35_651_584, 2_139_095_040, 120_000),
    ("6.2", 35_651_584, 4_278_190_080, 240_000),
)
HEVC_LEVELS = tuple(
    Level(
        name=name,
        picture_px=picture,
        second_px=second,
        side_px=int((8 * picture) ** 0.5),
        bits_bps=kilobits * 1000,
    )
    for name, picture, second, kilobits in _HEVC
)
# AV1 bitstream, A.3: samples of a picture, longest side, samples shown a second, Mb/s in the Main tier.
_AV1 = (
    ("2.0", 147_456, 2048, 4_423_680, 1.5),
    ("2.1", 278_784, 2816, 8_363_520, 3),
    ("3.0", 665_856, 4352, 19_975_680, 6),
    ("3.1", 1_065_024, 5504, 31_950_720, 10),
    ("4.0", 2_359_296, 6144, 70_778_880, 12),
    ("4.1", 2_359_296, 6144, 141_557_760, 20),
    ("5.0", 8_912_896, 8192, 267_386_880, 30),
    ("5.1", 8_912_896, 8192, 534_773_760, 40),
    ("5.2", 8_912_896, 8192, 1_069_547_520, 60),
    ("6.0", 35_651_584, 16_384, 1_069_547_520, 60),
    ("6.1", 35_651_584, 16_384, 2_139_095_040, 100),
    ("6.2", 35_651_584, 16_384, 4_278_190_080, 160),
)
AV1_LEVELS = tuple(
    Level(name=name, picture_px=picture, side_px=side, second_px=second, bits_bps=round(megabits * 1_000_000))
    for name, picture, side, second, megabits in _AV1
)
