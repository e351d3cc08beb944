"""Holding a file that was brought in against what somebody says it should be."""

from django.db import transaction

from reel.core.errors import BadValueError
from reel.core.line import RigSetup
from reel.web.setups import stored
from reel.web.takes.actions import prove_again
from reel.web.takes.models import Part, Take
from reel.web.takes.summing import sum_up


def hold(take: Take, setup: RigSetup | None) -> None:
    """Have a take proved against a setup; None asks nothing of it any more. Raises BadValueError for a rolled one."""
    if take.rig_id is not None or (take.asked is not None and take.measured is None):
        raise BadValueError("Take", take.name, "it was rolled, and is held against what was asked then")
    with transaction.atomic():
        asked = stored(setup) if setup is not None else None
        Take.objects.filter(pk=take.pk).update(asked=asked)
        Part.objects.filter(take=take).update(proof=None)
        sum_up(take.pk)
        prove_again(Take.objects.with_parts().get(pk=take.pk))
