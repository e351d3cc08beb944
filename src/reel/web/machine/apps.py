"""The app of this machine, which does the jobs of its kind."""

from django.apps import AppConfig


class MachineConfig(AppConfig):
    """Registers measuring a drive."""

    name = "reel.web.machine"

    def ready(self) -> None:
        """Say what does the jobs of the kind."""
        from reel.web.jobs.running import KINDS
        from reel.web.machine.shelves import DRIVE, measure_drive

        KINDS[DRIVE] = measure_drive
