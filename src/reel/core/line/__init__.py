"""The line: devices, hops, the walk from the device to the file, losses and remedies."""

from reel.core.line.advice import AlarmKind, Check, CheckState
from reel.core.line.arrival import ArrivalSetup, Deinterlace, LineReading
from reel.core.line.catalogue import HOPS
from reel.core.line.changed import changed_words
from reel.core.line.checklist import Seen, checks_after, checks_before, computer_checks
from reel.core.line.device import Device, Eye, Turn
from reel.core.line.devices import (
    DEVICES,
    Camera,
    Console,
    Deck,
    DeviceKind,
    Feed,
    Headset,
    Microphone,
    PartyChat,
    Phone,
    Tablet,
)
from reel.core.line.exchange import BadRigFileError, read_rig, write_rig
from reel.core.line.hops import Hop, HopKind, label_of
from reel.core.line.input import InputSetup, SignalChain, signal_chain
from reel.core.line.links import Connector
from reel.core.line.loss import Loss, LossKind, Weight
from reel.core.line.offer import Offer
from reel.core.line.origin import FEED_PROTOCOLS, MediaFile, Network, Origin, Simulated
from reel.core.line.path import FELT_MS, HopSetup, SignalPath, Step, signal_path
from reel.core.line.proposal import (
    USUAL_FRAME,
    NoPathError,
    best_path,
    default_origin,
    fitting_frame,
    propose,
    propose_input,
    propose_with,
    with_fitting_frame,
)
from reel.core.line.remedy import Remedy, remedies
from reel.core.line.rig import MAX_INPUTS, RigSetup, file_plan, without_free_tracks
from reel.core.line.signal_state import Fields, Levels, SignalState
from reel.core.line.stages import STAGES, Live, Stage, Strand, heard, line_stages, strands
from reel.core.line.words import LossMessage, loss_message, word

__all__ = [
    "DEVICES",
    "FEED_PROTOCOLS",
    "FELT_MS",
    "HOPS",
    "MAX_INPUTS",
    "STAGES",
    "USUAL_FRAME",
    "AlarmKind",
    "ArrivalSetup",
    "BadRigFileError",
    "Camera",
    "Check",
    "CheckState",
    "Connector",
    "Console",
    "Deck",
    "Deinterlace",
    "Device",
    "DeviceKind",
    "Eye",
    "Feed",
    "Fields",
    "Headset",
    "Hop",
    "HopKind",
    "HopSetup",
    "InputSetup",
    "Levels",
    "LineReading",
    "Live",
    "Loss",
    "LossKind",
    "LossMessage",
    "MediaFile",
    "Microphone",
    "Network",
    "NoPathError",
    "Offer",
    "Origin",
    "PartyChat",
    "Phone",
    "Remedy",
    "RigSetup",
    "Seen",
    "SignalChain",
    "SignalPath",
    "SignalState",
    "Simulated",
    "Stage",
    "Step",
    "Strand",
    "Tablet",
    "Turn",
    "Weight",
    "best_path",
    "changed_words",
    "checks_after",
    "checks_before",
    "computer_checks",
    "default_origin",
    "file_plan",
    "fitting_frame",
    "heard",
    "label_of",
    "line_stages",
    "loss_message",
    "propose",
    "propose_input",
    "propose_with",
    "read_rig",
    "remedies",
    "signal_chain",
    "signal_path",
    "strands",
    "with_fitting_frame",
    "without_free_tracks",
    "word",
    "write_rig",
]
