"""What goes wrong with one simulated input, and from when on: begun and ended while it plays."""

from reel.standins.scenario import Fault, Scenario


class Trouble:
    """The fault of an input, by its scenario until somebody begins or ends one. It may be asked and set by any thread.

    A scenario's fault acts some seconds after the input was first opened.
    """

    def __init__(self, scenario: Scenario) -> None:
        self._scenario = scenario
        self._is_opened = False
        self._acting: tuple[Fault, int] | None = None

    @classmethod
    def opened_at(cls, scenario: Scenario, at_ns: int) -> "Trouble":
        """Make that of an input that is opened for the first time."""
        made = cls(scenario)
        made.open(at_ns)
        return made

    def open(self, at_ns: int) -> None:
        """Note that the input is opened: the first time counts."""
        if not self._is_opened:
            self._is_opened = True
            if self._scenario.fault is not None and self._acting is None:
                self._acting = self._scenario.fault, at_ns + self._scenario.from_ns

    def begin(self, fault: Fault, at_ns: int) -> None:
        """Have something fail from an instant on, and nothing else."""
        self._is_opened, self._acting = True, (fault, at_ns)

    def end(self) -> None:
        """Have all work again."""
        self._is_opened, self._acting = True, None

    def at(self, at_ns: int) -> Fault | None:
        """Return what fails at an instant."""
        acting = self._acting
        return acting[0] if acting is not None and at_ns >= acting[1] else None
