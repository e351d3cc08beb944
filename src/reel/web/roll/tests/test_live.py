import asyncio
from dataclasses import replace
from unittest.mock import Mock, patch

from django.db import OperationalError
from django.test import SimpleTestCase

from reel.core.line import DeviceKind, propose
from reel.core.measure import Counts, Watched
from reel.core.roll import RollSetup
from reel.core.signal import Mode, Signal, SoundFormat
from reel.core.sound import Level
from reel.recorder.messages import AudioLevels, Behind, InputStatus, Leave, Open, RigStatus, RollStatus, Status
from reel.web.live.facts import live_facts
from reel.web.roll import socket
from reel.web.roll.socket import Lease


def roll(**changes):
    facts = {
        "take_id": 7, "rig_id": 1, "rig_name": "Moss & Stone", "name": "Moss & Stone 014", "path": "/shelf/a.mkv",
        "state": "rolling", "timecode": "00:12:47:08", "length_s": 767.3, "size_bytes": 1_210_000_000,
        "bitrate_bps": 12_600_000, "counts": Counts(), "queue": 1, "queue_limit": 30, "free_bytes": 10**12,
        "seconds_left": 135_600, "marks": 2,
    }  # fmt: skip
    return RollStatus(**facts | changes)


class LiveFactsTests(SimpleTestCase):
    def test_the_band_in_words(self):
        facts = live_facts(Status(rolls=(roll(),)), None)["rolls"][0]
        self.assertEqual((facts["size"], facts["rate"], facts["lost"]), ("1.21 GB", "12.6 Mb/s", "0 lost"))
        self.assertEqual((facts["room"], facts["losing"], facts["holding"]), ("37 h 40 min left", "", False))

    def test_beside_the_timecode_stand_the_part_and_what_a_time_lapse_shows(self):
        for changes, said in (
            ({}, ""),
            ({"part": 3}, "part 3"),
            ({"lapse": 300.0, "length_s": 2.0, "part": 2}, "10 min 00 s in all, part 2"),
        ):
            self.assertEqual(live_facts(Status(rolls=(roll(**changes),)), None)["rolls"][0]["part"], said)

    def test_the_take_of_the_pages_own_rig_comes_first(self):
        own = RigStatus(rig_id=2, inputs=(InputStatus(name="Console"),))
        status = Status(rigs=(own,), rolls=(roll(), roll(take_id=8, rig_id=2)))
        self.assertEqual([one["take_id"] for one in live_facts(status, own)["rolls"]], [8, 7])
        self.assertEqual([one["take_id"] for one in live_facts(status, None)["rolls"]], [7, 8])

    def test_each_loss_names_its_step(self):
        counts = Counts(lost_encoder=5, lost_before=2, repeated=3)
        facts = live_facts(Status(rolls=(roll(counts=counts, behind=Behind.ENCODER, lighter="superfast"),)), None)[
            "rolls"
        ][0]
        self.assertEqual(facts["lost"], "7 lost")
        self.assertIn("5 at the encoder", facts["losing"])
        self.assertIn("2 before Reel", facts["losing"])
        self.assertEqual(
            facts["warning"], "The encoder falls behind: encoder speed “superfast” in File keeps up better"
        )

    def test_levels_stay_on_the_scale(self):
        level = Level(peak_db=-90, rms_db=-90, held_db=-3.04)
        signal = Signal(mode=Mode.parse("1280x720p30"))
        console = InputStatus(
            name="Console",
            signal=signal,
            sound=SoundFormat(),
            heard=AudioLevels(before=(level,)),
            watched=Watched(per_s=29.97),
        )
        rig = RigStatus(rig_id=1, inputs=(console,))
        facts = live_facts(Status(rigs=(rig,)), rig)["rig"]
        self.assertEqual(facts["levels"], [{"peak": -60.0, "rms": -60.0, "held": -3.0}])
        self.assertEqual((facts["arriving"], facts["problem"]), ("29.97", None))

    def test_a_database_that_fails_ends_no_page_s_hold_on_its_rig(self):
        asked = []

        class Asked:
            def ask(self, message):
                asked.append(message)

        async def hold(times):
            lease = Lease(3)
            keeping, said = asyncio.ensure_future(lease.keep()), []
            while len(asked) < times:
                await asyncio.sleep(0)
                said.append(lease.problem)
            keeping.cancel()
            await asyncio.gather(keeping, return_exceptions=True)
            return said

        opening = Open(rig_id=3, setup=propose(DeviceKind.CAMERA))
        found = Mock(side_effect=[OperationalError("database is locked"), *[opening] * 99])
        with (
            patch.object(socket, "KEEP_OPEN_S", 0), patch.object(socket, "client", Asked),
            patch.object(socket, "opening_of", found), self.assertLogs(socket.log),
            patch.object(socket, "Leave", return_value="left"),
        ):  # fmt: skip
            said = asyncio.run(hold(2))
        self.assertTrue(any("database is locked" in words for words in said))
        self.assertEqual((said[-1], asked[-1]), ("", "left"))

    def test_no_recorder_and_a_take_that_ended_by_itself(self):
        self.assertEqual(live_facts(None, None), {"answers": False, "notice": "", "rolls": [], "rig": None})
        self.assertIn("reserve", live_facts(Status(notice="the reserve was reached"), None)["notice"])


class SocketTests(SimpleTestCase):
    """A page's WebSocket, spoken to as a server does (ASGI), with a recorder that sends what the tests say."""

    class Recorder:
        asked, pictured = [], 0

        def ask(self, message, **more):
            self.asked.append(message)

        async def statuses(self, *, silence_ms):
            while True:
                yield Status(rolls=(roll(),))
                await asyncio.sleep(0.01)

        async def pictures(self, rig_id, *, silence_ms):
            while True:
                type(self).pictured += 1
                yield b"jpeg", 77
                await asyncio.sleep(0.01)

        async def sounds(self, rig_id, what, *, silence_ms):
            yield what.encode(), 0, SoundFormat()
            await asyncio.sleep(60)

    def opened(self):
        return sum(isinstance(one, Open) for one in self.recorder.asked)

    def served(
        self, talk, headers=((b"host", b"127.0.0.1:8047"), (b"origin", b"http://127.0.0.1:8047")), reach_back_s=0
    ):
        """Run `talk(say, sent)` with a page of rig 3: `say` what the page says, `sent` what it was sent."""
        sent, said = [], asyncio.Queue()
        self.recorder = recorder = type("Fresh", (self.Recorder,), {"asked": [], "pictured": 0})

        async def send(event):
            sent.append(event)

        async def run():
            said.put_nowait({"type": "websocket.connect"})
            scope = {"type": "websocket", "headers": list(headers), "query_string": b"rig=3&input=0"}
            serving = asyncio.create_task(socket.live(scope, said.get, send))
            await talk(lambda text: said.put_nowait({"type": "websocket.receive", "text": text}), sent)
            said.put_nowait({"type": "websocket.disconnect"})
            await asyncio.wait_for(serving, 20)
            self.assertEqual(len(asyncio.all_tasks()), 1, "nothing of it goes on")

        setup = replace(propose(DeviceKind.CAMERA), roll=RollSetup(reach_back_s=reach_back_s))
        opening = Open(rig_id=3, setup=setup)
        with patch.object(socket, "client", recorder), patch.object(socket, "opening_of", lambda rig_id: opening):
            asyncio.run(run())
        return recorder

    async def until(self, is_so):
        while not is_so():
            await asyncio.sleep(0.005)

    def kinds(self, sent):
        return {"state" if "text" in event else chr(event["bytes"][0]) for event in sent if "send" in event["type"]}

    def test_one_carries_the_state_the_picture_and_what_is_listened_to(self):
        async def talk(say, sent):
            await self.until(lambda: self.kinds(sent) >= {"state", "P"})
            say('{"seen": true, "listen": "mix"}')
            await self.until(lambda: "S" in self.kinds(sent))
            picture = next(event["bytes"] for event in sent if event.get("bytes", b"")[:1] == b"P")
            self.assertEqual(picture, b"P" + (77).to_bytes(8, "little") + b"jpeg")

        asked = self.served(talk).asked
        self.assertEqual([type(one) for one in asked], [Open, Leave], "the rig is let go when the page leaves")
        self.assertEqual(asked[0].viewer, asked[1].viewer)

    def test_a_page_that_nobody_sees_lets_its_rig_go_and_takes_no_pictures(self):
        async def talk(say, sent):
            await self.until(lambda: "P" in self.kinds(sent))
            say('{"seen": false}')
            say("rubbish")
            say('["rubbish"]')
            await self.until(lambda: sent and "text" in sent[-1])
            await asyncio.sleep(0.1)
            before = sum("bytes" in event for event in sent)
            await asyncio.sleep(0.2)
            self.assertEqual(sum("bytes" in event for event in sent), before)
            await self.until(lambda: isinstance(self.recorder.asked[-1], Leave))
            say('{"seen": true}')
            await self.until(lambda: sum("bytes" in event for event in sent) > before and self.opened() == 2)

        asked = self.served(talk).asked
        self.assertEqual([type(one) for one in asked], [Open, Leave, Open, Leave])

    def test_a_rig_that_keeps_what_was_before_the_press_is_held_while_nobody_sees_the_page(self):
        async def talk(say, sent):
            await self.until(lambda: "P" in self.kinds(sent))
            say('{"seen": false}')
            await self.until(lambda: self.opened() > 2)

        with patch.object(socket, "KEEP_OPEN_S", 0.05):
            asked = self.served(talk, reach_back_s=5).asked
        self.assertEqual([type(one) for one in asked[:-1]], [Open] * (len(asked) - 1))
        self.assertIsInstance(asked[-1], Leave)

    def test_what_other_sites_show_gets_none(self):
        async def talk(say, sent):
            await self.until(lambda: sent)
            self.assertEqual([event["type"] for event in sent], ["websocket.close"])

        for headers in (
            ((b"host", b"127.0.0.1:8047"), (b"origin", b"https://evil.example")),
            ((b"host", b"evil.example"), (b"origin", b"http://evil.example")),
        ):
            self.served(talk, headers)
