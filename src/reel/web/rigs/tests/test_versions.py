"""Rigs and homes of earlier versions: what was written then is read now, and gives the same line."""

import json
import os
import sqlite3
import subprocess
import sys
import tempfile
from contextlib import closing
from dataclasses import replace
from pathlib import Path

from django.test import SimpleTestCase, TestCase

from reel.core.errors import ReelError
from reel.core.file import VariableBitrate, read_recipe, write_recipe
from reel.core.line import DeviceKind, line_stages, propose, read_rig
from reel.core.line.own_settings import OwnSettings
from reel.core.measure import Proof
from reel.core.signal import Matrix, Range
from reel.core.wire import from_plain
from reel.standins.scenario import Scenario
from reel.web.rigs.actions import export_rig, import_rig, make_rig
from reel.web.setups import OLDER, plan_of, recipe_of

KEPT = {version: Path(__file__).parent / f"version_{version}" for version in (1, 2, 3)}
RIGS = {version: json.loads((folder / "rigs.json").read_text()) for version, folder in KEPT.items()}


class RigFileTests(TestCase):
    def file(self, rig, version=1, **changes):
        scenario = {key: rig[key] for key in ("play", "plays") if key in rig and version > 1}
        content = {
            "kind": "reel-rig",
            "version": version,
            "name": rig["name"],
            "setup": rig["setup"],
            **scenario,
            **changes,
        }
        return json.dumps(content, indent=1).encode()

    def test_every_rig_of_before_gives_the_same_line(self):
        for version, rig in ((version, rig) for version, rigs in RIGS.items() for rig in rigs):
            with self.subTest(rig["name"], version=version):
                kept = import_rig(self.file(rig, version))
                stages = line_stages(kept.plan)
                line = [
                    [s.key, s.fact if s.key != "roll" else "", s.rate_bps, sorted(loss.kind for loss in s.losses)]
                    for s in stages
                ]
                self.assertEqual(line, rig["line"])
                scenarios = rig["plays"] if version == 3 else [rig.get("play", {})]
                self.assertEqual(kept.scenarios, tuple(from_plain(scenario, Scenario) for scenario in scenarios))
                again = import_rig(export_rig(kept))
                self.assertEqual((again.plan, again.scenarios), (kept.plan, kept.scenarios))

    def test_a_bundle_of_version_6_becomes_what_it_set(self):
        made = make_rig("Canopy", propose(DeviceKind.HEADSET))
        for out, model, option, own in (
            ("storage", "own-recorder", "", None),
            ("storage", "own-recorder", "1280 30 5M steadied",
             OwnSettings(longer_px=1280, rate=30, bitrate_bps=5_000_000, steadied=True)),
            ("storage", "own-recorder", "1560 30 8M", OwnSettings(rate=30, bitrate_bps=8_000_000)),
            ("paired", "developer-link", "1000 36 20M", OwnSettings(rate=36, bitrate_bps=20_000_000, limit_s=60)),
        ):  # fmt: skip
            with self.subTest(option):
                content = json.loads(export_rig(made)) | {"version": 6}
                content["setup"]["inputs"][0]["device"]["out"] = out
                content["setup"]["inputs"][0]["path"] = [{"model": model, "option": option}]
                kept = import_rig(json.dumps(content).encode())
                self.assertEqual(kept.plan.picture.path[0].own, own)
        content["setup"]["inputs"][0]["path"] = [{"model": model, "option": "8K"}]
        with self.assertRaises(ReelError):
            import_rig(json.dumps(content).encode())

    def test_what_is_misspelt_in_an_old_file_is_refused_with_its_line(self):
        good = self.file(RIGS[1][0])
        for old, new in (
            (b'"drift_ppm"', b'"drift_pmm"'),
            (b'"model"', b'"modell"'),
            (b'"kind": "console"', b'"kind": "toaster"'),
            (b'"device": {', b'"device": 3, "x": {'),
        ):
            with self.subTest(new), self.assertRaises(ReelError) as raised:
                import_rig(good.replace(old, new, 1))
            self.assertRegex(str(raised.exception), r"line \d+: ")
        console = {"device": {"kind": "console"}}
        for setup in (
            None,
            [],
            {**console, "path": [7]},
            {**console, "path": {}},
            {**console, "path": [{"model": []}]},
            {**console, "path": [{"model": "usb-3", "condition": {}}]},
            {"device": {"kind": []}},
            {"device": {"kind": "phone", "surface": []}},
            {"device": {"kind": "feed", "feed": 7}},
        ):
            with self.subTest(setup), self.assertRaises(ReelError):
                read_rig(self.file(RIGS[1][0], setup=setup), older=OLDER, parts=("plays",))

    def test_a_recipe_of_version_4_that_its_codec_can_not_say_is_the_nearest_that_it_can(self):
        (rig,) = (rig for rig in RIGS[3] if rig["name"] == "Moss & Stone, console")
        setup = json.loads(export_rig(import_rig(self.file(rig, 3))))["setup"]
        asked = {"container": "mov", "codec": "prores", "profile": "422", "chroma": "4:2:2", "bits": 10}
        asked |= {"rate": {"kind": "profile"}, "effort": "", "range": "full", "matrix": "601", "sound_codec": "pcm16"}
        setup["recipe"] |= asked
        kept = import_rig(self.file({**rig, "setup": setup}, 4))
        self.assertEqual((kept.plan.recipe.matrix, kept.plan.recipe.range), (Matrix.BT601, Range.LIMITED))
        self.assertEqual(kept.plan.recipe.profile, "422")

    def test_a_rig_of_version_5_keeps_its_device_and_its_highest_bitrate(self):
        (rig,) = (rig for rig in RIGS[3] if rig["name"] == "Moss & Stone, console")
        wanted = import_rig(self.file(rig, 3))
        recipe = replace(wanted.plan.recipe, rate=VariableBitrate(bitrate_bps=4_000_000, max_bps=9_000_000))
        wanted.plan = replace(wanted.plan, recipe=recipe)
        written = export_rig(wanted).replace(b'"version": 7', b'"version": 5')
        written = written.replace(b'"max_bps"', b'"most_bps"').replace(b'"simulated"', b'"plugged"')
        self.assertEqual(import_rig(written).plan, wanted.plan)
        setup = json.loads(written)["setup"]
        self.assertEqual(plan_of({"version": 5, **setup}), wanted.plan)
        self.assertEqual(recipe_of(setup["recipe"]), recipe)
        kept = write_recipe("Evening", recipe).replace(b'"version": 2', b'"version": 1')
        self.assertEqual(read_recipe(kept.replace(b'"max_bps"', b'"most_bps"')), ("Evening", recipe))


class HomeTests(SimpleTestCase):
    def test_a_home_of_before_starts_with_its_rigs_and_takes(self):
        """The database of a demo home as an earlier version left it, brought up as at a start."""
        for version, folder in KEPT.items():
            with self.subTest(version), tempfile.TemporaryDirectory() as home:
                self.start(Path(home), folder)

    def start(self, home, folder):
        with closing(sqlite3.connect(home / "reel.sqlite3")) as database:
            database.executescript((folder / "home.sql").read_text())

        environment = os.environ | {"REEL_HOME": str(home), "DJANGO_SETTINGS_MODULE": "reel.web.settings"}
        subprocess.run([sys.executable, "-m", "django", "prepare"], env=environment, capture_output=True, check=True)
        with closing(sqlite3.connect(home / "reel.sqlite3")) as database:
            rigs = dict(database.execute("SELECT name, setup FROM rigs_rig"))
            takes = database.execute(
                "SELECT rig_name, proof FROM takes_take JOIN takes_part ON takes_part.take_id = takes_take.id"
            ).fetchall()
        rigs = {name: plan_of(json.loads(setup)) for name, setup in rigs.items()}
        self.assertEqual(len(rigs), 12 if folder.name == "version_3" else 8)
        self.assertEqual(rigs["Moss & Stone, console"].picture.path[1].model, "hdmi-box")
        self.assertTrue(all(line_stages(plan) for plan in rigs.values()))
        ((name, proof),) = takes
        self.assertEqual(name, "Moss & Stone, console")
        proved = from_plain(json.loads(proof), Proof)
        self.assertRegex(proved.summary, r"All 2[23] checks passed\.")
