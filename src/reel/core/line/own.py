"""Recorders that devices have of their own: they make the file by themselves, with the few options that they have."""

from dataclasses import dataclass, replace
from fractions import Fraction

from reel.core.file import ConstantBitrate, Container, FilePlan, Recipe
from reel.core.line.device import Eye
from reel.core.line.hops import HopContext, HopKind, HopResult
from reel.core.line.links import Connector
from reel.core.line.loss import Loss, LossKind, Time, Weight
from reel.core.line.signal_state import SignalState, converted, differences, one_eye
from reel.core.signal import Mode


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordOption:
    """One setting of a device's own recorder: the longer side that a picture is scaled to, its rate and bitrate.

    `steadied` says that the head's jitter is taken out, at the cost of a twentieth of the picture on each side.
    """

    longer_px: int
    rate: int
    bitrate_bps: int
    steadied: bool = False

    @property
    def key(self) -> str:
        """The option in one word, for forms and files: `1280 30 8M steadied`."""
        return f"{self.longer_px} {self.rate} {self.bitrate_bps // 1_000_000}M{' steadied' if self.steadied else ''}"

    @property
    def label(self) -> str:
        steadied = ", steadied" if self.steadied else ""
        return f"{self.longer_px} px, {self.rate} a second, {self.bitrate_bps // 1_000_000} Mb/s{steadied}"

    def mode_of(self, mode: Mode) -> Mode:
        """Return the mode of the file for a picture of `mode`: never bigger, never faster, both sides even."""
        scale = min(Fraction(1), Fraction(self.longer_px, max(mode.width_px, mode.height_px)))
        width, height = (int(side * scale) // 2 * 2 for side in (mode.width_px, mode.height_px))
        return replace(mode, width_px=width, height_px=height, rate=min(mode.rate, Fraction(self.rate)))


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnRecorder:
    """A device's own recorder. `max_s` is where it stops by itself, None for never.

    `comes_over` says that a file comes to the computer by itself; others stay on the device's storage. `is_paired`
    says that the device must be paired with the computer.
    """

    key: str
    name: str
    plugs_in: tuple[Connector, ...]
    record_options: tuple[RecordOption, ...]
    max_s: int | None = None
    comes_over: bool = False
    is_paired: bool = False
    feature: str = ""
    plugs_out: Connector | None = Connector.HOST
    kind: HopKind = HopKind.RECORDER
    needs_power: bool = False

    @property
    def options(self) -> tuple[tuple[str, str], ...]:
        """Keys and labels of its options; the first is what it does by itself."""
        return tuple((option.key, option.label) for option in self.record_options)

    @property
    def limit_label(self) -> str:
        return f"{self.max_s} s a file" if self.max_s else "until its storage is full"

    def chosen(self, key: str) -> RecordOption:
        """Return the option of a key; the first for ""."""
        return next((option for option in self.record_options if option.key == key), self.record_options[0])

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        """Return what its file holds; nothing of it is seen here while it records."""
        shown = one_eye(carried, Eye.LEFT if at.device.shown_eye is Eye.BOTH else at.device.shown_eye)
        option = self.chosen(at.option)
        before = replace(shown, offers=(), handed=None, taken=None)
        after = converted(before, option.mode_of(shown.signal.mode), "yuv420p", compressed="H.264")
        after = replace(after, connector=Connector.HOST, is_remote=True)
        losses = differences(before, after, hop=at.place)
        if self.max_s is not None:
            limit = Time(seconds=self.max_s)
            losses += (Loss(kind=LossKind.STOPS, stage="path", hop=at.place, limit=limit, weight=Weight.SMALL),)
        return HopResult(carried=after, losses=losses)


def remote_plan(option: RecordOption, mode: Mode, base: Recipe, track: str) -> FilePlan:
    """Return what a device's own recorder makes, for a picture of `mode`; names stay as the rig has them."""
    recipe = Recipe(
        container=Container.MP4,
        rate=ConstantBitrate(bitrate_bps=option.bitrate_bps),
        effort="ultrafast",
        name_pattern=base.name_pattern,
    )
    return FilePlan(recipe=recipe, frame=mode, tracks=(track,))
