"""What changes a whole rig."""

from collections.abc import Sequence

from django.db import IntegrityError, transaction

from reel.core.file import Forecast
from reel.core.line import (
    Network,
    RigSetup,
    checks_after,
    read_rig,
    write_rig,
)
from reel.core.wire import from_plain, to_plain
from reel.recorder.messages import RefusedError, Status
from reel.standins.scenario import Scenario
from reel.web.machine.shelves import home_place
from reel.web.rigs.homefiles import remove_unused_images, sample_path
from reel.web.rigs.models import MAX_NAME, Rig
from reel.web.setups import OLDER
from reel.web.ui.templatetags.units import bitrate
from reel.web.ui.typed import clean_name, free_name


def make_rig(name: str, plan: RigSetup, *, scenarios: Sequence[Scenario] = (), is_asked: bool = True) -> Rig:
    """Store a new rig; raises RefusedError when another one has the name meanwhile."""
    rig = Rig(name=name, is_asked=is_asked)
    rig.plan, rig.scenarios = plan, scenarios
    try:
        with transaction.atomic():
            rig.save()
    except IntegrityError:
        raise RefusedError(f"Another rig is called {name} meanwhile; choose a different name.") from None
    return rig


def make_copy(wanted: str, plan: RigSetup, *, scenarios: Sequence[Scenario], is_asked: bool = True) -> Rig:
    """Store a new rig under a name, with a number added where that is taken."""
    with transaction.atomic():  # an immediate transaction: nobody takes the name in between
        return make_rig(free_name(wanted, Rig.names(), MAX_NAME), plan, scenarios=scenarios, is_asked=is_asked)


def refuse_slow_drive(rig: Rig, cost: Forecast | None) -> None:
    """Raise RefusedError for a recipe that needs more than the shelf's drive was measured to write."""
    place = rig.shelf or home_place()
    if cost is not None and place.write_bps is not None and cost.written_bps > place.write_bps:
        needs, writes = bitrate(cost.written_bps), bitrate(place.write_bps)
        raise RefusedError(
            f"{rig.name} needs {needs}, and “{place.name}” writes {writes}: frames would be lost. "
            "Choose another shelf on Roll, or fewer bits in File."
        )


def duplicate(rig: Rig) -> Rig:
    """Store a second rig that is set like this one."""
    with transaction.atomic():
        made = make_copy(f"{rig.name} copy", rig.plan, scenarios=rig.scenarios, is_asked=rig.is_asked)
        Rig.objects.filter(pk=made.pk).update(shelf=rig.shelf)
    return made


def rename(rig: Rig, wanted: str, status: Status | None) -> None:
    """Rename a rig; takes that it has keep their names. Raises BadValueError.

    Raises RefusedError for a name that another rig has, and while it rolls.
    """
    refuse_rolling(rig, status)
    name = clean_name("Name", wanted, MAX_NAME)
    if Rig.objects.filter(name=name).exclude(pk=rig.pk).exists():
        raise RefusedError(f"Another rig is called {name}; choose a different name.")
    rig.name = name
    rig.save(update_fields=["name"])


def delete(rig: Rig, status: Status | None) -> None:
    """Delete a rig with what the home keeps of it; its takes stay on the shelf. Refused while it rolls."""
    refuse_rolling(rig, status)
    sample_path(rig).unlink(missing_ok=True)
    rig.delete()
    remove_unused_images()


def import_rig(data: bytes) -> Rig:
    """Store the rig that a file holds; raises BadRigFileError, BadValueError. A name that is taken gets a number.

    One that comes from the network does not connect before somebody has said that it may.
    """
    found = read_rig(data, older=OLDER, parts=("plays",))
    name = clean_name("Name", found.name, MAX_NAME)
    scenarios = from_plain(found.parts.get("plays", []), tuple[Scenario, ...])
    comes_by_network = any(isinstance(one.origin, Network) for one in found.setup.inputs)
    return make_copy(name, found.setup, scenarios=scenarios, is_asked=not comes_by_network)


def export_rig(rig: Rig) -> bytes:
    """Return a rig as the content of a file."""
    return write_rig(rig.name, rig.plan, {"plays": to_plain(rig.scenarios)})


def refuse_unasked(rig: Rig) -> None:
    """Raise RefusedError for a rig whose address nobody has allowed yet."""
    if not rig.is_asked:
        address = " and ".join(addresses_of(rig.plan))
        raise RefusedError(f"{rig.name} came from a file, and connects to {address}. Allow that under Device.")


def addresses_of(plan: RigSetup) -> list[str]:
    """Return the addresses that a rig's inputs come from."""
    return [one.origin.address for one in plan.inputs if isinstance(one.origin, Network)]


def allow_feed(rig: Rig) -> None:
    """Let an imported rig connect to its address."""
    Rig.objects.filter(pk=rig.pk).update(is_asked=True)


def untick_put_back(rig_id: int, setup: RigSetup) -> None:
    """Note that a take has begun: what was put back after the one before must be put back again."""
    with transaction.atomic():
        rig = Rig.objects.filter(pk=rig_id).first()
        if rig is not None:
            put_back = {check.key for one in setup.inputs for check in checks_after(one)}
            rig.ticked = [key for key in rig.ticked if key not in put_back]
            rig.save(update_fields=["ticked"])


def refuse_rolling(rig: Rig, status: Status | None) -> None:
    """Refuse while it rolls: as the recorder says, or, while that is busy, as was stored."""
    rolls = status.roll_of(rig_id=rig.pk) is not None if status else rig.takes.rolling().exists()
    if rolls:
        raise RefusedError(f"{rig.name} is rolling; cut it before you change it.")
