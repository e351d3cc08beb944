"""The list of takes: found by any letters, told apart, chosen, binned and put back, whole or not at all."""

import datetime
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.db import OperationalError, transaction
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from reel.core.errors import BadValueError
from reel.core.media import MediaError
from reel.core.offload import Folder, fingerprint
from reel.recorder.messages import RefusedError
from reel.web.jobs.running import run_waiting
from reel.web.takes import actions, binning, choosing, moving, pointing
from reel.web.takes.listing import Query, list_takes
from reel.web.takes.models import Part, ProofState, Take, TakeState
from reel.web.takes.summing import sum_up
from reel.web.takes.tests.home import HomeMixin
from reel.web.takes.tests.test_takes import SETUP, failing_exit


class ListTests(HomeMixin, TestCase):
    def make(self, name, *, days_ago=0, file=True, state=TakeState.CLOSED, **facts):
        take = actions.begin(
            rig_id=None, rig_name="Potting bench, camera", name=name, file_name=f"{name}.mkv", setup=SETUP,
            started_at=timezone.now() - datetime.timedelta(days=days_ago), tracks=["Sound"], state=state, **facts,
        )  # fmt: skip
        if file:
            (settings.HOME.shelf / f"{name}.mkv").write_bytes(name.encode())
        Part.objects.filter(take=take).update(size_bytes=1000, length_ms=60_000, proof_state=ProofState.AS_ASKED)
        sum_up(take.pk)
        take.refresh_from_db()
        return take

    def names(self, **asked):
        return [take.name for take in list_takes(Query(**asked)).takes]

    def shelf_names(self):
        return sorted(path.name for path in settings.HOME.shelf.iterdir() if path.is_file())

    def test_takes_are_found_by_any_letters_of_what_is_known_of_them(self):
        moss, bench = self.make("stone path"), self.make("100% \"quoted\" 'x'_y")
        choosing.note(moss, "the moon rises twice", "chapter two, night")
        for words, found in (
            ("stone", ["stone path"]), ("TONE pa", ["stone path"]), ("moon ris", ["stone path"]),
            ("night", ["stone path"]),
            ("potting", [bench.name, moss.name]), ("console", [bench.name, moss.name]), ("0%", [bench.name]),
            ('"quo', [bench.name]), ("'x", [bench.name]), ("_y", [bench.name]), ("nowhere", []), ("stone nowhere", []),
            ("y.mkv", [bench.name]), ("h.264", [bench.name, moss.name]), ("* OR 1", []), ("%", [bench.name]),
        ):  # fmt: skip
            with self.subTest(words):
                self.assertEqual(self.names(words=words), found)
        actions.rename(moss, "evening")
        self.assertEqual((self.names(words="stone"), self.names(words="evening")), ([], ["evening"]))

    def test_sorts_of_takes_days_and_bounds(self):
        self.make("good", is_good=True)
        self.make("trial", days_ago=1, is_trial=True)
        long = self.make("long", days_ago=9)
        Take.objects.filter(pk=long.pk).update(
            length_ms=3_600_000, size_bytes=5_000_000, proof_state=ProofState.DIFFERS
        )
        self.make("left", days_ago=30, state=TakeState.INTERRUPTED)
        binned = self.make("old", days_ago=2)
        binning.to_bin([binned.pk])
        listed = list_takes(Query())
        counts = {label: number for _, label, number in listed.sorts}
        self.assertEqual(
            counts,
            {
                "all": 4,
                "good": 1,
                "not as asked": 1,
                "interrupted": 1,
                "trials": 1,
                "brought in": 0,
                "missing": 0,
                "bin": 1,
            },
        )
        self.assertEqual([day.sums.takes for day in listed.days], [1, 1, 1, 1])
        self.assertEqual(listed.sums.length_ms, 3_780_000)
        for which, name in (
            ("good", "good"),
            ("differing", "long"),
            ("interrupted", "left"),
            ("trials", "trial"),
            ("bin", "old"),
        ):
            self.assertEqual((self.names(which=which), self.names(which=which, words=name)), ([name], [name]))
            with_words = {name: number for name, _, number in list_takes(Query(words="mkv")).sorts}
            self.assertEqual(with_words[which], 1)
        since = timezone.now().astimezone().date() - datetime.timedelta(days=5)
        self.assertEqual(self.names(since=since), ["good", "trial"])
        self.assertEqual(
            (self.names(min_minutes=2), self.names(max_mb=1, sort="name")), (["long"], ["good", "left", "trial"])
        )
        self.assertEqual(self.names(sort="oldest")[0], "left")
        self.assertEqual(self.names(codec="ProRes"), [])
        page = self.client.get(
            reverse("takes:index"), {"words": "x" * 500, "page": "9" * 40, "since": "2026-13-99", "min_mb": "-1"}
        )
        self.assertContains(page, "No take is like that")

    def test_the_bin_takes_all_or_none(self):
        takes = [self.make(f"t{number}") for number in range(5)]
        rolling = self.make("rolling", state=TakeState.ROLLING)
        ids = [take.pk for take in takes]
        before = self.shelf_names()
        with self.assertRaisesMessage(RefusedError, "rolling"):
            binning.to_bin([*ids, rolling.pk])
        with patch.object(transaction.Atomic, "__exit__", failing_exit), self.assertRaises(OperationalError):
            binning.to_bin(ids)
        self.assertEqual((self.shelf_names(), Take.objects.kept().count()), (before, 6))
        self.assertEqual(binning.to_bin(ids), 5)
        self.assertEqual(self.shelf_names(), ["rolling.mkv"])
        # a name that was taken meanwhile: the one put back has a letter added
        (settings.HOME.shelf / "t3.mkv").write_bytes(b"another")
        self.assertEqual(binning.put_back(ids), 5)
        self.assertEqual(self.shelf_names(), sorted([*before, "t3b.mkv"]))
        self.assertEqual((settings.HOME.shelf / "t3b.mkv").read_bytes(), b"t3")
        self.assertEqual(self.names(words="t3b"), ["t3"])

    def test_an_unplugged_drive_is_refused_and_its_takes_stay(self):
        here, away = self.make("here"), self.make("away")
        shelf = settings.HOME.root / "drive"
        Take.objects.filter(pk=away.pk).update(folder=str(shelf))
        for doing in (lambda: binning.to_bin([here.pk, away.pk]), lambda: actions.delete(Take.objects.get(pk=away.pk))):
            with self.assertRaises(MediaError):
                doing()
        self.assertEqual((Take.objects.kept().count(), (settings.HOME.shelf / "here.mkv").exists()), (2, True))

    def test_emptying_deletes_what_lay_there_for_its_time(self):
        old, new, kept = self.make("old"), self.make("new"), self.make("kept")
        binning.to_bin([old.pk, new.pk])
        Take.objects.filter(pk=old.pk).update(binned_at=timezone.now() - datetime.timedelta(days=31))
        self.assertEqual(binning.empty_old(), 1)
        self.assertEqual({take.name for take in Take.objects.all()}, {"new", "kept"})
        self.assertEqual(binning.empty([new.pk, kept.pk]), 1)  # what is not in the bin stays
        self.assertEqual((self.shelf_names(), list((settings.HOME.shelf / ".reel-bin").iterdir())), (["kept.mkv"], []))

    def test_several_are_done_by_the_page_ticked_or_all_that_are_found(self):
        takes = [self.make(f"t{number}") for number in range(30)]
        several, index = reverse("takes:several"), reverse("takes:index")
        self.client.post(several, {"do": "good", "take": [takes[0].pk, takes[1].pk]})
        self.assertEqual(Take.objects.filter(is_good=True).count(), 2)
        self.client.post(several, {"do": "tag", "tag": " dew ", "all": "1", "query": "words=t2"})
        self.assertEqual(self.names(words="dew"), [f"t{n}" for n in [*range(29, 19, -1), 2]])
        response = self.client.post(several, {"do": "bin", "all": "1", "query": "words=t2&page=1"}, follow=True)
        self.assertContains(response, "11 takes in the bin for 30 days.")
        self.assertEqual(response.redirect_chain, [(f"{index}?words=t2", 302)])
        for sent in (
            {"do": "bin"},
            {"do": "burn", "take": [takes[0].pk]},
            {"do": "tag", "tag": "", "take": [takes[0].pk]},
        ):
            self.assertEqual(self.client.post(several, sent).status_code, 409)
        self.assertEqual(Take.objects.kept().count(), 19)

    def test_too_many_takes_and_too_many_tags_are_refused_and_change_nothing(self):
        full, other, third = (self.make(name) for name in ("full", "other", "third"))
        with patch.object(choosing, "MAX_CHOSEN", 2):
            for sent in ({"all": "1"}, {"take": [full.pk, other.pk, third.pk]}):
                self.assertEqual(self.client.post(reverse("takes:several"), {"do": "good", **sent}).status_code, 409)
        self.assertFalse(Take.objects.filter(is_good=True).exists())
        for number in range(choosing.MAX_TAGS):
            choosing.add_tag([full.pk], f"tag {number}")
        with self.assertRaises(BadValueError):
            choosing.add_tag([other.pk, full.pk], "one more")
        with self.assertRaises(BadValueError):
            choosing.note(third, "", ", ".join(f"tag {number}" for number in range(choosing.MAX_TAGS + 1)))
        self.assertEqual([len(take.tags) for take in Take.objects.order_by("pk")], [choosing.MAX_TAGS, 0, 0])

    def test_what_only_the_file_shows_as_lost_counts_in_the_list(self):
        take = self.make("stone")
        take.parts.update(strand={"frames_lost": 7})
        sum_up(take.pk)
        take.refresh_from_db()
        self.assertEqual(take.lost, 7)

    def test_a_file_that_is_gone_is_noticed_and_found_again_by_its_content(self):
        take, away = self.make("stone"), self.make("away")
        Take.objects.filter(pk=away.pk).update(folder=str(settings.HOME.root / "drive"))
        here = settings.HOME.shelf / "stone.mkv"
        mark = fingerprint(Folder(settings.HOME.shelf), "stone.mkv")
        Part.objects.filter(take=take).update(fingerprint=mark, size_bytes=here.stat().st_size)
        self.assertEqual(pointing.look_for_missing(), 0)
        card = settings.HOME.root / "card"
        card.mkdir()
        here.rename(card / "renamed by hand.mkv")
        (card / "another.mkv").write_bytes(b"stonf")
        self.assertEqual((pointing.look_for_missing(), self.names(which="missing")), (1, ["stone"]))
        page = self.client.get(reverse("takes:take", args=[take.pk]))
        self.assertContains(page, "stone.mkv is not where it was.")
        self.assertContains(self.client.get(reverse("takes:take", args=[away.pk])), "plug the drive in again")
        point = reverse("takes:point", args=[take.pk])
        for typed in ("", "card", str(card / "another.mkv"), str(settings.HOME.root)):
            self.assertEqual(self.client.post(point, {"path": typed}).status_code, 409)
        self.client.post(point, {"path": str(card)})
        take.refresh_from_db()
        self.assertEqual(
            (take.folder, take.first.file_name, take.is_missing), (str(card), "renamed by hand.mkv", False)
        )
        self.assertEqual(pointing.look_for_missing(), 0)

    def test_a_file_that_cannot_be_looked_at_or_was_renamed_meanwhile_is_not_said_to_be_gone(self):
        odd, renamed, gone = self.make("odd"), self.make("renamed"), self.make("gone")
        (settings.HOME.shelf / "gone.mkv").unlink()
        exists = Path.exists

        def failing(path):
            if path.name == "odd.mkv":
                raise OSError(5, "Input/output error")
            if path.name == "renamed.mkv":  # while all are looked at
                Part.objects.filter(take=renamed).update(file_name="stone.mkv")
                (settings.HOME.shelf / "renamed.mkv").rename(settings.HOME.shelf / "stone.mkv")
                return False
            return exists(path)

        with patch.object(Path, "exists", failing):
            self.assertEqual((pointing.look_for_missing(), self.names(which="missing")), (1, ["gone"]))
            page = self.client.get(reverse("takes:take", args=[odd.pk]))
        self.assertContains(page, "be looked at (Input/output error)")
        gone.refresh_from_db()
        self.assertTrue(gone.is_missing)

    def test_a_take_is_moved_to_another_shelf_or_stays_whole_where_it_is(self):
        take = self.make("stone")
        other = settings.HOME.root / "drive"
        other.mkdir()
        (other / "stone.mkv").write_bytes(b"another one")
        asked = moving.MoveTo(subject=take.pk, folder=str(other))
        with patch.object(moving, "differing_blocks", return_value=[0]), self.assertRaises(MediaError):
            moving.move(asked, lambda done: None)
        failing = patch.object(moving, "sum_up", side_effect=OperationalError("database or disk is full"))
        with failing, self.assertRaises(OperationalError):
            moving.move(asked, lambda done: None)
        self.assertEqual((self.shelf_names(), [path.name for path in other.iterdir()]), (["stone.mkv"], ["stone.mkv"]))
        self.assertEqual(moving.ask_to_move([take.pk], str(other), ""), 1)
        self.assertEqual(moving.ask_to_move([take.pk], str(other), ""), 0)  # a double click
        run_waiting()
        take.refresh_from_db()
        self.assertEqual((take.folder, take.first.file_name, self.shelf_names()), (str(other), "stoneb.mkv", []))
        self.assertEqual((other / "stoneb.mkv").read_bytes(), b"stone")
