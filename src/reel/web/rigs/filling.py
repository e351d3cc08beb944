"""The job that fills the demo's shelf."""

from reel.web.jobs.kinds import Lane, Progress, Subject, WhileRolling, job_kind

# The kind of job that records two weeks of takes.
FILL = "demo"


@job_kind(
    FILL,
    label="Recording two weeks of takes",
    lane=Lane.LONG,
    priority=-1,
    attempts=1,
    while_rolling=WhileRolling.BEGINS_LATER,
)
def fill(asked: Subject, progress: Progress) -> None:
    """Record two weeks of takes; only then is the recorder loaded, which no other job needs."""
    from reel.web.rigs.demo_takes import fill_shelf

    fill_shelf(progress)
