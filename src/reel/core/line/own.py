"""Recorders that devices have of their own: they make the file by themselves, as they are set."""

from dataclasses import dataclass, replace

from reel.core.file import CODECS, ConstantBitrate, Container, Draft, FilePlan, Recipe, resolve
from reel.core.line.device import Device, Eye
from reel.core.line.hops import HopContext, HopKind, HopResult
from reel.core.line.links import Connector
from reel.core.line.loss import Loss, LossKind, Time, Weight
from reel.core.line.own_settings import OwnFacts, OwnSettings, OwnSound, limit_label
from reel.core.line.signal_state import SignalState, converted, cropped, differences, one_eye, source_signal
from reel.core.signal import Mode

MICROPHONE_TRACK = "Microphone"


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnRecorder:
    """A device's own recorder. `facts` is what it can be set to, None for what the device itself has.

    `comes_over` says that a file comes to the computer by itself; others stay on the device's storage. `is_paired`
    says that the device must be paired with the computer.
    """

    key: str
    name: str
    plugs_in: tuple[Connector, ...]
    facts: OwnFacts | None = None
    comes_over: bool = False
    is_paired: bool = False
    feature: str = ""
    plugs_out: Connector | None = Connector.HOST
    kind: HopKind = HopKind.RECORDER
    needs_power: bool = False

    @property
    def limit_label(self) -> str:
        """How long a file may be, where that is the same for every device."""
        if self.facts is None or len(self.facts.limits_s) > 1:
            return "as set in File"
        return limit_label(self.facts.limits_s[0])

    def facts_of(self, device: Device) -> OwnFacts:
        """Return what can be set at it on a device."""
        facts = self.facts or device.facts.own
        assert facts is not None, "nothing without a recorder has a way out to its storage"
        return facts

    def settings_of(self, device: Device, chosen: OwnSettings | None) -> OwnSettings:
        """Return how it is set: as it was chosen, or as it does by itself."""
        return chosen or self.facts_of(device).usual

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        """Return what its file holds; nothing of it is seen here while it records."""
        shown = _recorded(carried, at.device)
        wanted = self.settings_of(at.device, at.own)
        before = replace(shown, offers=(), handed=None, taken=None)
        screen = before.signal.mode
        part = cropped(before, *wanted.shape.part_of(screen.width_px, screen.height_px))
        after = converted(part, wanted.picture_of(screen), "yuv420p", compressed=CODECS[wanted.codec].label)
        after = replace(after, connector=Connector.HOST, is_remote=True)
        losses = differences(part, after, hop=at.place)
        if part is not before:
            was, left = (mode.width_px * mode.height_px for mode in (screen, part.signal.mode))
            losses += (
                Loss(kind=LossKind.CROPPED, stage="path", hop=at.place, weight=Weight.SMALL, was=was, left=left),
            )
        if wanted.limit_s:
            limit = Time(seconds=wanted.limit_s)
            losses += (Loss(kind=LossKind.STOPS, stage="path", hop=at.place, limit=limit, weight=Weight.SMALL),)
        return HopResult(carried=after, losses=losses)


def _recorded(carried: SignalState, device: Device) -> SignalState:
    """Return what is recorded of a device's screen: one eye where it has two, the left where it shows both."""
    return one_eye(carried, Eye.LEFT if device.shown_eye is Eye.BOTH else device.shown_eye)


def screen_of(device: Device) -> Mode:
    """Return the mode of what a device's own recorder records of it, before it is scaled."""
    leaves = source_signal(device)
    assert leaves is not None, "whatever records by itself has a screen"
    return _recorded(leaves, device).signal.mode


def remote_plan(wanted: OwnSettings, mode: Mode, base: Recipe, track: str) -> FilePlan:
    """Return what a device's own recorder makes, for a picture of `mode`; names stay as the rig has them.

    `track` is what the sound of the device itself is called.
    """
    recipe = resolve(
        Draft(
            container=Container.MP4,
            codec=wanted.codec,
            rate=ConstantBitrate(bitrate_bps=wanted.bitrate_bps),
            effort="ultrafast",
            name_pattern=base.name_pattern,
        )
    )
    tracks = {
        OwnSound.NONE: (),
        OwnSound.DEVICE: (track,),
        OwnSound.MICROPHONE: (MICROPHONE_TRACK,),
        OwnSound.BOTH: (track, MICROPHONE_TRACK),
    }
    return FilePlan(recipe=recipe, frame=mode, tracks=tracks[wanted.sound])
