"""Addresses of intake."""

from django.urls import path

from recitant_web.intake import views

_SOURCE = "programmes/<int:programme_id>/sources/<int:source_id>"
urlpatterns = [
    path("programmes/<int:programme_id>/intake", views.intake, name="intake"),
    path("programmes/<int:programme_id>/sources", views.sources, name="sources"),
    path("programmes/<int:programme_id>/uploads", views.uploads, name="uploads"),
    path("programmes/<int:programme_id>/uploads/<str:token>", views.upload_piece, name="upload-piece"),
    path("programmes/<int:programme_id>/piles", views.piles, name="piles"),
    path("programmes/<int:programme_id>/piles/<int:pile_id>", views.pile_whole, name="pile-whole"),
    path("programmes/<int:programme_id>/layings", views.layings, name="layings"),
    path("programmes/<int:programme_id>/roles", views.roles, name="source-roles"),
    path("programmes/<int:programme_id>/intake/rate", views.rate, name="intake-rate"),
    path("programmes/<int:programme_id>/intake/step", views.step, name="intake-step"),
    path("programmes/<int:programme_id>/takes", views.take, name="takes"),
    path(_SOURCE, views.source, name="source"),
    path(f"{_SOURCE}/mend", views.mend, name="source-mend"),
    path(f"{_SOURCE}/use", views.use, name="source-use"),
    path(f"{_SOURCE}/track", views.sound_track, name="source-track"),
    path(f"{_SOURCE}/picture", views.picture, name="source-picture"),
    path(f"{_SOURCE}/sync", views.sync, name="source-sync"),
    path(f"{_SOURCE}/again", views.again, name="source-again"),
    path(f"{_SOURCE}/remove", views.remove, name="source-remove"),
]
