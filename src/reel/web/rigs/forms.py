"""The form of a new rig: what is recorded, what is at hand."""

from dataclasses import replace
from typing import Any

from django import forms
from django.conf import settings
from django.http import QueryDict

from reel.core.errors import BadValueError
from reel.core.file import Recipe
from reel.core.frame import FrameSetup
from reel.core.line import (
    DEVICES,
    HOPS,
    USUAL_FRAME,
    DeviceKind,
    Feed,
    InputSetup,
    Network,
    RigSetup,
    label_of,
    propose_with,
)
from reel.core.line.edit import hops_for
from reel.core.line.origin import MAX_ADDRESS
from reel.core.media import feed_files, feed_signal
from reel.core.signal import Scan
from reel.web.rigs.feeds import ADDRESS_HELP, BY_ADDRESS, feed_origin
from reel.web.rigs.models import MAX_NAME, Rig
from reel.web.ui.forms import ValueForm
from reel.web.ui.typed import clean_name, free_name


class NewRigForm(ValueForm):
    """A rig from nothing: a kind of device, what is at hand, and a whole line that works with it."""

    kind = forms.ChoiceField(
        label="What are you recording?",
        choices=[(kind.value, device.facts.label) for kind, device in DEVICES.items() if device.facts.has_picture],
        widget=forms.RadioSelect,
    )
    have = forms.MultipleChoiceField(
        label="What do you have?",
        required=False,
        choices=[(key, label_of(hop)) for key, hop in HOPS.items()],
        widget=forms.CheckboxSelectMultiple,
        help_text="Tick what lies on the desk; with nothing ticked Reel proposes the best that there is.",
    )
    feed = forms.ChoiceField(label="Feed file", required=False, help_text="A media file from the feeds folder.")
    address = forms.CharField(label="Feed address", required=False, max_length=MAX_ADDRESS, help_text=ADDRESS_HELP)
    name = forms.CharField(
        label="Name",
        required=False,
        max_length=MAX_NAME,
        help_text="What you call this way of recording. Empty, it is named after the device.",
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["feed"].choices = [("", BY_ADDRESS), *((name, name) for name in feed_files(settings.HOME.feeds))]  # type: ignore[attr-defined]
        chosen = self.chosen_kind
        offered = [] if chosen is DeviceKind.FEED else [(key, label_of(HOPS[key])) for key in hops_for(chosen)]
        self.fields["have"].choices = offered  # type: ignore[attr-defined]
        if isinstance(self.data, QueryDict):  # what was ticked for another kind is not for this one
            self.data = self.data.copy()
            self.data.setlist("have", [key for key in self.data.getlist("have") if key in dict(offered)])

    @property
    def chosen_kind(self) -> DeviceKind:
        """The kind that is chosen so far."""
        asked = self.data.get("kind") if self.is_bound else self.initial.get("kind")
        return DeviceKind(asked) if asked in {kind.value for kind in DeviceKind} else DeviceKind.CONSOLE

    @property
    def is_feed(self) -> bool:
        """Whether a feed is chosen, which has no path."""
        return self.chosen_kind is DeviceKind.FEED

    @property
    def at_hand(self) -> frozenset[str]:
        """The keys that are ticked so far."""
        return frozenset(self.data.getlist("have")) if isinstance(self.data, QueryDict) else frozenset()

    def clean_have(self) -> frozenset[str]:
        """Return the keys that are ticked."""
        return frozenset(self.cleaned_data["have"])

    def clean_name(self) -> str:
        """Refuse an unprintable name, and one that another rig has; name an unnamed rig."""
        typed = self.cleaned_data["name"]
        if not typed:
            return free_name(self.chosen_kind.label, Rig.names(), MAX_NAME)
        try:
            name = clean_name("Name", typed, MAX_NAME)
        except BadValueError as error:
            raise forms.ValidationError(str(error)) from error
        if Rig.objects.filter(name__iexact=name).exists():
            raise forms.ValidationError("Another rig has this name; choose a different one.")
        return name

    def build(self, cleaned: dict[str, Any]) -> RigSetup:
        """Make the setup: the best line with what is at hand, or a feed recorded as it is."""
        kind = DeviceKind(cleaned["kind"])
        if kind is not DeviceKind.FEED:
            return propose_with(kind, cleaned["have"] or None)
        origin, frame = feed_origin(cleaned), USUAL_FRAME
        if not isinstance(origin, Network):
            frame = replace(feed_signal(settings.HOME.feeds / cleaned["feed"]).mode, scan=Scan.PROGRESSIVE)
        one = InputSetup(name=DeviceKind.FEED.label, device=Feed(), origin=origin)
        return RigSetup(inputs=(one,), frame=FrameSetup(mode=frame), recipe=Recipe())
