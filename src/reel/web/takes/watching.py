"""Folders that are watched: what is laid in one is brought in by itself."""

import logging
import threading
from pathlib import Path
from typing import Any

from django.db import close_old_connections, models
from watchdog.events import FileSystemEvent, FileSystemEventHandler
from watchdog.observers import Observer

from reel.core.errors import BadValueError, ReelError
from reel.core.offload import Folder, StoredFile
from reel.web.takes.bringing import MEDIA_ENDINGS, ask_for_files
from reel.web.takes.files import Incoming, IncomingSource
from reel.web.takes.proving import shelf

MAX_WATCHED = 20
log = logging.getLogger(__name__)


class WatchedFolder(models.Model):
    """A folder that is watched since `added_at`: what was in it before stays there."""

    folder = models.CharField(max_length=500, unique=True)
    added_at = models.DateTimeField(auto_now_add=True)
    problem = models.CharField(max_length=300, blank=True)

    class Meta:
        app_label = "takes"
        ordering = ["folder"]

    def __str__(self) -> str:
        return self.folder


def watch(typed: str) -> WatchedFolder:
    """Watch a folder from now on; raises BadValueError."""
    path = Path(typed.strip()).expanduser()
    if "\x00" in typed or len(typed) > 400 or not path.is_absolute() or not path.is_dir():
        raise BadValueError("Folder", typed[:80], "it is the whole path of a folder that is there, from / on")
    resolved, own = path.resolve(), shelf().root.resolve()
    if resolved.is_relative_to(own) or own.is_relative_to(resolved):
        raise BadValueError("Folder", typed[:80], "takes are written there, and would be brought in again and again")
    if WatchedFolder.objects.count() >= MAX_WATCHED:
        raise BadValueError("Folder", typed[:80], f"up to {MAX_WATCHED} are watched")
    return WatchedFolder.objects.get_or_create(folder=str(resolved))[0]


def look_into(watched: WatchedFolder) -> int:
    """Ask for what was laid in a folder since it is watched; returns how many. What can't be read is noted with it."""
    try:
        files = Folder(Path(watched.folder)).files()
    except ReelError as error:
        WatchedFolder.objects.filter(pk=watched.pk).update(problem=str(error)[:300])
        return 0
    if watched.problem:
        WatchedFolder.objects.filter(pk=watched.pk).update(problem="")
    new = [one for one in files if one.modified_at > watched.added_at and one.size_bytes and _is_new(watched, one)]
    ask_for_files(IncomingSource.FOLDER, watched.folder, new)
    return len(new)


def _is_new(watched: WatchedFolder, file: StoredFile) -> bool:
    """Return whether it is a media file that was not asked for as it is, also where that failed."""
    if Path(file.name).suffix.lower() not in MEDIA_ENDINGS:
        return False
    same = Incoming.objects.filter(source=IncomingSource.FOLDER, place=watched.folder, name=file.name)
    return not same.filter(size_bytes=file.size_bytes, modified_at=file.modified_at).exists()


class Watcher(FileSystemEventHandler):
    """Looks into watched folders as soon as a file there is closed or moved in; one for the process."""

    def __init__(self) -> None:
        self._observer = Observer()
        self._lock = threading.Lock()
        self._watches: dict[str, Any] = {}

    def follow(self) -> None:
        """Watch the folders that are to be watched now, and no others. What can't be begun is tried again later."""
        wanted = set(WatchedFolder.objects.values_list("folder", flat=True))
        with self._lock:
            if wanted and not self._observer.is_alive():
                self._observer, self._watches = Observer(), {}  # one that has ended can't begin again
                self._observer.start()
            for folder in set(self._watches) - wanted:
                self._observer.unschedule(self._watches.pop(folder))
            for folder in wanted - set(self._watches):
                try:
                    self._watches[folder] = self._observer.schedule(self, folder, recursive=True)
                except OSError as error:  # it is gone; looked for again in a minute
                    log.warning("%s can't be watched: %s", folder, error)

    def on_closed(self, event: FileSystemEvent) -> None:
        self._look(str(event.src_path))

    def on_moved(self, event: FileSystemEvent) -> None:
        self._look(str(event.dest_path))

    def _look(self, path: str) -> None:
        """Look into the folder in which something happened; what fails is logged, and looked at in a minute."""
        try:
            for watched in WatchedFolder.objects.all():
                if Path(path).is_relative_to(watched.folder):
                    look_into(watched)
        except Exception:
            log.exception("Looking at %s failed", path)
        finally:
            close_old_connections()


watcher = Watcher()
