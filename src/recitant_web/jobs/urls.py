"""Addresses of jobs."""

from django.urls import path

from recitant_web.jobs import views

urlpatterns = [
    path("work", views.work, name="work"),
    path("work/<int:job_id>", views.change_work, name="work-change"),
    path("jobs/<int:job_id>", views.job, name="job"),
    path("jobs/<int:job_id>/cancel", views.cancel, name="job-cancel"),
]
