"""The form of a recipe: what may be chosen follows from the codec; whether it goes together, core says."""

from collections.abc import Iterable
from copy import deepcopy
from dataclasses import replace
from functools import cached_property
from typing import Any

from django import forms

from reel.core.errors import ReelError
from reel.core.file import (
    CODECS,
    RATE_WORDS,
    SETTINGS,
    SOUND_CODECS,
    STARTING_POINTS,
    Draft,
    Purpose,
    RateKind,
    Recipe,
    SoundCodec,
    VideoCodec,
    differences,
    has_few_players,
    offers,
    resolve,
    start_from,
)
from reel.core.file.purposes import StartingPoint
from reel.core.file.recipe import samples_label
from reel.core.line import RigSetup, file_plan
from reel.web.recipes.actions import name_of
from reel.web.recipes.models import KeptRecipe
from reel.web.stages.forms.recipe_fields import (
    FIELDS,
    FOLDED,
    FOLDED_FIELDS,
    NAMED,
    SHOWN,
    draft_of,
    fields_of,
    with_codec,
)
from reel.web.stages.keeps_up import headrooms
from reel.web.ui.forms import ValueForm
from reel.web.ui.typed import number_of

# Under which field the page says what is wrong with a part of the recipe.
_SHOWN_AT = {"chroma": "samples", "sound_bitrate_bps": "sound_kbps"}
Row = dict[str, Any]


class RecipeForm(ValueForm):
    """A recipe, that holds the frame of a rig's `setup` where one is given.

    `draft` is what was asked, `offers` what would work in its stead where it does not, and `came` what another codec
    brought with it: the setting, what was typed, what is usual for the codec.
    """

    named = NAMED

    # The codec that the other fields were filled in for; another one that is chosen brings what goes with it.
    was_codec = forms.CharField(required=False, max_length=20)

    def __init__(self, data: Any = None, *, recipe: Recipe, setup: RigSetup | None = None) -> None:
        self.recipe, self.draft, self._setup = recipe, recipe.draft, setup
        self.came: tuple[tuple[str, str, str], ...] = ()
        self.start: StartingPoint | None = None
        super().__init__(data, initial=_fields_of(recipe))
        self.fields |= {name: deepcopy(one.field) for name, one in FIELDS.items()}
        self._set_choices(self._codec())

    def _codec(self) -> VideoCodec:
        asked = self.data.get("codec") if self.is_bound else None
        return VideoCodec(asked) if asked in set(VideoCodec) else self.recipe.codec

    def _set_choices(self, codec: VideoCodec) -> None:
        facts = CODECS[codec]
        sound = self.data.get("sound_codec") if self.is_bound else None
        bitrates = SOUND_CODECS[SoundCodec(sound) if sound in set(SoundCodec) else self.recipe.sound_codec].bitrates_bps
        speeds = self._speeds(codec)
        self._choose("profile", (profile.name for profile in facts.profiles), {} if facts.efforts else speeds)
        self._choose("rate", facts.rates, RATE_WORDS)
        self._choose("effort", (effort.name for effort in facts.efforts), speeds)
        self._choose("samples", (samples_label(*form) for form in facts.forms()))
        tunes = {key: f"{key}: {description}" for key, description in facts.tunes.items()}
        self._choose("tune", ("", *tunes), {"": "none", **tunes})
        self._choose("level", ("", *facts.level_names), {"": "as needed"})
        kilobits = [str(bitrate // 1000) for bitrate in bitrates]
        self._choose("sound_kbps", kilobits, {number: f"{number} kb/s" for number in kilobits})

    def _speeds(self, codec: VideoCodec) -> dict[str, str]:
        """Return what stands for a codec's efforts or profiles where this machine was measured with them."""
        found = headrooms(file_plan(self._setup)) if self._setup is not None else {}
        return {choice: f"{choice}, {times:.1f}×" for (of, choice), times in found.items() if of == codec}

    def _choose(self, name: str, values: Iterable[str], words: Any = None) -> None:
        """Set the choices of a select; what is chosen and is not among them stays to be seen."""
        choices = [(value, (words or {}).get(value, value)) for value in values]
        asked = str(self.data.get(name) or "") if self.is_bound else ""
        if asked and asked not in [value for value, _ in choices]:
            choices.append((asked, (words or {}).get(asked, asked)))
        self.fields[name].widget.choices = choices

    @cached_property
    def offers(self) -> list[str]:
        """What would work instead of what was asked, by what it changes."""
        return [_in_short(differences(self.draft, one)) for one in offers(self.draft)]

    def filled(self, recipe: Draft) -> "RecipeForm":
        """Return the form filled with settings that go together by themselves."""
        return RecipeForm(_fields_of(recipe), recipe=self.recipe, setup=self._setup)

    def started(self, purpose: Purpose) -> "RecipeForm":
        """Return the form filled with a starting point."""
        form = self.filled(start_from(purpose, self.recipe))
        form.start = STARTING_POINTS[purpose]
        return form

    @property
    def starts(self) -> list[tuple[str, str]]:
        """The starting points, by their keys."""
        return [(purpose.value, point.label) for purpose, point in STARTING_POINTS.items()]

    @property
    def kept(self) -> list[KeptRecipe]:
        """The recipes that are kept under a name."""
        return list(KeptRecipe.objects.all())

    @property
    def kept_name(self) -> str:
        """The name under which exactly these settings are kept, "" for none."""
        return "" if self.errors else name_of(Recipe(**self.draft.as_fields()))

    @property
    def written(self) -> str:
        """What the file will hold, in a sentence."""
        draft = self.draft
        if draft.as_sent:
            return f"{draft.container_facts.name}: picture and sound as they are sent."
        stored = draft.forms().get((draft.chroma, draft.bits))
        codec = " ".join(part for part in (draft.codec_facts.label, stored.profile if stored else "") if part)
        samples = f"{draft.samples}, {draft.matrix} {draft.range}"
        return f"{draft.container_facts.name}: {codec}, {samples}; {draft.sound_facts.label}."

    def _level_says(self) -> str:
        if self._setup is None or self.errors:
            return "The smallest that holds the frame, unless a player wants another."
        plan = file_plan(replace(self._setup, recipe=Recipe(**self.draft.as_fields())))
        return f"{plan.frame.label} needs {replace(plan, recipe=replace(plan.recipe, level='')).level}."

    @property
    def asked(self) -> set[str]:
        """The fields that count with the codecs and the rate control that are chosen."""
        typed = self.data.get("rate") if self.is_bound else None
        kind = RateKind(typed) if typed in set(RateKind) else self.draft.rate.kind
        chosen = CODECS[self._codec()], kind, self.draft.sound_facts
        return {name for name, one in FIELDS.items() if one.counts is None or one.counts(*chosen)}

    @property
    def shown(self) -> list[Row]:
        """The rows of what is encoded that stand in sight: the fields of each, and what it says."""
        return self._rows(SHOWN)

    @property
    def more(self) -> list[Row]:
        """Those that few people change."""
        return self._rows(FOLDED)

    def _rows(self, rows: Iterable[tuple[str, ...]]) -> list[Row]:
        told = self.description
        return [
            {"fields": [self[name] for name in row], "says": told.get(row[0]) or self.fields[row[0]].help_text}
            for row in rows
            if row[0] in self.asked
        ]

    @cached_property
    def folded(self) -> list[tuple[str, str]]:
        """What the folded part of the page holds that is not usual for the codec: the setting and its value."""
        usual = resolve(Draft(codec=self.draft.codec, container=self.draft.container))
        said = [(one.name, one.say(self.draft), one.say(usual)) for one in SETTINGS if one.field in FOLDED_FIELDS]
        return [(name, value) for name, value, common in said if value != common]

    @property
    def has_folded_errors(self) -> bool:
        """Whether something in the folded part of the page was refused."""
        return bool(FOLDED_FIELDS & self.errors.keys())

    @property
    def unseen_errors(self) -> list[str]:
        """What is wrong with fields that the page leaves out, since they mean nothing with what is chosen."""
        unseen = (name for name in FIELDS if name not in self.asked and name in self.errors)
        return [str(error) for name in unseen for error in self.errors[name]]

    def with_what_came(self) -> "RecipeForm":
        """Return the form filled with what another codec brought, once that was refused; itself where it was not."""
        if self.is_valid() or not self.came:
            return self
        form = self.filled(self.draft)
        form.is_valid()
        form.came = self.came
        return form

    def taken(self, number: str) -> "RecipeForm":
        """Return the form filled with one of the offers, counted from 0; this one where there is none."""
        self.is_valid()
        found, place = offers(self.draft), number_of(number)
        return self if place is None or place >= len(found) else self.filled(found[place])

    @property
    def description(self) -> dict[str, str]:
        """What a choice means, by the field it was made in."""
        draft = self.draft
        codec, sound = draft.codec_facts, draft.sound_facts
        scale = codec.scale(draft.rate.kind)
        profile = codec.profile(draft.profile)
        is_constant = draft.rate.kind is RateKind.BITRATE
        return {
            "container": draft.container_facts.description,
            "codec": f"{codec.description} {profile.description if profile else ''}".strip(),
            "samples": str(self.fields["samples"].help_text)
            + (f" Few phones and browsers play {draft.samples} {codec.label}." if has_few_players(draft) else ""),
            "sound_codec": sound.description,
            "level": self._level_says(),
            "rate": RATE_SAYS[draft.rate.kind]
            + (f" {codec.label} takes less where the picture needs less." if codec.saves and is_constant else "")
            + (f" {scale.low} to {scale.high}, lower is better and bigger: {scale.description}" if scale else ""),
        }

    def clean(self) -> dict[str, Any]:
        """Make the recipe; what does not go together is said at the settings that are refused."""
        cleaned: dict[str, Any] = forms.Form.clean(self) or {}
        if self.errors:
            return cleaned
        try:
            typed = draft_of(cleaned, self.recipe)
            self.draft = with_codec(typed) if self._is_new_codec(typed) else typed
            self.came = differences(typed, self.draft)
            for mismatch in self.draft.mismatches():
                self.add_error(_SHOWN_AT.get(mismatch.field, mismatch.field), str(mismatch))
            if not self.errors:
                self.value = self._checked(Recipe(**self.draft.as_fields()))
        except ReelError as error:
            self.add_error(None, str(error))
        return cleaned

    def _is_new_codec(self, typed: Draft) -> bool:
        return str(self.data.get("was_codec") or typed.codec) != typed.codec.value

    def _checked(self, recipe: Recipe) -> Recipe:
        """Return a recipe that can hold the rig's frame; raises BadValueError."""
        if self._setup is not None:
            file_plan(replace(self._setup, recipe=recipe)).check()
        return recipe


def _fields_of(recipe: Draft) -> dict[str, Any]:
    return fields_of(recipe) | {"was_codec": recipe.codec.value}


# What each rate control does, in a sentence.
RATE_SAYS = {
    RateKind.QUALITY: "Every picture looks as good: busy ones take more room.",
    RateKind.BITRATE: "Every minute takes the same room, and a single second at most half as much again.",
    RateKind.VARIABLE: "The average is held; busy stretches take up to the most, a single second half as much again.",
    RateKind.QUANTISER: "Every picture is rounded by the same step.",
    RateKind.LOSSLESS: "Nothing is lost, and files are very big.",
    RateKind.PROFILE: "The profile says how much room a picture takes.",
}


def _in_short(changes: tuple[tuple[str, str, str], ...]) -> str:
    """Say what changes; where container or codec do, what follows from them need not be said."""
    told = [(name, now) for name, _, now in changes]
    basic = [(name, now) for name, now in told if name in ("Container", "Codec", "Sound")]
    return ", ".join(f"{name.lower()} {now}" for name, now in basic or told)
