"""Addresses of the Balance page, and of what every page hears."""

from django.urls import path

from recitant_web.balance import views

urlpatterns = [
    path("programmes/<int:programme_id>/balance", views.balance, name="balance"),
    path("programmes/<int:programme_id>/state", views.state, name="desk-state"),
    path("programmes/<int:programme_id>/edits", views.edits, name="desk-edits"),
    path("programmes/<int:programme_id>/first-balance", views.balance_first, name="first-balance"),
    path("programmes/<int:programme_id>/level-path", views.level_path, name="level-path"),
    path("programmes/<int:programme_id>/contours", views.clip_contours, name="desk-contours"),
    path("programmes/<int:programme_id>/sound", views.sound, name="desk-sound"),
]
