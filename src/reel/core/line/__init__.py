"""The line: devices, hops, the walk from the device to the file, losses and remedies."""

from reel.core.line.advice import AlarmKind, Check, CheckState
from reel.core.line.arrival import ArrivalSetup, Deinterlace, LineReading
from reel.core.line.carried import Carried, Fields, Levels
from reel.core.line.catalogue import HOPS
from reel.core.line.checklist import Seen, checks_after, checks_before
from reel.core.line.device import Device, Eye, Turn
from reel.core.line.devices import DEVICES, Camera, Console, Deck, DeviceKind, Feed, Headset, Phone, Tablet
from reel.core.line.exchange import BadRigFileError, read_rig, write_rig
from reel.core.line.hops import Hop, HopKind, label_of
from reel.core.line.links import Connector
from reel.core.line.loss import Loss, LossKind, Weight
from reel.core.line.offer import Offer
from reel.core.line.origin import FEED_PROTOCOLS, MediaFile, Network, Origin, Plugged
from reel.core.line.path import FELT_MS, HopSetup, Step, Travel, travel
from reel.core.line.proposal import NoPathError, best_path, fitting_frame, propose, with_fitting_frame
from reel.core.line.remedy import Remedy, remedies
from reel.core.line.rig import Chain, RigSetup, chain, setup_of_the_file
from reel.core.line.walk import STAGES, Stage, framed_signal, walk
from reel.core.line.words import Told, told, word

__all__ = [
    "DEVICES",
    "FEED_PROTOCOLS",
    "FELT_MS",
    "HOPS",
    "STAGES",
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
    "Levels",
    "LineReading",
    "Loss",
    "LossKind",
    "MediaFile",
    "Network",
    "NoPathError",
    "Offer",
    "Origin",
    "Phone",
    "Plugged",
    "Remedy",
    "RigSetup",
    "Seen",
    "Stage",
    "Step",
    "Tablet",
    "Told",
    "Travel",
    "Turn",
    "Weight",
    "best_path",
    "chain",
    "checks_after",
    "checks_before",
    "fitting_frame",
    "framed_signal",
    "label_of",
    "propose",
    "read_rig",
    "remedies",
    "setup_of_the_file",
    "told",
    "travel",
    "walk",
    "with_fitting_frame",
    "word",
    "write_rig",
]
