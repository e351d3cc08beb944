"""The line: devices, hops, the walk from the device to the file, losses and remedies."""

from reel.core.line.arrival import ArrivalSetup, Deinterlace, LineReading
from reel.core.line.carried import Carried, Fields, Levels
from reel.core.line.catalogue import HOPS
from reel.core.line.checklist import Check, CheckState, Seen, after, before
from reel.core.line.device import (
    DEVICES,
    FEED_PROTOCOLS,
    HANDHELD,
    Access,
    DeviceKind,
    DeviceSetup,
    Eye,
    Shows,
    Surface,
    Turn,
    sent_signal,
)
from reel.core.line.exchange import BadRigFileError, read_rig, write_rig
from reel.core.line.hops import Hop, HopKind, name_of
from reel.core.line.links import Connector
from reel.core.line.loss import Loss, LossKind, Weight
from reel.core.line.offer import Offer
from reel.core.line.path import FELT_MS, HopSetup, Step, Travel, travel
from reel.core.line.proposal import NoPathError, best_path, fitting_frame, propose, with_fitting_frame
from reel.core.line.remedy import Remedy, remedies
from reel.core.line.rig import Chain, RigSetup, chain, followed
from reel.core.line.walk import STAGES, Stage, framed_signal, walk
from reel.core.line.words import Told, told, word

__all__ = [
    "DEVICES",
    "FEED_PROTOCOLS",
    "FELT_MS",
    "HANDHELD",
    "HOPS",
    "STAGES",
    "Access",
    "ArrivalSetup",
    "BadRigFileError",
    "Carried",
    "Chain",
    "Check",
    "CheckState",
    "Connector",
    "Deinterlace",
    "DeviceKind",
    "DeviceSetup",
    "Eye",
    "Fields",
    "Hop",
    "HopKind",
    "HopSetup",
    "Levels",
    "LineReading",
    "Loss",
    "LossKind",
    "NoPathError",
    "Offer",
    "Remedy",
    "RigSetup",
    "Seen",
    "Shows",
    "Stage",
    "Step",
    "Surface",
    "Told",
    "Travel",
    "Turn",
    "Weight",
    "after",
    "before",
    "best_path",
    "chain",
    "fitting_frame",
    "followed",
    "framed_signal",
    "name_of",
    "propose",
    "read_rig",
    "remedies",
    "sent_signal",
    "told",
    "travel",
    "walk",
    "with_fitting_frame",
    "word",
    "write_rig",
]
