"""The app of this machine, which does the jobs of its kind."""

from django.apps import AppConfig


class MachineConfig(AppConfig):
    """Registers measuring a drive."""

    name = "reel.web.machine"

    def ready(self) -> None:
        """Load what does the jobs of its kinds."""
        from reel.web.machine import shelves  # noqa: F401 - each registers itself
