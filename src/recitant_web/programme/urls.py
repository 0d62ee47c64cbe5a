"""Addresses of programmes and intake."""

from django.urls import path

from recitant_web.programme import views

urlpatterns = [
    path("", views.programmes, name="programmes"),
    path("programmes/<int:programme_id>/intake", views.intake, name="intake"),
    path("programmes/<int:programme_id>/sources", views.sources, name="sources"),
    path("programmes/<int:programme_id>/upload", views.upload, name="upload"),
    path("programmes/<int:programme_id>/sources/<int:source_id>/remove", views.remove, name="source-remove"),
]
