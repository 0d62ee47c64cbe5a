"""Addresses of the desk."""

from django.urls import path

from recitant_web.desk import views

urlpatterns = [
    path("programmes/<int:programme_id>/balance", views.balance, name="balance"),
    path("programmes/<int:programme_id>/state", views.state, name="desk-state"),
    path("programmes/<int:programme_id>/edits", views.edits, name="desk-edits"),
    path("programmes/<int:programme_id>/contours", views.clip_contours, name="desk-contours"),
    path("programmes/<int:programme_id>/sound", views.sound, name="desk-sound"),
]
