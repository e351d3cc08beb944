"""The Arrival stage."""

from reel.core.line import DeviceKind
from reel.core.signal import Scan, Signal
from reel.web.stages import edits
from reel.web.stages.edits import grouped_losses
from reel.web.stages.forms import ArrivalForm
from reel.web.stages.page import RigPage, StagePage, sent_and_received


def context(page: RigPage) -> dict[str, object]:
    """Return what arrives, what is lost here, and whether it may hold fields that can be tested."""
    found = sent_and_received(page)
    modes = [
        signal.mode for signal in (found["sent"], found["arrives"], found["expected"]) if isinstance(signal, Signal)
    ]
    has_fields = page.input.device.kind is DeviceKind.FEED or any(mode.scan is Scan.INTERLACED for mode in modes)
    return {"groups": grouped_losses(page.input, "arrival"), "has_fields": has_fields, **found}


STAGE = StagePage(
    key="arrival",
    context=context,
    form=lambda page, data: ArrivalForm(data, setup=page.input, signal=page.signal),
    store=lambda page, wanted: edits.set_arrival(page.rig, page.place, wanted, page.status),
)
