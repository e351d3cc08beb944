"""The line: devices, hops, the walk from the device to the file, losses and remedies."""

from reel.core.line.advice import AlarmKind, Check, CheckState
from reel.core.line.arrival import ArrivalSetup, Deinterlace, LineReading
from reel.core.line.carried import Carried, Fields, Levels
from reel.core.line.catalogue import HOPS
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
from reel.core.line.input import Chain, InputSetup, chain
from reel.core.line.links import Connector
from reel.core.line.loss import Loss, LossKind, Weight
from reel.core.line.offer import Offer
from reel.core.line.origin import FEED_PROTOCOLS, MediaFile, Network, Origin, Plugged
from reel.core.line.path import FELT_MS, HopSetup, Step, Travel, travel
from reel.core.line.proposal import (
    USUAL_FRAME,
    NoPathError,
    best_path,
    fitting_frame,
    propose,
    propose_input,
    with_fitting_frame,
)
from reel.core.line.remedy import Remedy, remedies
from reel.core.line.rig import MAX_INPUTS, RigSetup, file_plan, without_free_tracks
from reel.core.line.walk import STAGES, Live, Stage, Strand, heard, strands, walk
from reel.core.line.words import Told, told, word

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
    "Carried",
    "Chain",
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
    "MediaFile",
    "Microphone",
    "Network",
    "NoPathError",
    "Offer",
    "Origin",
    "PartyChat",
    "Phone",
    "Plugged",
    "Remedy",
    "RigSetup",
    "Seen",
    "Stage",
    "Step",
    "Strand",
    "Tablet",
    "Told",
    "Travel",
    "Turn",
    "Weight",
    "best_path",
    "chain",
    "checks_after",
    "checks_before",
    "computer_checks",
    "file_plan",
    "fitting_frame",
    "heard",
    "label_of",
    "propose",
    "propose_input",
    "read_rig",
    "remedies",
    "strands",
    "told",
    "travel",
    "walk",
    "with_fitting_frame",
    "without_free_tracks",
    "word",
    "write_rig",
]
