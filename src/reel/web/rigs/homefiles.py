"""The files that rigs have in the home, beside the database: uploaded images, and a sample of each rig's picture."""

import json
import re
import time
from contextlib import suppress
from itertools import chain
from pathlib import Path
from typing import Any

from django.conf import settings

from reel.web.rigs.models import Edit, Rig

# An image this young may have been uploaded for a frame that is being stored just now.
YOUNG_S = 3600
# As `core.media.keep_image` names them.
_NAME = re.compile(r"\b[0-9a-f]{16}\.png\b")


def sample_path(rig: Rig) -> Path:
    """Return where a moment of a rig's picture is kept for measuring."""
    return Path(settings.HOME.cache / f"sample-{rig.pk}.mkv")


def images_of(setup: Any) -> set[str]:
    """Return the names of the uploaded images that a stored setup shows."""
    return set(_NAME.findall(json.dumps(setup)))


def remove_unused_images() -> None:
    """Remove the uploaded images that no rig shows, nor could show again by Undo or Redo."""
    setups = chain.from_iterable(model.objects.values_list("setup", flat=True) for model in (Rig, Edit))
    kept = {name for setup in setups for name in images_of(setup)}
    newest = time.time() - YOUNG_S
    for file in settings.HOME.images.glob("*.png*"):
        with suppress(FileNotFoundError):  # somebody else removed it meanwhile
            if file.name not in kept and file.stat().st_mtime < newest:
                file.unlink()
