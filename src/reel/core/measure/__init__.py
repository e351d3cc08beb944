"""Measuring: the live signal and its alarms, the field test, the proof."""

from reel.core.measure.alarm import Alarm, AlarmKind, Condition, alarms, causes
from reel.core.measure.contradiction import contradictions
from reel.core.measure.fields import TEST_S, FieldProbe, FieldTest, FieldVerdict
from reel.core.measure.proof import Counts, Proof, ProofLine, Verdict, prove
from reel.core.measure.watch import Watch, Watched, comb_ratio

__all__ = [
    "TEST_S",
    "Alarm",
    "AlarmKind",
    "Condition",
    "Counts",
    "FieldProbe",
    "FieldTest",
    "FieldVerdict",
    "Proof",
    "ProofLine",
    "Verdict",
    "Watch",
    "Watched",
    "alarms",
    "causes",
    "comb_ratio",
    "contradictions",
    "prove",
]
