"""The form of a video feed: a file from the feeds folder, or an address."""

from typing import Any

from django import forms
from django.conf import settings

from reel.core.errors import BadValueError
from reel.core.line import FEED_PROTOCOLS, Device, Feed, MediaFile, Network, Origin
from reel.core.line.origin import MAX_ADDRESS
from reel.core.media import feed_files
from reel.web.ui.forms import ValueForm

ADDRESS_HELP = "Or where it comes from: rtsp, rtmp, udp, tcp, http or https, like rtsp://camera.local:554/garden."
BY_ADDRESS = "from the address below"


class FeedForm(ValueForm):
    """Which file a feed plays, or where it comes from."""

    feed = forms.ChoiceField(
        label="File", required=False, help_text="A media file in the feeds folder; it is played at its own pace."
    )
    loop = forms.BooleanField(
        label="Start again at the end",
        required=False,
        help_text="Otherwise the signal ends with the file, and a roll repeats its last picture.",
    )
    address = forms.CharField(label="Address", required=False, max_length=MAX_ADDRESS, help_text=ADDRESS_HELP)
    listen = forms.BooleanField(
        label="Wait for the sender",
        required=False,
        help_text="For rtmp: the camera or program sends to this address on this machine, instead of Reel connecting.",
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        names = feed_files(settings.HOME.feeds)
        kept = self.initial.get("feed")
        if kept and kept not in names:
            names.append(kept)
        choices = [("", BY_ADDRESS), *((name, name) for name in names)]
        self.fields["feed"].choices = choices  # type: ignore[attr-defined]

    @classmethod
    def initial_of(cls, origin: Origin) -> dict[str, object]:
        """Return the fields of an origin."""
        if isinstance(origin, Network):
            return {"address": origin.address, "feed": "", "loop": True, "listen": origin.listen}
        name, loop = (origin.name, origin.loop) if isinstance(origin, MediaFile) else ("", True)
        return {"address": "", "feed": name, "loop": loop, "listen": False}

    def build(self, cleaned: dict[str, Any]) -> tuple[Device, Origin]:
        """Make the device, and say where it comes from."""
        return Feed(), feed_origin(cleaned, loop=cleaned["loop"], listen=cleaned["listen"])


def feed_origin(cleaned: dict[str, Any], *, loop: bool = True, listen: bool = False) -> Origin:
    """Make an origin of either a file or an address; raises BadValueError for neither and for both."""
    name, address = cleaned["feed"], cleaned["address"].strip()
    if name and address:
        raise BadValueError("Feed", address, f"a file is chosen too; choose “{BY_ADDRESS}”, or leave the address empty")
    if address and "://" not in address:
        raise BadValueError(
            "Feed address", address, "it begins with one of " + ", ".join(f"{s}://" for s in FEED_PROTOCOLS)
        )
    return Network(address=address, listen=listen) if address else MediaFile(name=name, loop=loop)
