"""An open rig: its inputs read, composed into frames, mixed onto tracks, shown and, while a take rolls, recorded."""

import threading
from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import partial

import av

from reel.core.errors import ReelError
from reel.core.line import RigSetup
from reel.core.media import OverlayAssets
from reel.core.roll import MarkedMoment, MarkKind
from reel.core.signal import NS, Picture, Samples, Signal
from reel.core.sound import Balance, BalanceReading
from reel.recorder.clock import Clock
from reel.recorder.guard import attempt, guarded
from reel.recorder.inputs.reader import BEHIND_NS, STEP_NS, Opener, Reader
from reel.recorder.recording.mixing import TrackMixer
from reel.recorder.recording.parts import Parts
from reel.recorder.recording.session import RecordingSession, SessionState
from reel.recorder.rig.frames import Frames
from reel.recorder.rig.insets import PlaceOfRoll, counted
from reel.recorder.rig.listening import Choice, GiveSound, Listeners, Listening
from reel.recorder.rig.open_inputs import OpenInputs
from reel.recorder.rig.prerecord import PreRecordBuffer
from reel.recorder.rig.sounds import Sounds
from reel.recorder.rig.sync import SyncTest

# What is only shown is shown this seldom while reading is behind: recording goes first.
RARELY_NS = NS // 3
# Sound is kept so long before the first picture of a take, beyond what an input is delayed by.
KEEP_SOUND_NS = NS // 2
JOIN_S = 1.0
# Steps in a row, ten a second, at which nothing that was due so long ago is unread, before a rig that was just opened
# keeps pace: what is done for the first time takes longer.
PACED_STEPS, PACED_NS = 3, 20_000_000
# Steps in a row, ten a second, at which reading is late before that is said: a moment is made up for.
BEHIND_STEPS = 20
# So many pictures may wait to be encoded before what is only shown or measured gives way.
GIVES_WAY = 15


class Source(OpenInputs):
    """An open rig, on the clock it is given. `openers` open its inputs, in their order.

    The first input's pictures lead: with each the frame of that instant is composed from the newest of all others. Its
    thread runs `run`, and what belongs to the session; each other input is read on a thread of its own and only leaves
    its newest picture and its sound for that one to take up. On a virtual clock `run_until` reads all on one thread.
    `show` is handed frames that are `wanted`; `watched` says that somebody looks on, whether or not just now another
    frame is wanted. `sound` is handed what is `listened` to. `released` is called with the place of an input that has
    been let go.
    """

    def __init__(
        self,
        setup: RigSetup,
        openers: Sequence[Opener],
        clock: Clock,
        *,
        assets: OverlayAssets | None = None,
        wanted: Callable[[], bool] = lambda: False,
        watched: Callable[[], bool] = lambda: False,
        show: Callable[[av.VideoFrame], None] = lambda frame: None,
        listened: Callable[[], frozenset[Choice]] = frozenset,
        sound: GiveSound = lambda choice, data, at_ns, comes: None,
        released: Callable[[int], None] = lambda place: None,
    ) -> None:
        super().__init__(setup, openers, clock, taker=self, released=released)
        self._wanted, self._watched, self._show = wanted, watched, show
        self._listeners = Listeners(listened, sound)
        self._session: RecordingSession | None = None
        self._shown_ns = 0
        self.frames = Frames(setup, assets or OverlayAssets(), clock, self._taken)
        self._balance = Balance()
        self.sync: SyncTest | None = None
        self._sounds = Sounds(len(setup.inputs))
        self.pre_record = PreRecordBuffer(setup.roll.reach_back_s)
        self._behind_steps = self._paced_steps = 0
        self.paced = threading.Event()
        self._step_ns = clock.now_ns()
        self._stopping = False

    @property
    def balance(self) -> BalanceReading | None:
        """How far the voice lies above the game; None where there are no two such."""
        return self._balance.read() if self.pair is not None else None

    @property
    def patience_ns(self) -> int:
        """How much later than its picture sound may come, since it is to lie earlier than it is heard."""
        return max(max(0, -one.sound.delay_ms) for one in self.setup.inputs) * NS // 1000

    def make_session(self, parts: Parts, *, is_sample: bool = False) -> RecordingSession:
        """Make the session that a take of these parts, or a sample, is recorded by."""
        mixer = TrackMixer(parts, self.setup, parts.plan, self.heard)
        others = partial(counted, self.setup, self.frames.insets, mixer)
        return RecordingSession(parts, parts.plan, mixer, others, is_sample=is_sample)

    def can_become(self, setup: RigSetup) -> bool:
        """Return whether another setup has the same inputs, so that none need be opened anew."""
        return [one.way for one in setup.inputs] == [one.way for one in self.setup.inputs]

    def become(self, setup: RigSetup) -> None:
        """Go on with another frame, sounds, tracks or names, while nothing rolls; may be called from any thread."""
        self.setup = setup
        channels = setup.recipe.sound_channels
        for reader, one in zip(self._readers, setup.inputs, strict=True):
            reader.call(lambda reader=reader, one=one: reader.become(one, channels))  # type: ignore[misc]
        self.call(self._become)

    def stop(self) -> None:
        """Have `run` return and the inputs closed."""
        self._stopping = True
        for reader in self._readers:
            reader.stop()

    def begin(self, session: RecordingSession, *, with_pre_record: bool = False) -> None:
        """Record into a session, from the next picture that it takes; or from the oldest that is kept."""
        self._first.drain()
        self._take_heard()
        for inset in self.frames.insets.values():
            inset.begin(self._clock.now_ns())
        self._session = session
        if not with_pre_record:
            return
        session.parts.allow_more(self.pre_record.count)
        with session.before_the_press():
            for kept in self.pre_record.take():
                session.take_picture(kept.picture, kept.give, kept.interval, self._sounds.recent())

    @property
    def is_behind(self) -> bool:
        """Whether reading has been behind for so long that something will be lost."""
        return self._behind_steps >= BEHIND_STEPS

    def pause(self, now_ns: int) -> None:
        """Pause the session; what was shown before belongs to it."""
        self._first.drain()
        self._take_heard()
        if self._session is not None:
            self._session.pause(now_ns)

    def resume(self) -> None:
        """Go on with the next picture that comes."""
        self._first.drain()
        if self._session is not None:
            self._session.resume()

    def cut(self, now_ns: int) -> None:
        """End the session; what was shown before belongs to it."""
        self._first.drain()
        self._take_heard()
        if self._session is not None:
            self._count_open_insets(now_ns)
            self._session.cut(now_ns)

    def split(self, *, lighter: bool = False) -> None:
        """Go on in another part; `lighter` marks that its effort is."""
        if self._session is not None:
            self._session.split(lighter=lighter)

    def mark(self, label: str, kind: MarkKind = MarkKind.PERSON) -> MarkedMoment | None:
        """Note this moment; None when nothing rolls any more."""
        return self._session.mark(label, kind) if self._session is not None else None

    def arrange(self, place: int) -> MarkedMoment | None:
        """Switch to an arrangement, marked where a take rolls; one that is not there changes nothing."""
        name = self.frames.arrange(place)
        return None if name is None else self.mark(name, MarkKind.ARRANGEMENT)

    def test_sync(self, place: int = 0) -> None:
        """Begin to look for flashes in an input and for clicks in its sound, and in all that have no picture.

        What has a picture of its own is in step with that. May be called from any thread.
        """
        inputs = self.setup.inputs
        heard = {at: sound for at, sound in self.heard.items() if at == place or not inputs[at].has_picture}
        self.sync = SyncTest(place, heard, self._clock.now_ns())

    def run(self) -> None:
        """Read and record until stopped; then the inputs are closed."""
        for reader in self._readers[1:]:
            thread = guarded(f"Reading {reader.setup.name}", reader.run, reader.failed)
            self._threads.append(thread)
            thread.start()
        self._loop((self._first,), None)
        self.close()
        for thread in self._threads:
            thread.join(JOIN_S)

    def run_until(self, until_ns: int) -> None:
        """Read all inputs on this thread, up to `until_ns` on the clock."""
        self._loop(tuple(self._readers), until_ns)

    def _loop(self, readers: Sequence[Reader], until_ns: int | None) -> None:
        while not self._stopping:
            now_ns = self._clock.now_ns()
            for reader in readers:
                reader.tend(now_ns)
            self._take_heard()
            if now_ns >= self._step_ns:
                self._step(now_ns, readers)
            order = sorted(readers, key=lambda reader: self._turn(reader, now_ns)) if len(readers) > 1 else readers
            if any(reader.read_due(now_ns, until_ns) for reader in order):
                continue
            if until_ns is not None and now_ns >= until_ns:
                return
            moments = [self._step_ns, *(reader.next_ns() for reader in readers)]
            self._clock.wait(min([*moments, *([until_ns] if until_ns is not None else [])]), self._first.wake)

    def _turn(self, reader: Reader, now_ns: int) -> tuple[int, bool]:
        """Order reading by what is due; of what is due together the first input comes last, and finds the others'."""
        due_ns = reader.due_ns()
        return (now_ns + NS if due_ns is None else due_ns, reader is self._first)

    def close(self) -> None:
        """Let the inputs that this thread reads go; a session that has not ended ends here."""
        self._first.drain()
        self._take_heard()
        if self._session is not None:
            self._session.abandon(self._clock.now_ns())
            self._session = None
        for reader in self._readers if not self._threads else self._readers[:1]:
            reader.close()

    def failed(self, error: ReelError) -> None:
        """End after an error that nobody foresaw: what was recorded is closed, the inputs let go, the reason said."""
        session, self._session = self._session, None
        if session is not None:
            attempt("Ending the session", lambda: session.abandon(self._clock.now_ns(), str(error)))
            session.parts.finish()
        for reader in self._readers[1:]:
            reader.stop()
        self._first.failed(error)

    def _become(self) -> None:
        """Make anew what frames are composed by, on the thread that records."""
        self.frames.become(self.setup)
        self.pre_record = PreRecordBuffer(
            self.setup.roll.reach_back_s
        )  # what was kept is composed as it was set before
        self._balance = Balance()
        self._listeners.clear()
        self._sounds.clear()

    # what the readers hand on

    def wants(self, place: int) -> bool:
        """Return whether a picture of an input is recorded, shown or looked at."""
        if self.sync is not None and self.sync.wants(place, self._clock.now_ns()):
            return True
        if place:
            return place in self.frames.insets and (self._is_recording or self._watched() or self._keeps_back)
        return self._is_recording or self._wanted() or self._keeps_back

    def wants_all(self, place: int) -> bool:
        """Return whether somebody looks on, or a take rolls."""
        return self._is_recording or self._watched() or self._keeps_back

    @property
    def _keeps_back(self) -> bool:
        """Whether frames are kept for a take that may begin; while one rolls none are."""
        return self.pre_record.seconds > 0 and (self._session is None or self._session.is_sample)

    def take_picture(self, place: int, picture: Picture, goes_on: Signal) -> None:
        """Take a picture of an input: the first one's is recorded and shown, another's is kept for that."""
        self._test(lambda sync: sync.see(place, picture))
        if place:
            if (inset := self.frames.insets.get(place)) is not None:
                inset.feed(picture, goes_on.pixel_aspect, 1 / goes_on.mode.rate, self._place_of_roll())
            return
        is_wanted = self._wanted() and self._may_show(picture.at_ns)
        if not self._is_recording and not is_wanted and not self._keeps_back:
            return
        for_file = self._is_recording or self._keeps_back
        make = self.frames.maker((picture.frame, goes_on.pixel_aspect), for_file=for_file)
        if self._is_recording and self._session is not None:
            self._take_heard()
            self._session.see_signal(goes_on, picture.at_ns)
            self._session.take_picture(picture, make, 1 / goes_on.mode.rate, self._sounds.recent())
        if self._keeps_back:
            self.pre_record.keep(picture, make(picture.at_ns), 1 / goes_on.mode.rate)
        if is_wanted:
            self._show(make(picture.at_ns))

    @property
    def gives_way(self) -> bool:
        """Whether pictures of a take queue up: then showing and measuring give way."""
        session = self._session
        return session is not None and session.parts.waiting > GIVES_WAY

    def _may_show(self, at_ns: int) -> bool:
        """Return whether there is time to show a picture: while a take rolls and something is behind, few are shown."""
        now_ns = self._clock.now_ns()
        is_rare = now_ns - self._shown_ns < RARELY_NS
        if self._is_recording and (now_ns - at_ns > BEHIND_NS or self.gives_way) and is_rare:
            return False
        self._shown_ns = now_ns
        return True

    def take_samples(self, place: int, samples: Samples) -> None:
        """Take a block of an input's sound; the thread that records places it."""
        self._sounds.add(place, samples)

    def hear(self, place: int, samples: Samples) -> None:
        """Listen to a block of an input's sound as it arrives."""
        self._test(lambda sync: sync.hear(place, samples))

    def take_loss(self, place: int) -> None:
        """Take note that an input is gone."""
        self._test(lambda sync: sync.lose(place))
        self._sounds.lose(place)
        if place in self.frames.insets:
            self.frames.insets[place].lose()

    @property
    def _is_recording(self) -> bool:
        return self._session is not None and self._session.state in (SessionState.WAITING, SessionState.ROLLING)

    def _taken(self, at_ns: int) -> Fraction:
        """Return the second of the take at an instant: of a time-lapse that of its file."""
        session = self._session
        if session is None or (segment := session.segment) is None:
            return Fraction(0)
        passed = Fraction(max(0, at_ns - segment.start_ns), NS) * session.pace
        return (segment.first_tick + passed) / session.rate

    def _take_heard(self) -> None:
        """Take up the sound that the readers have left, and what they lost."""
        for place, samples in self._sounds.take(self._keep_ns):
            if samples is not None:
                self._listeners.give(partial(Listening.take, place=place, samples=samples))
                if self._session is not None:
                    self._session.take_samples(place, samples)
                continue
            if not place:
                self.pre_record.clear()
            self._listeners.give(partial(Listening.lose, place=place))
            if self._session is not None:
                self._session.lose_signal(place)

    def _keep_ns(self, place: int) -> int:
        """Return how long an input's sound may be needed by a take that begins."""
        delay_ns = max(0, self.setup.inputs[place].sound.delay_ms) * NS // 1000
        return KEEP_SOUND_NS + self.pre_record.seconds * NS + delay_ns

    def _step(self, now_ns: int, readers: Sequence[Reader]) -> None:
        """Do what is done ten times a second, however far the reading is behind."""
        self._step_ns = now_ns + STEP_NS
        if (pair := self.pair) is not None:
            voice, game = (self.readings[place].heard.loud.momentary for place in pair)
            self._balance.feed(voice, game)
        is_behind = any(reader.is_behind(now_ns) for reader in readers)
        is_late = any(reader.is_behind(now_ns - BEHIND_NS) for reader in readers)
        self._behind_steps = self._behind_steps + 1 if is_late else 0
        if not self.paced.is_set():
            is_unread = any(reader.is_behind(now_ns - PACED_NS) for reader in readers)
            self._paced_steps = 0 if is_unread else self._paced_steps + 1
            if self._paced_steps >= PACED_STEPS:
                self.paced.set()
        self._listeners.advance(self.setup, self.heard, now_ns, gives_way=is_behind and self._is_recording)
        if self._session is not None:
            self._session.step(now_ns, is_behind=is_behind)
            if self._session.state is SessionState.ENDED:
                self._session = None

    def _test(self, work: Callable[[SyncTest], None]) -> None:
        """Have a sync test that runs do something; where that fails it is over, and the take goes on."""
        if (sync := self.sync) is not None and attempt("The sync test", partial(work, sync)):
            self.sync = None

    def _place_of_roll(self) -> PlaceOfRoll | None:
        session = self._session
        if session is None or session.state is not SessionState.ROLLING or session.segment is None:
            return None
        return session.segment, session.rate

    def _count_open_insets(self, now_ns: int) -> None:
        for inset in self.frames.insets.values():
            inset.lost(now_ns, self._place_of_roll())
