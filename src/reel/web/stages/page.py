"""What every stage's page shows: the rig at the moment of a request, the line above, which input is looked at."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from reel.core.file import FilePlan, Measured
from reel.core.line import (
    DEVICES,
    DeviceKind,
    InputSetup,
    Live,
    Network,
    RigSetup,
    SignalChain,
    Stage,
    file_plan,
    heard,
    line_stages,
    signal_chain,
    strands,
)
from reel.core.signal import Signal, SoundFormat
from reel.recorder.messages import InputStatus, RigStatus, Status
from reel.web.live.facts import rig_facts
from reel.web.live.recorder import glance, place_of, rig_status, show_at_once
from reel.web.machine.shelves import home_place
from reel.web.rigs.actions import addresses_of
from reel.web.rigs.drawing import draw_line, lives_of
from reel.web.rigs.estimating import picture_bits
from reel.web.rigs.models import Rig
from reel.web.rigs.serial import shape_of
from reel.web.stages.costs import measured_rate, own_storage, room_bytes, shelf_of_rig
from reel.web.stages.framing import FramePage
from reel.web.ui.forms import ValueForm

# What can be added to a rig: whatever is simulated. A feed is a rig of its own.
INPUT_KINDS = {kind.value: device.facts.label for kind, device in DEVICES.items() if kind is not DeviceKind.FEED}


@dataclass(frozen=True)
class RigPage:
    """A rig at the moment of a request: its setup, its line, and which input is looked at.

    `status` is what the recorder says; None where it does not answer.
    """

    rig: Rig
    status: Status | None
    framing: FramePage
    asked_place: int = 0

    @classmethod
    def of(cls, request: HttpRequest, rig: Rig, place: int | None = None) -> "RigPage":
        """Look at a rig for one request, at the input that it names unless another place is given."""
        status = glance(request)
        framing = FramePage.of(request, rig.plan, status, rig.pk)
        return cls(rig, status, framing, place_of(request) if place is None else place)

    @cached_property
    def live(self) -> RigStatus | None:
        """What the recorder says of it; None while it is closed."""
        return rig_status(self.status, self.rig.pk)

    @cached_property
    def plan(self) -> RigSetup:
        """The setup; raises BadValueError for one that can't be read."""
        return self.rig.plan

    @cached_property
    def place(self) -> int:
        """The place of the input that is looked at; raises Http404 for one that is not there."""
        if self.asked_place >= len(self.plan.inputs):
            raise Http404
        return self.asked_place

    @cached_property
    def input(self) -> InputSetup:
        return self.plan.inputs[self.place]

    @cached_property
    def planned(self) -> SignalChain:
        """Its way up to the frame."""
        return signal_chain(self.input)

    @cached_property
    def measured(self) -> Measured | None:
        """What earlier takes with this recipe came to."""
        return measured_rate(self.rig, self.plan)

    @cached_property
    def picture_bits(self) -> float | None:
        """What a picture by this recipe is estimated to take."""
        return picture_bits(self.rig, self.plan)

    @cached_property
    def lives(self) -> tuple[Live, ...]:
        """What each input says of itself; nothing while the rig is closed, or was opened with other inputs."""
        return lives_of(self.plan, self.live)

    @cached_property
    def file_plan(self) -> FilePlan:
        """What a take is to hold."""
        return file_plan(self.plan, heard(self.plan, self.lives))

    @cached_property
    def stages(self) -> tuple[Stage, ...]:
        return line_stages(self.plan, self.lives, self.measured, self.picture_bits)

    @property
    def input_live(self) -> InputStatus | None:
        """What the recorder says of the input that is looked at; None while the rig is closed."""
        return self.live.inputs[self.place] if self.live and self.place < len(self.live.inputs) else None

    @property
    def signal(self) -> Signal | None:
        """What arrives just now from the input that is looked at."""
        return self.lives[self.place].signal if self.lives else None

    @property
    def expected(self) -> Signal | None:
        return self.planned.signal_path.arrives.signal if self.planned.signal_path.arrives else None

    @property
    def sound(self) -> SoundFormat | None:
        """The sound that arrives, or that a device's own file will have."""
        if self.planned.is_remote:
            return SoundFormat() if self.file_plan.tracks else None
        return self.lives[self.place].sound if self.lives else None


@dataclass(frozen=True, slots=True, kw_only=True)
class StagePage:
    """One stage: what its page shows, its form and how that is stored; no form where it is changed piece by piece."""

    key: str
    context: Callable[[RigPage], dict[str, object]]
    form: Callable[[RigPage, Any], ValueForm] | None = None
    store: Callable[[RigPage, Any], None] | None = None

    def shown(self, page: RigPage) -> dict[str, object]:
        """Return all that its page shows, with its form as the rig is set."""
        form = {"form": self.form(page, None)} if self.form is not None else {}
        return line_context(page, self.key) | self.context(page) | form


def line_context(page: RigPage, stage: str) -> dict[str, object]:
    """Return what stands on every page of a rig: the line, the other rigs, what is live.

    `of_input` is what an address ends with that is about the input that is looked at.
    """
    return {
        "rig": page.rig,
        "plan": page.plan,
        "input": page.input,
        "place": page.place,
        "shape": shape_of(page.plan),
        "of_input": f"?input={page.place}" if page.place else "",
        "stage": stage,
        "undone": page.rig.edits.only("words").filter(is_undone=True).first(),
        "done": page.rig.edits.only("words").filter(is_undone=False).last(),
        "line": draw_line(page.stages, strands(page.plan, page.lives), stage),
        "chain": page.planned,
        "is_remote": signal_chain(page.plan.picture).is_remote,
        "addresses": [] if page.rig.is_asked else addresses_of(page.plan),
        "facts": rig_facts(page.live, page.place),
        "rigs": Rig.objects.only("pk", "name"),
        "input_kinds": INPUT_KINDS,
    }


def sent_and_received(page: RigPage) -> dict[str, object]:
    """Return the signal of the input that is looked at: as it is sent, as it arrives, as the line expects it."""
    return {"sent": page.input.device.signal or page.signal, "arrives": page.signal, "expected": page.expected}


def meters(page: RigPage) -> dict[str, object]:
    """Return what the meters of the input that is looked at need."""
    sound = page.sound
    named = [(place, channel_name(place, sound.channels)) for place in range(sound.channels)] if sound else []
    return {"sound": sound, "channels": named, "arrives": page.signal, "file_plan": page.file_plan}


def channel_name(place: int, channels: int) -> str:
    return ("Left", "Right")[place] if channels == 2 else f"Channel {place + 1}"


def file_context(page: RigPage) -> dict[str, object]:
    """Return the shelf that a rig's file goes to, and what comes to be written."""
    return {
        "free_bytes": room_bytes(page.rig),
        "stays": own_storage(page.plan) is not None,
        "write_bps": (page.rig.shelf or home_place()).write_bps,
        "shelf_path": str(shelf_of_rig(page.rig).root),
        "is_network": isinstance(page.plan.picture.origin, Network),
        "comes": page.signal or page.expected,
    }


def input_place(request: HttpRequest, rig: Rig) -> int:
    """Return the place of the input that a request is about; raises Http404 for one that is not there."""
    place = place_of(request)
    if place >= len(rig.plan.inputs):
        raise Http404
    return place


def to_stage(request: HttpRequest, rig: Rig, stage: str, query: str = "") -> HttpResponse:
    """Send the browser to a stage, of the same input unless a query says more."""
    place = place_of(request)
    address = reverse("stages:stage", args=[rig.pk, stage])
    return redirect(address + (query or (f"?input={place}" if place else "")))


def answer(
    request: HttpRequest,
    rig: Rig,
    stage: StagePage,
    more: dict[str, object] | None = None,
    *,
    place: int | None = None,
    status: int = 200,
    query: str = "",
) -> HttpResponse:
    """Answer htmx with a stage's part of the page, as it is now, and all that hangs on it; a plain form gets the page.

    `more` is shown beside, or in place of, what the rig is set to: with another `status`, a form that was refused.
    `place` is the input that is looked at, None for the one that the address names.
    """
    is_htmx = getattr(request, "htmx", False)
    if status == 200:
        show_at_once(request, rig.opening)
        if not is_htmx:
            return to_stage(request, rig, stage.key, query)
    context = stage.shown(RigPage.of(request, rig, place)) | (more or {}) | {"oob": is_htmx}
    template = "stages/_answer.html" if is_htmx else f"stages/{stage.key}.html"
    response = render(request, template, context, status=status)
    if status == 200:
        response["HX-Trigger"] = "rig-changed"
    return response
