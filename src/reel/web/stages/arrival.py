"""The Arrival stage."""

from reel.web.stages import edits
from reel.web.stages.edits import grouped_losses
from reel.web.stages.forms import ArrivalForm
from reel.web.stages.page import RigPage, StagePage, sent_and_received


def context(page: RigPage) -> dict[str, object]:
    """Return what arrives, and what is lost here."""
    return {"groups": grouped_losses(page.input, "arrival")} | sent_and_received(page)


STAGE = StagePage(
    key="arrival",
    context=context,
    form=lambda page, data: ArrivalForm(data, setup=page.input, signal=page.signal),
    store=lambda page, wanted: edits.set_arrival(page.rig, page.place, wanted, page.status),
)
