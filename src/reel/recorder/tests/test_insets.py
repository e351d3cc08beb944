"""Pictures of several inputs: where they lie, what switches them, and that what one loses costs no other."""

from dataclasses import replace

import numpy as np

from reel.core.frame import Arrangement, Crop, Fit, FrameSetup, Piece, Place
from reel.core.line import file_plan
from reel.core.line.tests.rigs import feed_input, of
from reel.core.measure import prove
from reel.core.media import Stroke, probe
from reel.core.signal import Mode
from reel.recorder.messages import Draw, Pen
from reel.recorder.tests.reading import SMALL, amplitude_db, decoded, lumas
from reel.recorder.tests.several import QUICK, RigTestCase, microphone, picture, tracks
from reel.standins.plain import opener


class InsetTests(RigTestCase):
    def test_pictures_lie_where_their_pieces_say(self):
        """The first fills the frame, an inset lies over it with half its opacity, a third is cropped; all move on."""
        inset = Piece(input="camera", place=Place(x_px=200, y_px=100, width_px=80, height_px=60), fit=Fit.STRETCH)
        faint = Piece(
            input="",
            place=Place(x_px=0, y_px=0, width_px=40, height_px=40),
            opacity=50,
            crop=Crop(left_px=32),
            fit=Fit.STRETCH,
        )
        frame = FrameSetup(
            mode=Mode.parse("320x180p24"), ground="#ffffff", arrangements=(Arrangement(pieces=(Piece(), inset, faint)),)
        )
        setup = of(picture(), feed_input("bench.mp4", name="camera"), frame=frame, recipe=QUICK)
        take = self.record(
            setup,
            [opener(mode=SMALL, grey=lambda n: 60), opener(mode=Mode.parse("64x64p12"), grey=lambda n: 40 + 4 * n)],
        )
        middle, side = list(lumas(take.path, (110, 80, 60, 60))), list(lumas(take.path, (4, 60, 40, 60)))
        seen = list(lumas(take.path, (204, 104, 72, 52)))
        mixed = list(lumas(take.path, (4, 4, 32, 32)))
        for values, wanted in ((middle, 60), (side, 235), (mixed, (235 + 60) / 2)):
            self.assertLess(np.abs(np.array(values) - wanted).max(), 3)
        self.assertEqual([round((value - 40) / 4) for value in seen], [n // 2 for n in range(48)])
        self.assertEqual(take.counts.lost, 0)

    def test_what_is_switched_toggled_and_drawn_while_rolling_is_in_the_file(self):
        inset = Piece(input="camera", place=Place(x_px=200, y_px=100, width_px=80, height_px=60), fit=Fit.STRETCH)
        kept = (Arrangement(name="Both", pieces=(Piece(), replace(inset, key="c"))), Arrangement(name="Alone"))
        frame = FrameSetup(mode=Mode.parse("320x180p24"), arrangements=kept)
        setup = of(picture(), feed_input("bench.mp4", name="camera"), frame=frame, recipe=QUICK)
        stroke = Stroke(points=((90, 90), (130, 90)), width_px=20, colour="#ffffff")
        take = self.record(
            setup,
            [opener(mode=SMALL, grey=lambda n: 60), opener(mode=SMALL, grey=lambda n: 180)],
            rolled_s=((0, 3),),
            does_s=(
                (0.5, lambda source: source.arrange(1)),
                (1.0, lambda source: source.arrange(0)),
                (1.5, lambda source: source.frames.toggle("c")),
                (2.0, lambda source: source.frames.draw(Draw(rig_id=1, stroke=stroke))),
                (2.5, lambda source: source.frames.draw(Draw(rig_id=1, does=Pen.CLEAR))),
                (2.6, lambda source: source.arrange(9)),
            ),
        )
        seen = np.array(list(lumas(take.path, (204, 104, 40, 52))))
        self.assertEqual([mark.label for mark in take.marks], ["Alone", "Both"], "what is not there is no cut")
        first, second = (mark.tick + 1 for mark in take.marks)
        self.assertLess(max(abs(first - 12), abs(second - 24)), 2)
        wanted = [60 if first <= tick < second or tick >= 37 else 180 for tick in range(72)]
        self.assertLess(np.abs(seen - wanted)[[tick for tick in range(72) if tick != 36]].max(), 4)
        drawn = np.array(list(lumas(take.path, (100, 84, 20, 12))))
        self.assertTrue((drawn[50:59] > 225).all() and (np.abs(drawn[:47] - 60) < 4).all())
        self.assertTrue((np.abs(drawn[62:] - 60) < 4).all(), "what was cleared is gone")
        self.assertEqual((take.counts.lost, len(seen)), (0, 72))

    def test_losses_of_one_input_never_cost_frames_of_another(self):
        """An inset that stalls and is pulled, a microphone that goes and comes back: the take goes on, and says so."""
        frame = FrameSetup(
            mode=SMALL,
            arrangements=(
                Arrangement(
                    pieces=(Piece(), Piece(input="camera", place=Place(x_px=0, y_px=0, width_px=16, height_px=16)))
                ),
            ),
        )
        camera, mic = feed_input("bench.mp4", name="camera"), microphone("bench", tracks=(2,))
        setup = of(picture(), camera, mic, frame=frame, recipe=QUICK, tracks=tracks("garden", "bench"))
        take = self.record(
            setup,
            [
                opener(mode=SMALL, hz=400),
                opener(mode=SMALL, gone_s=(1, 2), fails_s=(4, 4.5)),
                opener(hz=900, channels=1, fails_s=(3, 3.5)),
            ],
            [(0, 8)],
        )
        self.assertEqual((take.counts.ticks, take.counts.lost), (192, 0))
        lost = {one.name: one for one in take.counts.inputs}
        stalled = lost["camera"].pictures[0]
        self.assertEqual((stalled.first_tick, stalled.lost), (23, 24))
        self.assertAlmostEqual(lost["camera"].pictures[1].lost, 24, delta=2)
        (hole,) = lost["bench"].sound
        self.assertAlmostEqual(hole.first_tick, 72, delta=1)
        self.assertAlmostEqual(hole.lost, 1000, delta=30)
        self.assertEqual((lost["garden"].pictures, lost["garden"].sound), ((), ()))
        found = decoded(take.path)
        self.assertGreater(amplitude_db(found["garden"][0][144_000:192_000], 400), -21)
        self.assertLess(amplitude_db(found["bench"][0][150_000:190_000], 900), -70)
        self.assertGreater(amplitude_db(found["bench"][0][200_000:], 900), -21)
        lines = prove(file_plan(setup), facts=probe(take.path), counts=take.counts).differing
        told = [line.label for line in lines if "bitrate" not in line.label]
        self.assertEqual(told, ["camera, lost picture", "bench, lost sound"])

    def test_the_first_picture_may_stall_while_an_inset_goes_on(self):
        place = Place(x_px=0, y_px=0, width_px=16, height_px=16)
        arranged = Arrangement(pieces=(Piece(), Piece(input="camera", place=place)))
        setup = of(
            picture(), feed_input("bench.mp4", name="camera"), recipe=QUICK,
            frame=FrameSetup(mode=SMALL, arrangements=(arranged,)),
        )  # fmt: skip
        take = self.record(setup, [opener(mode=SMALL, gone_s=(1, 2)), opener(mode=SMALL)], [(0, 3)])
        self.assertEqual((take.counts.ticks, take.counts.lost_before), (72, 24))
        shown = [round(value) - 16 for value in lumas(take.path, (2, 2, 12, 12))]
        self.assertLess(np.abs(np.array(shown) - np.arange(72)).max(), 2.5)
        self.assertEqual(take.counts.inputs[1].pictures, ())
