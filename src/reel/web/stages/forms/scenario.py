"""The form of how a simulated device behaves, below its settings."""

from dataclasses import replace
from typing import Any

from django import forms

from reel.core.line import DeviceKind, InputSetup
from reel.standins.scenario import FROM_S, LAG_MS, MAX_DRIFT_PPM, TAPE_S, Fault, Scenario, Shows, faults_of
from reel.web.ui.fields import FloatField, WholeField
from reel.web.ui.forms import ValueForm, choices_of

# What can fail of a simulated input, in words.
FAULT_WORDS = {
    Fault.PULLED: "a cable is pulled",
    Fault.NO_POWER: "the adapter has no power",
    Fault.NOT_PAIRED: "it is not paired",
    Fault.NOT_ALLOWED: "this computer is not allowed on it",
    Fault.BUSY: "another program holds it",
    Fault.DENIED: "the system denies it",
    Fault.FORBIDDEN: "the app forbids capture",
    Fault.COVERED: "a window covers the mirror",
    Fault.MOVED: "the mirror is moved",
    Fault.RESIZED: "the mirror is made smaller",
    Fault.MINIMISED: "the mirror is minimised",
    Fault.SHOWS_REEL: "the screen shows Reel",
    Fault.SMALLER: "it records smaller than it is set to",
    Fault.FULL: "its storage is full",
}


class ScenarioForm(ValueForm):
    """What a stand-in shows, how its clock runs, and what goes wrong."""

    shows = forms.ChoiceField(
        label="Picture",
        choices=choices_of(Shows, {"scene": "its own", "bars": "colour bars and patches"}),
        help_text="Bars show what a path does to colour, depth and range.",
    )
    drift_ppm = FloatField(
        label="Clock drift",
        min_value=-MAX_DRIFT_PPM,
        max_value=MAX_DRIFT_PPM,
        help_text="How fast its clock runs, in parts per million. 0 keeps exact time; real devices differ.",
    )
    lag_ms = WholeField(
        label="Lag",
        min_value=LAG_MS[0],
        max_value=LAG_MS[1],
        help_text="Milliseconds by which all that it sends comes late. A sync test finds it.",
    )
    turns = forms.BooleanField(label="Turns", required=False, help_text="It is turned every eight seconds.")
    tape_s = WholeField(
        label="Tape length", min_value=TAPE_S[0], max_value=TAPE_S[1], help_text="Seconds until the tape ends."
    )
    fault = forms.ChoiceField(label="What fails", required=False, help_text="Reel is not told; it finds what it sees.")
    from_s = WholeField(
        label="From", min_value=FROM_S[0], max_value=FROM_S[1], help_text="Seconds after it was opened."
    )

    def __init__(self, data: Any = None, *, setup: InputSetup, scenario: Scenario) -> None:
        self._scenario = scenario
        initial: dict[str, object] = {
            "shows": scenario.shows.value,
            "drift_ppm": f"{scenario.drift_ppm:g}",
            "lag_ms": scenario.lag_ms,
            "turns": scenario.turns,
        }
        initial |= {"tape_s": scenario.tape_s, "fault": scenario.fault or "", "from_s": scenario.from_s}
        super().__init__(data, initial=initial)
        offered = faults_of(setup)
        if scenario.fault is not None and scenario.fault not in offered:
            offered = (*offered, scenario.fault)
        choices = [("", "nothing"), *((fault.value, FAULT_WORDS[fault]) for fault in offered)]
        self.fields["fault"].choices = choices  # type: ignore[attr-defined]
        if not setup.device.facts.is_handheld:
            del self.fields["turns"]
        if setup.device.kind is not DeviceKind.DECK:
            del self.fields["tape_s"]

    def build(self, cleaned: dict[str, Any]) -> Scenario:
        return replace(
            self._scenario,
            shows=Shows(cleaned["shows"]),
            drift_ppm=cleaned["drift_ppm"] + 0.0,
            lag_ms=cleaned["lag_ms"],
            turns=cleaned.get("turns", self._scenario.turns),
            tape_s=cleaned.get("tape_s", self._scenario.tape_s),
            fault=Fault(cleaned["fault"]) if cleaned["fault"] else None,
            from_s=cleaned["from_s"],
        )
