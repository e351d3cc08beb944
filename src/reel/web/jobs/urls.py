"""Addresses of jobs."""

from django.urls import path

from reel.web.jobs import views

app_name = "jobs"
urlpatterns = [path("<number:job_id>/call-off/", views.call_off, name="call-off")]
