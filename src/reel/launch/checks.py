"""`./reel test`: the checks, then the tests, counted together."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from reel.options import ROOT, TEST_COUNTS, TEST_DATABASE

CHROMIUM = "/usr/bin/chromium"
# What pages and files are looked at with, beside Reel's own eyes: Debian's packages, and a command of each.
SECOND_EYES = {"chromium": CHROMIUM, "ffmpeg": "ffprobe", "mediainfo": "mediainfo"}
TOOLS = Path(sys.executable).parent
# The tag of test cases whose processes, sockets or clock are real: they would disturb each other.
LIVE = "live"
CHECKS = {
    "format": [str(TOOLS / "ruff"), "format", "--check", "--quiet", "."],
    "lint": [str(TOOLS / "ruff"), "check", "--quiet", "."],
    "types": [str(TOOLS / "mypy")],
    "imports": [str(TOOLS / "lint-imports")],
    "django": [sys.executable, "-m", "django", "check", "--fail-level", "WARNING"],
    "migrations": [sys.executable, "-m", "django", "makemigrations", "--check", "--dry-run"],
}


def run_checks(only: list[str]) -> int:
    """Run all checks and tests, or only some tests; the last line is `N passed, N failed, N skipped`."""
    counts: Counter[str] = Counter(passed=0, failed=0, skipped=0)
    _ensure_tools()
    with tempfile.TemporaryDirectory(prefix="reel-test-") as folder:
        os.environ["REEL_HOME"] = folder
        os.environ["DJANGO_SETTINGS_MODULE"] = "reel.web.settings"
        if not only:
            counts.update(_check(name, command) for name, command in CHECKS.items())
        counts.update(_test(only or ["reel"], Path(folder)))
    print(f"{counts['passed']} passed, {counts['failed']} failed, {counts['skipped']} skipped")
    return 1 if counts["failed"] else 0


def _check(name: str, command: list[str]) -> str:
    started = time.monotonic()
    done = subprocess.run(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    print(f"{name:12} {'ok' if done.returncode == 0 else 'FAILED'}  {time.monotonic() - started:.1f} s", flush=True)
    if done.returncode:
        print(done.stdout, flush=True)
    return "failed" if done.returncode else "passed"


def _test(labels: list[str], folder: Path) -> Counter[str]:
    """Run the tests: those that only compute on all cores at once, then those that live in real time one by one."""
    cores = str(os.cpu_count() or 1)
    return _run("computed", ["--exclude-tag", LIVE, "--parallel", cores, *labels], folder) + _run(
        "live", ["--tag", LIVE, *labels], folder
    )


def _run(name: str, arguments: list[str], folder: Path) -> Counter[str]:
    """Run Django's tests; a run that dies before it has counted is one failure."""
    counts_file = folder / f"{name}.json"
    os.environ[TEST_COUNTS] = str(counts_file)
    os.environ[TEST_DATABASE] = str(folder / f"{name}.sqlite3") if name == LIVE else ""
    command = [sys.executable, "-W", "error::ResourceWarning", "-m", "django", "test", "--noinput", *arguments]
    code = subprocess.run(command, cwd=ROOT / "src").returncode
    if not counts_file.exists():
        return Counter(failed=1)
    counts: Counter[str] = Counter(json.loads(counts_file.read_text()))
    if code and not counts["failed"]:
        counts["failed"] = 1
    return counts


def _ensure_tools() -> None:
    """Install from Debian what the tests look with, where it is missing and we may; without it they skip that."""
    missing = [package for package, found in SECOND_EYES.items() if shutil.which(found) is None]
    if missing and os.geteuid() == 0 and shutil.which("apt-get"):
        print(f"reel: installing {', '.join(missing)} for the tests", flush=True)
        environment = os.environ | {"DEBIAN_FRONTEND": "noninteractive"}
        quiet = {"stdout": subprocess.DEVNULL, "env": environment}
        subprocess.run(["apt-get", "update", "-qq"], **quiet)  # type: ignore[call-overload]
        subprocess.run(["apt-get", "install", "-y", "-qq", *missing], **quiet)  # type: ignore[call-overload]
    for package, found in SECOND_EYES.items():
        if shutil.which(found) is None:
            print(f"reel: some tests need {found}; install it with: apt-get install {package}", flush=True)
