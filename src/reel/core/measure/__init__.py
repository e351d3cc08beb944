"""Measuring: the live signal and its alarms, the field test, the proof."""

from reel.core.line import AlarmKind
from reel.core.measure.alarm import Alarm, Condition, alarm_remedy, alarms, causes
from reel.core.measure.contradiction import contradictions
from reel.core.measure.counts import Counts, LossCause, Stretch, Tally
from reel.core.measure.examine import Appearance, Spans, examine
from reel.core.measure.fields import TEST_S, FieldProbe, FieldTest, FieldVerdict
from reel.core.measure.proof import Proof, ProofLine, Verdict, prove
from reel.core.measure.watch import Watch, Watched

__all__ = [
    "TEST_S",
    "Alarm",
    "AlarmKind",
    "Appearance",
    "Condition",
    "Counts",
    "FieldProbe",
    "FieldTest",
    "FieldVerdict",
    "LossCause",
    "Proof",
    "ProofLine",
    "Spans",
    "Stretch",
    "Tally",
    "Verdict",
    "Watch",
    "Watched",
    "alarm_remedy",
    "alarms",
    "causes",
    "contradictions",
    "examine",
    "prove",
]
