"""Recipes under a name, through Django's client: keeping, comparing, files, what new rigs begin with."""

import io
import json

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import TestCase
from django.urls import reverse

from reel.core.errors import BadValueError
from reel.core.file import Purpose, Recipe, read_recipe, start_from, write_recipe
from reel.web.recipes import actions
from reel.web.recipes.models import KeptRecipe
from reel.web.rigs.models import Rig

HTMX = {"HX-Request": "true"}


class RecipeTests(TestCase):
    def setUp(self):
        self.small = actions.keep("Evening", start_from(Purpose.LONG, Recipe()))
        self.large = actions.keep("Archive", start_from(Purpose.KEEP, Recipe()))

    def post(self, view, kept):
        return self.client.post(reverse(f"recipes:{view}", args=[kept.pk]), follow=True)

    def test_two_are_compared_line_by_line(self):
        page = self.client.get(reverse("recipes:index"), {"with": [self.small.pk, self.large.pk, "x", "9" * 30]})
        self.assertContains(page, "<b>HEVC</b>")
        self.assertContains(page, "<b>FFV1</b>")
        self.assertContains(page, '<tr class="quiet"><th>Sample rate</th>')
        self.assertNotContains(self.client.get(reverse("recipes:index"), {"with": self.small.pk}), "facts compared")

    def test_duplicate_default_forget(self):
        self.post("duplicate", self.small)
        self.post("duplicate", self.small)
        self.assertEqual(
            list(KeptRecipe.objects.values_list("name", flat=True)),
            ["Archive", "Evening", "Evening copy", "Evening copy 2"],
        )
        self.post("default", self.small)
        self.assertContains(self.post("default", self.large), "New rigs begin with Archive")
        self.assertEqual(KeptRecipe.objects.filter(is_default=True).get(), self.large)
        self.client.post(reverse("rigs:new"), {"name": "Second", "kind": "console"})
        self.assertEqual(Rig.objects.get().plan.recipe.label, "FFV1 lossless")
        self.post("delete", self.large)
        self.assertEqual(Rig.objects.get().plan.recipe.label, "FFV1 lossless", "a rig keeps what it was set to")
        self.assertIsNone(actions.default_recipe())

    def test_one_that_can_not_be_read_is_shown_as_such(self):
        KeptRecipe.objects.filter(pk=self.small.pk).update(settings={"codec": "of a newer Reel"}, is_default=True)
        self.assertContains(self.client.get(reverse("recipes:index")), "of a newer Reel")
        self.assertIsNone(actions.default_recipe())
        said = io.StringIO()
        call_command("list_recipes", stdout=said)
        self.assertRegex(said.getvalue(), r"Evening\n    can't be read")
        call_command("list_recipes", "--json", stdout=(listed := io.StringIO()))
        self.assertEqual([one["name"] for one in json.loads(listed.getvalue())], ["Archive", "Evening"])

    def test_files_go_out_and_come_in(self):
        sent = self.client.get(reverse("recipes:export", args=[self.small.pk]))
        self.assertEqual(read_recipe(sent.content), ("Evening", self.small.recipe))
        address = reverse("recipes:import")
        self.client.post(address, {"file": SimpleUploadedFile("a.json", sent.content)})
        self.assertEqual(KeptRecipe.objects.get(name="Evening 2").recipe, self.small.recipe)
        good, before = sent.content, KeptRecipe.objects.count()
        for bad, said in (
            (b"{", "it is no JSON, line 1"),
            (b"[]", "reel-recipe"),
            (b"[" * 15_000, "it is no JSON"),
            (b" " * 30_000, "at most 20000"),
            (good.replace(b'"version": 2', b'"version": 9'), "version 2"),
            (good.replace(b'"codec": "hevc"', b'"codec": "mpeg2"'), "Rate control"),
            (good.replace(b'"effort"', b'"efort"'), "efort"),
            (good.replace(b'"tune"', b'"tuen"'), "no recipe has that setting"),
            (good.replace(b'"Evening"', b'""'), "a recipe file has one"),
            (good.replace(b'"quality": 26', b'"quality": 26, "more": 1'), "no recipe has that setting"),
        ):
            with self.subTest(said):
                self.assertContains(
                    self.client.post(address, {"file": SimpleUploadedFile("a.json", bad)}, follow=True), said
                )
        self.assertEqual(KeptRecipe.objects.count(), before, "nothing bad was kept")
        with self.assertRaises(BadValueError):
            actions.keep("a\x07b", Recipe())
        self.assertEqual(read_recipe(write_recipe("x", Recipe())), ("x", Recipe()))

    def test_a_rigs_file_is_kept_under_a_name_and_taken_from_one(self):
        self.client.post(reverse("rigs:new"), {"name": "Second", "kind": "camera"})
        rig = Rig.objects.get()
        file, keep = reverse("stages:stage", args=[rig.pk, "file"]), reverse("stages:keep-recipe", args=[rig.pk])
        loaded = self.client.post(file, {"kept": self.small.pk, "load": "1"}, headers=HTMX)
        self.assertContains(loaded, '<option value="hevc" selected>')
        self.assertContains(loaded, f'<option value="{self.small.pk}" selected>Evening</option>')
        for kept, status in (("9" * 5000, 422), ("99", 404), ("", 422)):
            found = self.client.post(file, {"kept": kept, "load": "1"}, headers=HTMX)
            self.assertEqual(found.status_code, status, kept[:10])
        started = self.client.post(file, {"start": "edit"}, headers=HTMX)
        self.assertContains(started, "Every picture stands alone")
        self.assertContains(started, '<option value="dnxhr" selected>')
        self.assertEqual(self.client.post(keep, {"keep_as": " "}).status_code, 422)
        self.client.post(keep, {"keep_as": "Greenhouse"})
        rig.refresh_from_db()
        self.assertEqual(KeptRecipe.objects.get(name="Greenhouse").recipe, rig.plan.recipe)
        page = self.client.get(file)
        self.assertRegex(page.content.decode(), r"selected>Greenhouse</option>")
