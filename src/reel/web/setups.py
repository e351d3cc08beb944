"""Stored setups and rig files of earlier versions, brought to the one of today."""

from collections.abc import Mapping
from typing import Any

from reel.core.errors import BadValueError
from reel.core.file import SOUND_CODECS, Draft, Recipe, SoundCodec, recipe_from_1, resolve
from reel.core.line import RigSetup
from reel.core.wire import from_plain, to_plain

VERSION = 7

# Version 1 had one class of device with every setting that any kind has, and the faults of the room among the settings.
_SETTINGS_1 = {
    "console": ("mode", "pixels", "matrix", "range", "out", "protected"),
    "phone": ("mode", "matrix", "range", "out", "turn", "touches", "sleep_lock", "sleep_s"),
    "tablet": ("mode", "matrix", "range", "out", "turn", "touches", "sleep_lock", "sleep_s"),
    "headset": ("mode", "out", "eye", "pointer"),
    "deck": ("mode", "out"),
    "camera": ("mode", "matrix", "range", "out"),
    "feed": (),
}
_PLAY_1 = ("shows", "drift_ppm", "turns", "tape_s")
_DEVICE_1 = {"kind", *_SETTINGS_1["console"], *_SETTINGS_1["phone"], *_SETTINGS_1["headset"], *_PLAY_1}
_DEVICE_1 |= {"surface", "access", "feed", "loop", "listen"}
_NAMES_1 = {
    "console": "Console", "phone": "Phone", "tablet": "Tablet", "headset": "Headset", "deck": "Tape deck",
    "camera": "Camera",
}  # fmt: skip
_INPUT_2 = ("device", "origin", "path", "arrival")
_NAMES_2 = {**_NAMES_1, "feed": "Video feed"}
_MODELS_1 = {
    "fennel": "hdmi-box", "teasel": "capture-card", "burdock": "hdmi-stick", "yarrow": "hdmi-scaler",
    "mallow": "component-box", "sorrel": "analogue-box", "comfrey": "analogue-stick",
}  # fmt: skip
# What a recipe of version 3 had where nothing was written.
_RATE_3 = (("rate_control", "crf"), ("bitrate_bps", 12_000_000), ("quality_crf", 20))
_OWN_6 = {
    "own-recorder": ("1560 30 8M", "1280 30 5M", "1280 30 5M steadied", "1024 24 3M"),
    "developer-link": ("1000 36 10M", "1000 36 20M"),
}
_USUAL_1 = ("", "ready", "powered", "in full view", "paired", "free", "open")
_FAULTS_1 = {
    **{fault: fault for fault in ("busy", "denied", "no power", "not paired", "covered", "moved", "resized")},
    "minimised": "minimised", "shows Reel": "shows reel", "forbidden": "forbidden", "accelerated": "forbidden",
}  # fmt: skip


def from_1(content: dict[str, Any]) -> dict[str, Any]:
    """Bring a rig file's content from version 1 to 2; raises BadValueError that names the key that is wrong."""
    setup, play = setup_from_1(content.get("setup"))
    return content | {"version": 2, "setup": setup, "play": play}


def from_2(content: dict[str, Any]) -> dict[str, Any]:
    """Bring a rig file's content from version 2 to 3; raises BadValueError that names the key that is wrong."""
    rest = {key: value for key, value in content.items() if key != "play"}
    return rest | {"version": 3, "setup": setup_from_2(content.get("setup")), "plays": [content.get("play", {})]}


def from_3(content: dict[str, Any]) -> dict[str, Any]:
    """Bring a rig file's content from version 3 to 4; raises BadValueError that names the key that is wrong."""
    return content | {"version": 4, "setup": setup_from_3(content.get("setup"))}


def from_4(content: dict[str, Any]) -> dict[str, Any]:
    """Bring a rig file's content from version 4 to 5; raises BadValueError that names the key that is wrong."""
    return content | {"version": 5, "setup": setup_from_4(content.get("setup"))}


def from_5(content: dict[str, Any]) -> dict[str, Any]:
    """Bring a rig file's content from version 5 to 6; raises BadValueError that names the key that is wrong."""
    return content | {"version": 6, "setup": setup_from_5(content.get("setup"))}


def from_6(content: dict[str, Any]) -> dict[str, Any]:
    """Bring a rig file's content from version 6 to 7; raises BadValueError that names the key that is wrong."""
    return content | {"version": 7, "setup": setup_from_6(content.get("setup"))}


# What brings a rig file's content from each version to the next.
OLDER = {1: from_1, 2: from_2, 3: from_3, 4: from_4, 5: from_5, 6: from_6}


def setup_from_6(setup: Any) -> dict[str, Any]:
    """Return a setup of version 6, which named one of six bundles of a device's own recorder, in version 7."""
    return {**setup, "inputs": [_input_from_6(one) for one in _part(setup, "inputs", list)]}


def _input_from_6(one: Any) -> Any:
    path = one.get("path", []) if isinstance(one, dict) else None
    if not isinstance(path, list):
        return one
    device = one.get("device")
    is_headset = isinstance(device, dict) and device.get("kind") == "headset"
    return {**one, "path": [_hop_from_6(hop, is_headset) for hop in path]}


def _hop_from_6(hop: Any, is_headset: bool) -> Any:
    if not isinstance(hop, dict) or "option" not in hop:
        return hop
    rest = {key: value for key, value in hop.items() if key != "option"}
    if not hop["option"]:
        return rest
    if hop["option"] not in _OWN_6.get(str(hop.get("model")), ()):
        raise BadValueError("option", hop["option"], "it has no such option")
    size, rate, bitrate, *more = hop["option"].split()
    own = {"rate": int(rate), "bitrate_bps": int(bitrate[:-1]) * 1_000_000}
    if hop["model"] == "developer-link":
        own["limit_s"] = 60
    elif size != "1560":  # as long as any screen
        own["longer_px"] = int(size)
    return {**rest, "own": own | ({"steadied": True} if more and is_headset else {})}


def setup_from_5(setup: Any) -> dict[str, Any]:
    """Return a setup of version 5, which called a simulated device plugged in, in version 6."""
    inputs = [_input_from_5(one) for one in _part(setup, "inputs", list)]
    return {**setup, "inputs": inputs, "recipe": recipe_from_1(_part(setup, "recipe", dict))}


def _input_from_5(one: Any) -> Any:
    origin = one.get("origin") if isinstance(one, dict) else None
    if not isinstance(origin, dict) or origin.get("kind") != "plugged":
        return one
    return {**one, "origin": origin | {"kind": "simulated"}}


def setup_from_4(setup: Any) -> dict[str, Any]:
    """Return a setup of version 4, whose recipe could ask for what its codec can't do, in version 5."""
    return {**setup, "recipe": to_plain(recipe_of(_part(setup, "recipe", dict)))}


def recipe_of(kept: Any) -> Recipe:
    """Read a recipe that was kept once; what is known today not to go together becomes the nearest that does."""
    return resolve(from_plain(recipe_from_1(kept), Draft))


def setup_from_3(setup: Any) -> dict[str, Any]:
    """Return a setup of version 3, whose recipe was always H.264 and AAC, in version 4; raises BadValueError."""
    recipe = dict(_part(setup, "recipe", dict))
    control, bitrate, quality = (recipe.pop(key, usual) for key, usual in _RATE_3)
    if control == "cbr":
        rate = {"kind": "bitrate", "bitrate_bps": bitrate}
    elif control == "crf":
        rate = {"kind": "quality", "quality": quality}
    else:
        raise BadValueError("rate_control", control, "it is one of cbr, crf")
    sound = recipe.get("sound_bitrate_bps", 192_000)
    if isinstance(sound, int | float) and 64_000 <= sound <= 320_000:
        recipe["sound_bitrate_bps"] = min(SOUND_CODECS[SoundCodec.AAC].bitrates_bps, key=lambda bps: abs(bps - sound))
    return {**setup, "recipe": {"container": "mkv", **recipe, "rate": rate}}


def setup_from_2(setup: Any) -> dict[str, Any]:
    """Return a setup of version 2, which had one input and the frame in its recipe, in version 3.

    Raises BadValueError. Keys that no setup of version 2 had stay where they are, to be refused there.
    """
    device, recipe = _part(setup, "device", dict), dict(_part(setup, "recipe", dict))
    name = _NAMES_2.get(str(device.get("kind")), "Input")
    one = {"name": name, **{key: setup[key] for key in _INPUT_2 if key in setup}}
    frame = {"mode": recipe.pop("frame", None), "as_it_comes": recipe.pop("as_it_comes", False)}
    rest = {key: value for key, value in setup.items() if key not in (*_INPUT_2, "recipe")}
    return {"inputs": [one], "frame": frame, "tracks": [{"name": "Sound"}], "recipe": recipe, **rest}


def setup_from_1(setup: Any) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return what was chosen, and how the stand-ins play, of a setup of version 1; raises BadValueError."""
    device, path = _part(setup, "device", dict), _part(setup, "path", list, [])
    kind = device.get("kind")
    if not isinstance(kind, str) or kind not in _SETTINGS_1:
        raise BadValueError("device", kind, f"its kind is one of {', '.join(_SETTINGS_1)}")
    _refuse_unknown(device, _DEVICE_1)
    faults = [device.get("surface", ""), device.get("access", "")]
    hops = []
    for hop in path:
        _refuse_unknown(hop, {"model", "condition", "option"})
        faults.append(hop.get("condition", ""))
        model = hop.get("model")
        hops.append({**hop, "model": _MODELS_1.get(model, model) if isinstance(model, str) else model})
        hops[-1].pop("condition", None)
    play = {key: device[key] for key in _PLAY_1 if key in device}
    found = [fault for fault in faults if fault not in _USUAL_1]
    if found:
        if not isinstance(found[0], str) or found[0] not in _FAULTS_1:
            raise BadValueError("condition", found[0], "no such condition is known")
        play["fault"] = _FAULTS_1[found[0]]
    kept = {key: device[key] for key in _SETTINGS_1[kind] if key in device}
    chosen = {**setup, "device": {"kind": kind, **kept}, "origin": _origin(kind, device), "path": hops}
    return chosen, play


def _origin(kind: str, device: dict[str, Any]) -> dict[str, Any]:
    feed = device.get("feed") or ""
    if kind != "feed":
        return {"kind": "plugged", "device": _NAMES_1[kind]}
    if isinstance(feed, str) and "://" in feed:
        return {"kind": "network", "address": feed, "listen": device.get("listen", False)}
    return {"kind": "file", "name": feed, "loop": device.get("loop", True)}


def _part(setup: Any, key: str, kind: type, usual: Any = None) -> Any:
    part = setup.get(key, usual) if isinstance(setup, dict) else None
    if not isinstance(part, kind):
        raise BadValueError(key, part, "it is not written as a rig has it")
    return part


def _refuse_unknown(part: Any, known: set[str]) -> None:
    if not isinstance(part, dict):
        raise BadValueError("path", part, "it is not written as a rig has it")
    for key in part:
        if key not in known:
            raise BadValueError(key, part[key], "it is not part of a rig")


def stored(plan: RigSetup) -> dict[str, Any]:
    """A setup as the database keeps it, with its version; raises BadValueError for one it could not give back."""
    kept = to_plain(plan)
    from_plain(kept, RigSetup)
    return {"version": VERSION, **kept}


def plan_of(kept: Mapping[str, Any]) -> RigSetup:
    """Read a setup that the database kept; raises BadValueError for one that can't be read."""
    data = dict(kept)
    version = data.pop("version", 1)
    if version == 1:
        data, _ = setup_from_1(data)
    if version in (1, 2):
        data = setup_from_2(data)
    if version in (1, 2, 3):
        data = setup_from_3(data)
    if version in (1, 2, 3, 4):
        data = setup_from_4(data)
    if version in (1, 2, 3, 4, 5):
        data = setup_from_5(data)
    if version in (1, 2, 3, 4, 5, 6):
        data = setup_from_6(data)
    elif version != VERSION:
        raise BadValueError("Version", version, f"this Reel reads setups up to version {VERSION}")
    return from_plain(data, RigSetup)
