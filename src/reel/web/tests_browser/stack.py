"""A started Reel with a browser: what the browser tests stand on."""

import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from contextlib import contextmanager, suppress
from pathlib import Path

from playwright.sync_api import Error, expect, sync_playwright

from reel.launch.checks import CHROMIUM
from reel.launch.tests.homes import demo_home
from reel.options import ROOT

# A busy machine may take its time; a state that never comes is seen all the same.
expect.set_options(timeout=180_000)

# So much of each log stands behind a test that fails.
LOGGED_LINES = 25

ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-fake-device-for-media-stream",
    "--use-fake-ui-for-media-stream",
]


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@unittest.skipUnless(Path(CHROMIUM).exists(), f"{CHROMIUM} is not installed")
class StackTestCase(unittest.TestCase):
    """Starts `reel demo` on a fresh home once for the class, and a browser with one page for each test."""

    tags = frozenset({"live"})

    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory(prefix="reel-browser-")
        cls.addClassCleanup(folder.cleanup)
        cls.home, cls.port = Path(folder.name) / "home", free_port()
        shutil.copytree(demo_home(), cls.home)
        cls.url = f"http://127.0.0.1:{cls.port}"
        cls.log = Path(folder.name) / "parent.log"
        cls.parent = cls.start_reel()
        playwright = sync_playwright().start()
        cls.addClassCleanup(playwright.stop)
        cls.browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        cls.addClassCleanup(cls.browser.close)

    @classmethod
    def start_reel(cls):
        command = [sys.executable, "-m", "reel", "demo", "--home", str(cls.home), "--port", str(cls.port)]
        environment = {key: value for key, value in os.environ.items() if not key.startswith("REEL_")}
        with cls.log.open("ab") as log:
            process = subprocess.Popen(
                command, cwd=ROOT, stdout=log, stderr=log, stdin=subprocess.DEVNULL, start_new_session=True,
                env=environment | {"PYTHONPATH": str(ROOT / "src"), "REEL_MEASURE": "0", "REEL_DEMO_SHELF": "0"},
            )  # fmt: skip
        cls.addClassCleanup(cls.end, process)
        deadline = time.monotonic() + 240
        while "ready at" not in cls.log.read_text():
            if process.poll() is not None or time.monotonic() > deadline:
                raise AssertionError(cls.log.read_text())
            time.sleep(0.05)
        return process

    @staticmethod
    def end(process) -> float:
        """End a parent as Ctrl-C does; returns the seconds that it took."""
        started = time.monotonic()
        if process.poll() is None:
            process.send_signal(signal.SIGINT)
            try:
                process.wait(60)
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)
                raise
        return time.monotonic() - started

    def run(self, result=None):
        """Run a test; after one that fails, say how the page and the processes stood."""
        result = result or self.defaultTestResult()
        before = len(result.failures) + len(result.errors)
        super().run(result)
        if len(result.failures) + len(result.errors) > before:
            print(f"\n{self.id()} left its page so: {self.stood}", file=sys.stderr)
            for path in sorted((self.home / "logs").glob("*.log")):
                ends = path.read_text(errors="replace").splitlines()[-LOGGED_LINES:]
                print(f"--- {path.name}", *ends, sep="\n", file=sys.stderr)
        return result

    def setUp(self):
        self.addCleanup(self.cut_left)
        self.complaints, self.stood = [], "never opened"
        self.page = self.new_page()

    def new_page(self):
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        page.on("console", lambda entry: self.complaints.append(entry.text) if entry.type == "error" else None)
        return page

    def cut_left(self):
        """Cut what a test that failed left rolling, so that the next one begins as it would alone."""
        with urllib.request.urlopen(f"{self.url}/takes/") as answer:
            if b"data-take=" not in answer.read():
                return
        page = self.new_page()
        page.goto(f"{self.url}/takes/")
        page.keyboard.press("x")
        expect(page.locator("#band")).to_be_hidden()

    def load_until(self, address, selector, count):
        """Load a page anew until it shows so many of something: what a job makes comes when it comes."""
        deadline = time.monotonic() + 180
        while self.page.goto(address) and self.page.locator(selector).count() != count:
            self.assertLess(time.monotonic(), deadline, f"{selector} never came to be {count}")
            self.page.wait_for_timeout(500)

    @contextmanager
    def storing(self):
        """Do what the page stores, and wait until the answer is in it: what is replaced meanwhile takes no click."""
        with self.page.expect_response(lambda answer: answer.request.method == "POST"):
            yield
        self.page.wait_for_function("() => !document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling')")

    def unfold(self, name):
        """Open a folded part of the page."""
        self.page.evaluate("(name) => { document.getElementById(name).open = true; }", name)

    def tearDown(self):
        with suppress(Error):
            self.stood = self.page.evaluate("() => [location.href, document.hidden, window.Alpine?.store('live')]")
        self.assertEqual(self.complaints, [], "the browser complained")
