"""How long a finish takes that is encoded anew, as the bench of this machine says."""

from fractions import Fraction

from reel.core.finish import FinishPlan
from reel.core.media.cuts.encoding import MAX_PASSES
from reel.web.machine.models import Speed


def seconds_of(made: FinishPlan) -> Fraction | None:
    """Return about how many seconds a finish takes; None where nothing is encoded, or that was not measured.

    To a size it may be encoded several times: two are taken to do.
    """
    encoding = made.finish.encoding
    if encoding is None or made.frame is None:
        return None
    row = Speed.objects.here(made.frame).of(encoding.recipe)
    if row is None or not row.pictures_per_s:
        return None
    passes = 1 if encoding.size_bytes is None else MAX_PASSES - 1
    return Fraction(made.frames * passes) / Fraction(row.pictures_per_s)
