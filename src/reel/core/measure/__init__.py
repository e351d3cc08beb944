"""Measuring: the proof."""

from reel.core.measure.proof import Counts, Proof, ProofLine, Verdict, prove

__all__ = ["Counts", "Proof", "ProofLine", "Verdict", "prove"]
