"""What ended a take, for people."""

from reel.core.file import plain_length
from reel.core.roll.ending import CutBy
from reel.core.roll.setup import RollSetup


def cut_words(cause: CutBy, setup: RollSetup) -> str:
    """Why a take ended, as it was set; "" when a person cut it, or something went wrong, which says it itself."""
    if cause is CutBy.LENGTH and not setup.cut_after_s:
        return ""  # a trial, or a length that was asked for this once
    words = {
        CutBy.LENGTH: f"It was cut after {plain_length(setup.cut_after_s)}, as it was set.",
        CutBy.SIZE: f"It was cut at {float(setup.cut_gb):g} GB, as it was set.",
        CutBy.CLOCK: f"It was cut at {setup.cut_at}, as it was set.",
        CutBy.GONE: f"It was cut since the signal had been gone for {plain_length(setup.gone_s)}, as it was set.",
        CutBy.BLACK: f"It was cut since the picture had been black for {plain_length(setup.black_s)}, as it was set.",
        CutBy.STILL: f"It was cut since nothing had moved for {plain_length(setup.still_s)}, as it was set.",
        CutBy.EVENT: "It was cut since the device was no longer to be seen, as it was set.",
        CutBy.LIMIT: "The device stopped by itself at its limit, as it was set.",
    }
    return words.get(cause, "")


def lapse_words(setup: RollSetup) -> str:
    """Say how a time-lapse is paced; "" for a take that runs as it is."""
    if setup.every_s:
        return f"a frame every {float(setup.every_s):g} s"
    return f"{setup.lapse} times as fast" if setup.is_lapse else ""


def roll_words(setup: RollSetup) -> str:
    """Say how takes roll, in a sentence or two."""
    begins = "Begins at once"
    if setup.countdown_s:
        begins = f"Begins {setup.countdown_s} s after the press"
    elif setup.reach_back_s:
        begins = f"Begins with the {setup.reach_back_s} s before the press"
    ends = [
        word
        for word, is_set in (
            (f"after {plain_length(setup.cut_after_s)}", setup.cut_after_s),
            (f"at {float(setup.cut_gb):g} GB", setup.cut_gb),
            (f"at {setup.cut_at}", setup.cut_at),
            (f"when the signal is gone for {plain_length(setup.gone_s)}", setup.gone_s),
            (f"when it is black for {plain_length(setup.black_s)}", setup.black_s),
            (f"when nothing moves for {plain_length(setup.still_s)}", setup.still_s),
            ("when the device is locked", setup.cut_on_event),
        )
        if is_set
    ]
    until = f"cut by you, or by itself {', or '.join(ends)}" if ends else "cut by you alone"
    pace = f" A time-lapse, {lapse_words(setup)}, without sound." if setup.is_lapse else ""
    return f"{begins}; {until}.{pace}"
