"""Hops, paths, remedies, proposals: against figures worked out by hand, and as properties over many rigs."""

import unittest
from dataclasses import fields, replace
from fractions import Fraction

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.line import (
    DEVICES,
    HOPS,
    Camera,
    Connector,
    Console,
    Deck,
    Deinterlace,
    DeviceKind,
    Feed,
    Fields,
    HopSetup,
    Levels,
    LineReading,
    LossKind,
    NoPathError,
    Phone,
    Turn,
    loss_message,
    propose,
    propose_with,
    remedies,
    signal_chain,
    signal_path,
)
from reel.core.line.boxes import best_first, negotiated, offer_weights
from reel.core.line.edit import add_hop, move_hop, remove_hop, swap_hop, with_device
from reel.core.line.hops import HopContext
from reel.core.line.links import link_clock_hz, total_pixels
from reel.core.line.signal_state import differences, source_signal
from reel.core.line.tests.rigs import feed_input, one, path
from reel.core.signal import Matrix, Mode, Range, Signal

DEEP = "yuv444p10le"
MALLOW = ("component-cable", "component-box", "usb-3")
STAND_INS = [kind for kind in DeviceKind if DEVICES[kind].facts.ways_out]


def console(mode, **settings):
    return Console(mode=Mode.parse(mode), **settings)


def deck(**settings):
    return Deck(mode=Mode.parse("720x576i25"), **settings)


def kinds(setup):
    return [loss.kind for loss in signal_chain(setup).signal_path.losses]


def set_as(kind, **settings):
    """A device, or an example that is passed over: HDMI has 4:2:0 for two modes alone."""
    has = {field.name for field in fields(DEVICES[kind])}
    try:
        return DEVICES[kind](**{name: value for name, value in settings.items() if name in has})
    except BadValueError as error:
        assume(error.thing != "Pixel format")
        raise


@st.composite
def any_rig(draw):
    kind = draw(st.sampled_from(STAND_INS))
    facts = DEVICES[kind].facts
    settings = {
        "mode": draw(st.sampled_from(facts.modes)),
        "pixels": draw(st.sampled_from(facts.pixels)),
        "range": draw(st.sampled_from(Range)),
        "out": draw(st.sampled_from(facts.ways_out)),
        "protected": draw(st.booleans()),
    }
    device = set_as(kind, **settings)
    hops = draw(st.lists(st.sampled_from(sorted(HOPS)), max_size=5))
    if draw(st.booleans()):
        hops = [setup.model for setup in propose(kind, mode=device.mode).picture.path]
    return one(device, *hops)


class LinkTests(unittest.TestCase):
    def test_clocks_are_those_of_the_standards(self):
        # CTA-861: 74.25, 148.5 and 594 MHz; 10 bits take 5/4 except in 4:2:2; 4:2:0 takes half of 2160p 60 alone
        for mode, pixels, mhz in (
            ("1280x720p60", "yuv444p", "74.25"),
            ("1920x1080p60", "yuv444p", "148.5"),
            ("1920x1080p60", "yuv444p10le", "185.625"),
            ("1920x1080p60", "yuv422p10le", "148.5"),
            ("3840x2160p60", "yuv444p", "594"),
            ("3840x2160p60", "yuv420p", "297"),
            ("1920x1080p60", "yuv420p", "148.5"),
            ("3840x2160p30", "yuv420p", "297"),
            ("1280x720p24", "yuv444p", "59.4"),
            ("1280x720p100", "yuv444p", "148.5"),
            ("1920x1080p100", "yuv422p", "297"),
            ("3840x2160p60", "yuv444p10le", "742.5"),
        ):
            clock = link_clock_hz(Signal(mode=Mode.parse(mode), pixels=pixels))
            self.assertEqual(clock, Fraction(mhz) * 1_000_000, (mode, pixels))
        ntsc = link_clock_hz(Signal(mode=Mode.parse("1280x720p60000/1001"), pixels="yuv444p"))
        self.assertEqual(ntsc, Fraction(74_250_000_000, 1001))

    def test_a_mode_that_is_in_no_table_still_has_blanking(self):
        mode = Mode.parse("1440x900p60")
        self.assertGreater(total_pixels(mode), 1600 * 900)
        self.assertLess(total_pixels(mode), 1.1 * 1600 * 900)


class TravelTests(unittest.TestCase):
    def test_the_port_that_takes_half_of_the_frames(self):
        setup = one(console("1920x1080p60"), "hdmi-2.0", "splitter-60", "hdmi-box", "usb-2")
        walked = signal_chain(setup).signal_path
        self.assertEqual(
            [(loss.hop, loss.kind) for loss in walked.losses],
            [(2, "chroma"), (3, "rate"), (3, "compressed")],
        )
        self.assertIn(
            "needs 1\u202f493 Mb/s; the USB 2 port carries about 280 Mb/s bulk",
            loss_message(walked.losses[1], setup).limit,
        )
        self.assertEqual(walked.arrives.label, "1080p 30 MJPEG")
        self.assertEqual(walked.arrives.latency_ms, 64)
        offered = remedies(setup, walked.losses[1])
        self.assertEqual(offered[0].label, "Use the USB 3 port")
        self.assertEqual(offered[0].gives, "60 new pictures a second, not 30")
        self.assertEqual(kinds(offered[0].setup), ["chroma"])
        for remedy in offered:
            self.assertGreater(signal_chain(remedy.setup).carried.distinct_per_s, 30, remedy.label)

    def test_a_remedy_that_only_gives_the_wish_up_comes_last_and_says_so(self):
        stick = one(console("1280x720p60"), "hdmi-1.4", "hdmi-stick", "usb-2")
        for setup in (stick, one(console("1920x1080p120"), "hdmi-2.1", "splitter-60", "capture-card", "pcie-4")):
            for loss in signal_chain(setup).signal_path.losses:
                offered = remedies(setup, loss)
                surrenders = [bool(remedy.gives_up and not remedy.gives) for remedy in offered]
                self.assertEqual(surrenders, sorted(surrenders))
                self.assertLessEqual(sum(surrenders), 1)
        chroma = signal_chain(stick).signal_path.losses[0]
        (last,) = remedies(stick, chroma)
        self.assertEqual((last.label, last.gives_up), ("Send 4:2:2 8-bit", "less colour detail"))

    def test_each_hop_does_what_it_is_known_for(self):
        full = {"range": Range.FULL}
        for setup, expected in (
            (one(console("1920x1080p60", **full), "hdmi-1.4", "hdmi-stick", "usb-3"),
             ["rate", "chroma", "compressed", "range clipped", "wrong matrix"]),
            (one(console("1280x720p60", **full), "hdmi-1.4", "hdmi-box", "usb-3"), ["chroma", "range squeezed"]),
            (one(console("1280x720p30"), "hdmi-2.0", "hdmi-scaler", "usb-3"), ["repeated", "chroma"]),
            (one(console("3840x2160p60", pixels=DEEP), "hdmi-2.1", "hdmi-box", "usb-3"), ["box too slow"]),
            (one(console("3840x2160p60"), "hdmi-2.0", "hdmi-scaler", "usb-3"), ["scaled down", "chroma"]),
            (one(console("1920x1080p120"), "hdmi-2.1", "splitter-60", "capture-card", "pcie-4"),
             ["rate", "chroma"]),
            (one(console("1280x720p60", protected=True), "hdmi-2.0", "hdmi-box", "usb-3"), ["protected"]),
            (one(console("1280x720p60")), ["unconnected"]),
            (one(console("1280x720p60"), "hdmi-2.0", "hdmi-box"), ["chroma", "unconnected"]),
            (one(console("1280x720p60"), "scart-cable", "analogue-box", "usb-2"), ["unconnected"]),
            (one(deck(), "scart-cable", "scart-hdmi", "hdmi-1.4", "hdmi-box", "usb-3"),
             ["crosstalk", "fields merged", "squeezed shape"]),
            (one(deck(), "scart-cable", "analogue-box", "usb-2"), ["crosstalk", "left interlaced"]),
            (one(deck(out=Connector.SVIDEO), "s-video-cable", "analogue-stick", "usb-2"), ["fields merged"]),
        ):  # fmt: skip
            with self.subTest(" > ".join(hop.model for hop in setup.path)):
                self.assertEqual(kinds(setup), expected)

    def test_arrival_mends_what_is_only_said_wrongly(self):
        wrong = one(console("1280x720p60"), "hdmi-1.4", "hdmi-stick", "usb-2")
        loss = next(loss for loss in signal_chain(wrong).signal_path.losses if loss.kind is LossKind.WRONG_MATRIX)
        mended = next(r for r in remedies(wrong, loss) if r.label == "Read the colours as 709").setup
        self.assertNotIn("wrong matrix", kinds(mended))
        self.assertEqual(signal_chain(mended).carried.signal.matrix, Matrix.BT709)
        squeezed = one(deck(), "scart-cable", "scart-hdmi", "hdmi-1.4", "hdmi-box", "usb-3")
        loss = next(loss for loss in signal_chain(squeezed).signal_path.losses if loss.kind is LossKind.SQUEEZED_SHAPE)
        mended = next(r for r in remedies(squeezed, loss) if r.label == "Show it as 4:3").setup
        self.assertEqual(signal_chain(mended).carried.signal.pixel_aspect, Fraction(3, 4))

    def test_fields_become_pictures(self):
        setup = one(deck(), "scart-cable", "analogue-box", "usb-2")
        for deinterlace, rate, distinct in ((Deinterlace.PAIR, 25, 25), (Deinterlace.FIELD, 50, 50)):
            carried = signal_chain(replace(setup, arrival=replace(setup.arrival, deinterlace=deinterlace))).carried
            self.assertEqual(
                (carried.signal.mode.rate, carried.distinct_per_s, carried.fields), (rate, distinct, Fields.NONE)
            )

    def test_a_fixed_orientation_keeps_the_frame(self):
        phone = Phone(mode=Mode.parse("720x1560p30"))
        for held in Turn:
            setup = one(replace(phone, turn=held), "usb-3")
            upright = replace(setup, arrival=replace(setup.arrival, turn=Turn.UPRIGHT))
            self.assertEqual(signal_chain(upright).carried.signal.mode.size_label, "720×1560", held)

    def test_links_judge_what_they_carry(self):
        for device, models, block in (
            (console("3840x2160p60", pixels="yuv420p"), ("hdmi-1.4", "hdmi-stick", "usb-3"), "link too slow"),
            (console("3840x2160p60", pixels="yuv420p"), ("hdmi-2.0", "hdmi-stick", "usb-3"), "box too slow"),
            (console("3840x2160p60", pixels="yuv420p"), ("hdmi-2.0", "capture-card", "pcie-4"), None),
            (
                console("1920x1080p60", pixels=DEEP, out=Connector.COMPONENT),
                ("component-cable", "component-box", "usb-3"),
                None,
            ),
            (console("3840x2160p60"), ("hdmi-2.0", "splitter-1080", "hdmi-box", "usb-3"), "link too slow"),
        ):
            block_found = signal_chain(one(device, *models)).signal_path.block
            self.assertEqual(block_found and block_found.kind, block, models)
        camera = Camera(mode=Mode.parse("640x480p30"))
        self.assertEqual(kinds(one(camera, "usb-2")), [], "147 of 197 Mb/s isochronous")
        big = one(replace(camera, mode=Mode.parse("1280x720p30")), "usb-2")
        said = loss_message(signal_chain(big).signal_path.losses[0], big).limit
        self.assertIn("USB 2 port carries about 197 Mb/s isochronous", said)
        ntsc = replace(deck(out=Connector.COMPOSITE), mode=Mode.parse("720x480i30000/1001"))
        cable = HOPS["composite-cable"]
        wide = replace(source_signal(ntsc), chroma_px=(360, 240))
        at = HopContext(place=0, device=ntsc)
        self.assertEqual(cable.carry(wide, at).carried.chroma_px[0], 63, "0.6 MHz of colour, not PAL's 1.3")

    def test_both_readings_of_a_line_can_be_chosen(self):
        for mode, everything, inner in (
            ("720x576i25", Fraction(16, 15), Fraction(59, 54)),
            ("720x480i30000/1001", Fraction(8, 9), Fraction(10, 11)),
        ):
            setup = one(replace(deck(), mode=Mode.parse(mode)), "scart-cable", "analogue-box", "usb-2")
            other = replace(setup, arrival=replace(setup.arrival, reading=LineReading.INNER))
            aspects = [signal_chain(one).carried.signal.pixel_aspect for one in (setup, other)]
            self.assertEqual(aspects, [everything, inner])
            self.assertNotIn("squeezed shape", kinds(other))

    def test_protection_is_never_removed_on_the_way(self):
        setup = one(console("1280x720p60", protected=True), "hdmi-2.0", "hdmi-box", "usb-3")
        loss = signal_chain(setup).signal_path.block
        labels = [remedy.label for remedy in remedies(setup, loss)]
        self.assertEqual(labels, ["Set it for gameplay: protection off", "Record its component output"])

    @settings(max_examples=60, deadline=None)
    @given(any_rig())
    def test_no_hop_ever_adds_anything(self, setup):
        walked = signal_path(setup.device, setup.path)
        before = walked.sent
        for step in walked.steps:
            if step.passes is None:
                break
            for name in ("distinct_per_s", "depth_bits"):
                self.assertLessEqual(getattr(step.passes, name), getattr(before, name))
            self.assertGreaterEqual(step.passes.latency_ms, before.latency_ms)
            if before.taken is None and step.passes.taken is None:
                self.assertTrue(all(a <= b for a, b in zip(step.passes.chroma_px, before.chroma_px, strict=True)))
            self.assertFalse(before.levels is Levels.CLIPPED and step.passes.levels is Levels.WHOLE)
            before = step.passes
        self.assertEqual(walked.arrives is None, walked.block is not None)

    @settings(max_examples=25, deadline=None)
    @given(any_rig())
    def test_every_remedy_keeps_its_word(self, setup):
        now = signal_chain(setup).signal_path
        for loss in now.losses:
            for remedy in remedies(setup, loss):
                after = signal_chain(remedy.setup).signal_path
                self.assertIsNone(after.block)
                self.assertNotIn((loss.stage, loss.kind), [(other.stage, other.kind) for other in after.losses])

    @given(
        st.sampled_from(DEVICES[DeviceKind.CONSOLE].facts.modes),
        st.sampled_from(DEVICES[DeviceKind.CONSOLE].facts.pixels),
    )
    def test_offers_are_weighed_as_their_losses_are(self, mode, pixels):
        for box in ("hdmi-box", "capture-card", "hdmi-stick"):
            device = set_as(DeviceKind.CONSOLE, mode=mode, pixels=pixels)
            walked = signal_path(device, path("hdmi-2.1", box))
            taken = walked.steps[-1].passes and walked.steps[-1].passes.taken
            if taken is None:
                continue
            offers = walked.steps[-1].passes.offers
            self.assertEqual(offers, best_first(taken, offers))
            for offer, weight in offer_weights(taken, offers):
                losses = differences(taken, negotiated(taken, offer, offers), hop=0)
                same = [loss for loss in losses if loss.kind not in (LossKind.RANGE_SQUEEZED, LossKind.WRONG_MATRIX)]
                self.assertAlmostEqual(weight, sum(loss.weight for loss in same), places=4)


class ProposalTests(unittest.TestCase):
    def test_every_device_gets_a_line_that_works(self):
        for kind in STAND_INS:
            for mode in DEVICES[kind].facts.modes:
                rig = propose(kind, mode=mode)
                carried = signal_chain(rig.picture).carried
                self.assertIsNotNone(carried, (kind, mode))
                self.assertEqual(rig.frame.mode.rate, carried.signal.mode.rate)
                self.assertEqual(rig.frame.mode.height_px, carried.signal.mode.height_px)
        self.assertEqual(propose(DeviceKind.DECK).frame.mode.key, "768x576p50")

    def test_what_is_at_hand_is_used_and_what_lacks_is_named(self):
        self.assertIn(HopSetup(model="analogue-stick"), propose(DeviceKind.DECK, {"analogue-stick"}).picture.path)
        self.assertIn(HopSetup(model="receiver-720"), propose(DeviceKind.TABLET, {"receiver-720"}).picture.path)
        with self.assertRaises(NoPathError) as raised:
            propose(DeviceKind.CONSOLE, {"analogue-box"})
        self.assertIn("HDMI box", str(raised.exception))

    def test_a_box_is_proposed_for_what_it_can_do(self):
        for kind, have, mode in (
            (DeviceKind.CONSOLE, "hdmi-box", "1920x1080p60"),
            (DeviceKind.CONSOLE, "capture-card", "1920x1080p60"),
            (DeviceKind.CONSOLE, "hdmi-stick", "1920x1080p30"),
            (DeviceKind.CONSOLE, None, "1280x720p30"),
            (DeviceKind.DECK, "analogue-box", "720x576i25"),
            (DeviceKind.TABLET, "receiver-720", "1024x1366p30"),
        ):
            with self.subTest(have):
                rig = propose_with(kind, {have} if have else None)
                self.assertEqual(rig.picture.device.mode.key, mode)


class EditTests(unittest.TestCase):
    HOPS = path("hdmi-2.0", "hdmi-box", "usb-3")

    def test_hops_are_added_moved_swapped_and_removed(self):
        longer = add_hop(self.HOPS, 1, "splitter-60")
        self.assertEqual([hop.model for hop in longer], ["hdmi-2.0", "splitter-60", "hdmi-box", "usb-3"])
        self.assertEqual(move_hop(longer, 1, 1)[2].model, "splitter-60")
        self.assertEqual(move_hop(longer, 0, -1), longer)
        self.assertEqual(remove_hop(longer, 1), self.HOPS)
        self.assertEqual(swap_hop(self.HOPS, 1, "hdmi-stick")[1], HopSetup(model="hdmi-stick"))

    def test_what_cannot_be_is_refused(self):
        for edit in (
            lambda: add_hop(self.HOPS, 4, "usb-2"),
            lambda: add_hop(self.HOPS, 0, "garden hose"),
            lambda: add_hop(self.HOPS * 4, 0, "usb-2"),
            lambda: remove_hop(self.HOPS, 3),
            lambda: one(Feed()),
            lambda: replace(one(console("1280x720p30")), origin=feed_input("a.mp4").origin),
            lambda: replace(feed_input("a.mp4"), path=path("usb-2")),
        ):
            with self.assertRaises(BadValueError):
                edit()

    def test_another_way_out_lays_another_path(self):
        setup = one(console("1280x720p30"), "hdmi-2.0", "hdmi-box", "usb-3")
        component = with_device(setup, replace(setup.device, out=Connector.COMPONENT))
        self.assertIsNone(signal_chain(component).signal_path.block)
        self.assertEqual(with_device(setup, replace(setup.device, protected=True)).path, setup.path)

    def test_sent_is_what_is_set(self):
        self.assertEqual(source_signal(deck()).chroma_px, (52, 576))
        self.assertEqual(source_signal(console("1280x720p30", pixels="yuv422p10le")).chroma_px, (640, 720))
        self.assertIsNone(source_signal(Feed()))
