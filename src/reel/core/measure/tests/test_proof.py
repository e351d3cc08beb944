from dataclasses import replace
from fractions import Fraction

from reel.core.file import ConstantBitrate, Container
from reel.core.measure import Counts, Usable, Verdict, judge, prove
from reel.core.measure.proofline import ProofGroup
from reel.core.media import probe
from reel.core.media.tests.clips import plan, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.signal import Mode

PLAN = plan(keyframe_s=Fraction(1))


def with_recipe(**changes):
    return replace(PLAN, recipe=replace(PLAN.recipe, **changes))


class ProofTests(FolderTestCase):
    def setUp(self):
        super().setUp()
        self.facts = probe(write_clip(self.folder / "a.mkv", PLAN, range(90)))

    def differing(self, asked=PLAN, counts=None, facts=None):
        counts = counts or Counts(ticks=90)
        proof = prove(asked, facts=facts or self.facts, counts=counts)
        return {line.label: line for line in proof.differing}

    def test_a_take_is_judged_in_one_sentence(self):
        for counts, usable, said in (
            (Counts(ticks=90), Usable.YES, "holds what was asked"),
            (Counts(ticks=93, lost_before=3), Usable.WITH_FLAWS, "lost frames"),
            (
                Counts(ticks=200, lost_encoder=80, lost_before=30),
                Usable.NO,
                "110 of 200 pictures are missing",
            ),
            (Counts(ticks=200, lost_before=110), Usable.NO, "read too late"),
        ):
            with self.subTest(usable, said=said):
                judged = judge(prove(PLAN, facts=self.facts, counts=counts), counts)
                self.assertEqual(judged.usable, usable)
                self.assertIn(said, judged.sentence)

    def test_a_true_file_is_as_asked(self):
        proof = prove(PLAN, facts=self.facts, counts=Counts(ticks=90))
        self.assertEqual(proof.differing, ())
        self.assertEqual(proof.summary, f"All {proof.asked_count} checks passed.")
        self.assertGreaterEqual(proof.asked_count, 13)

    def test_several_tracks_stand_beside_each_other(self):
        """One of two tracks is mono in the file: that line differs, and its place in the table is empty."""
        asked = replace(PLAN, tracks=("game", "voice"))
        (track,) = self.facts.sound
        game, voice = replace(track, title="game"), replace(track, title="voice", channels=1)
        proof = prove(asked, facts=replace(self.facts, sound=(game, voice)), counts=Counts(ticks=90))
        self.assertEqual([line.label for line in proof.differing], ["Track 2 channels"])
        sound = next(group for group in proof.groups if group.group is ProofGroup.SOUND)
        rows = {fact: [line and line.got for line in lines] for fact, lines in sound.tracks.rows}
        self.assertEqual(sound.tracks.tracks, (1, 2))
        self.assertEqual((rows["name"], rows["channels"]), (["game", "voice"], ["stereo", None]))
        self.assertEqual([line.label for line in sound.plain], ["Sound tracks"])
        alone = prove(PLAN, facts=self.facts, counts=Counts(ticks=90))
        self.assertTrue(all(group.tracks is None and group.plain == group.lines for group in alone.groups))

    def test_each_difference_is_found_in_the_file(self):
        """The same file, asked to be something else: the line that differs is the one that was changed."""
        for label, asked in (
            ("Size", replace(PLAN, frame=Mode.parse("640x360p30"))),
            ("Container", with_recipe(container=Container.MKV)),
        ):
            with self.subTest(label):
                self.assertEqual(set(self.differing(asked)), {label})
        self.assertIn("Rate", self.differing(replace(PLAN, frame=Mode.parse("320x180p60"))))
        self.assertIn("Keyframes", self.differing(with_recipe(keyframe_s=Fraction(1, 2))))
        self.assertEqual(set(self.differing(replace(PLAN, tracks=("Sound", "voice")))), {"Sound tracks"})

    def test_bitrate_is_judged_when_it_is_held(self):
        facts = probe(write_clip(self.folder / "long.mkv", PLAN, range(200)))
        asked = with_recipe(rate=ConstantBitrate(bitrate_bps=9_000_000))
        self.assertIn("Video bitrate", self.differing(asked, Counts(ticks=200), facts=facts))

    def test_losses_name_their_step_and_agree_with_the_file(self):
        kept = [tick for tick in range(90) if not 30 <= tick < 37]
        facts = probe(write_clip(self.folder / "gaps.mkv", PLAN, kept))
        lines = self.differing(counts=Counts(ticks=90, lost_encoder=7, lost_before=2), facts=facts)
        self.assertEqual((lines["Frames"].asked, lines["Frames"].got, lines["Lost frames"].got), ("90", "83", "9"))
        self.assertIn("at the encoder, which fell behind", lines["Frames"].cause)
        self.assertIn("2 on the way in", lines["Lost frames"].cause)
        # the recorder's count is not believed where the file says otherwise
        lines = self.differing(counts=Counts(ticks=90), facts=facts)
        self.assertIn("they went in writing the file", lines["Frames"].cause)

    def test_a_tail_that_is_missing_is_found(self):
        self.assertEqual(self.differing(counts=Counts(ticks=120))["Frames"].got, "90")

    def test_fitted_pictures_are_noted_not_held_against_it(self):
        proof = prove(PLAN, facts=self.facts, counts=Counts(ticks=90, dropped=90))
        noted = [line.label for line in proof.lines if line.verdict is Verdict.NOTED]
        self.assertEqual((proof.differing, noted), ((), ["Level", "Video bitrate", "Fitted", "Sound bitrate"]))
