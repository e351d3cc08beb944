"""Measuring: the live signal and its alarms, the field test, the proof."""

from reel.core.line import AlarmKind
from reel.core.measure.alarm import Alarm, Condition, alarm_remedy, alarms, causes
from reel.core.measure.bars import FIND_S, BarFinder, Bars
from reel.core.measure.contradiction import contradictions
from reel.core.measure.counts import (
    Counts,
    InputCounts,
    LossCause,
    Missing,
    Placed,
    PlacedCount,
    Stretch,
    Tally,
    TrackCounts,
    inputs_within,
)
from reel.core.measure.examine import Appearance, Examined, Spans, examine
from reel.core.measure.fields import TEST_S, FieldProbe, FieldTest, FieldVerdict
from reel.core.measure.flash import FlashFinder
from reel.core.measure.judgement import Judgement, Usable, is_ruined, judge
from reel.core.measure.proof import prove
from reel.core.measure.proofline import Proof, ProofLine, Verdict
from reel.core.measure.sentproof import prove_sent
from reel.core.measure.watch import Watch, Watched

__all__ = [
    "FIND_S",
    "TEST_S",
    "Alarm",
    "AlarmKind",
    "Appearance",
    "BarFinder",
    "Bars",
    "Condition",
    "Counts",
    "Examined",
    "FieldProbe",
    "FieldTest",
    "FieldVerdict",
    "FlashFinder",
    "InputCounts",
    "Judgement",
    "LossCause",
    "Missing",
    "Placed",
    "PlacedCount",
    "Proof",
    "ProofLine",
    "Spans",
    "Stretch",
    "Tally",
    "TrackCounts",
    "Usable",
    "Verdict",
    "Watch",
    "Watched",
    "alarm_remedy",
    "alarms",
    "causes",
    "contradictions",
    "examine",
    "inputs_within",
    "is_ruined",
    "judge",
    "prove",
    "prove_sent",
]
