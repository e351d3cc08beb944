"""Addresses of recipes."""

from django.urls import path

from reel.web.recipes import views

app_name = "recipes"
urlpatterns = [
    path("", views.index, name="index"),
    path("import/", views.import_file, name="import"),
    path("<number:recipe_id>/duplicate/", views.duplicate, name="duplicate"),
    path("<number:recipe_id>/default/", views.make_default, name="default"),
    path("<number:recipe_id>/delete/", views.delete, name="delete"),
    path("<number:recipe_id>/export/", views.export, name="export"),
]
