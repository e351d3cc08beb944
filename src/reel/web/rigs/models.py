"""Rigs."""

from collections.abc import Sequence

from django.db import models

from reel.core.line import RigSetup
from reel.core.wire import from_plain, to_plain
from reel.recorder.messages import Open, RigToRoll
from reel.standins.scenario import Scenario
from reel.web.machine.shelves import shelf_in
from reel.web.setups import plan_of, stored

MAX_NAME = 60
# What a change was about, in so many characters at most.
MAX_WORDS = 200


class Rig(models.Model):
    """Everything set up for one way of recording; `setup` holds a core RigSetup as JSON, with its version.

    `simulation` holds the scenarios of its inputs, in their order: how each behaves where it is simulated.
    `ticked` are the keys of the checks that a person has ticked. `is_asked` says that a person has set where its signal
    comes from, or has allowed what a file says of it. Its takes are written to `shelf`, to the home's where it is None.
    """

    name = models.CharField(max_length=MAX_NAME, unique=True)
    setup = models.JSONField()
    simulation = models.JSONField(default=list)
    ticked = models.JSONField(default=list)
    is_asked = models.BooleanField(default=True)
    shelf = models.ForeignKey("machine.ShelfPlace", null=True, on_delete=models.SET_NULL, related_name="rigs")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def plan(self) -> RigSetup:
        """The setup as the core knows it; raises BadValueError for one that can't be read."""
        return plan_of(self.setup)

    @plan.setter
    def plan(self, plan: RigSetup) -> None:
        self.setup = stored(plan)

    @property
    def scenarios(self) -> tuple[Scenario, ...]:
        """How each input behaves where it is simulated; raises BadValueError for what can't be read."""
        return from_plain(self.simulation, tuple[Scenario, ...])

    @scenarios.setter
    def scenarios(self, scenarios: Sequence[Scenario]) -> None:
        self.simulation = to_plain(tuple(scenarios))

    @classmethod
    def names(cls) -> list[str]:
        """Return the names of all rigs."""
        return list(cls.objects.values_list("name", flat=True))

    @property
    def opening(self) -> Open:
        """What asks the recorder to open it as it is set now."""
        return Open(rig_id=self.pk, rig_name=self.name, setup=self.plan, scenarios=self.scenarios)

    @property
    def to_roll(self) -> RigToRoll:
        """What asks the recorder to roll it as it is set now."""
        folder = self.shelf.folder if self.shelf else ""
        return RigToRoll(
            rig_id=self.pk,
            rig_name=self.name,
            setup=self.plan,
            scenarios=self.scenarios,
            folder=folder,
            shelf_key=shelf_in(folder).key,
        )

    def scenario_of(self, place: int) -> Scenario:
        """Return the scenario of an input; a plain one where none is kept."""
        scenarios = self.scenarios
        return scenarios[place] if place < len(scenarios) else Scenario()


class Edit(models.Model):
    """A change of a rig that can be undone, or redone where it was undone.

    `setup`, `simulation` and `is_asked` are what the rig had before it; once it is undone, what it had after it.
    """

    rig = models.ForeignKey(Rig, on_delete=models.CASCADE, related_name="edits")
    words = models.CharField(max_length=MAX_WORDS)
    setup = models.JSONField()
    simulation = models.JSONField(default=list)
    is_asked = models.BooleanField(default=True)
    is_undone = models.BooleanField(default=False)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.rig}: {self.words}"


class Estimate(models.Model):
    """The bits that a rig's picture takes by a plan and with a frame, which `of` holds; None until it was encoded."""

    rig = models.ForeignKey(Rig, on_delete=models.CASCADE, related_name="estimates")
    of = models.JSONField()
    bits_per_picture = models.FloatField(null=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.rig} {self.bits_per_picture}"
