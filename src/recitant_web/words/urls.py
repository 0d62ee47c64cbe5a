"""Addresses of the Words page."""

from django.urls import path

from recitant_web.words import views

urlpatterns = [
    path("programmes/<int:programme_id>/words", views.words, name="words"),
    path("programmes/<int:programme_id>/words/state", views.words_now, name="words-state"),
    path("programmes/<int:programme_id>/words/edits", views.words_edits, name="words-edits"),
    path("programmes/<int:programme_id>/words/work", views.words_work, name="words-work"),
    path("programmes/<int:programme_id>/words/import", views.words_import, name="words-import"),
    path("programmes/<int:programme_id>/words/export/<str:form>", views.words_export, name="words-export"),
    path("programmes/<int:programme_id>/words/chapters", views.words_chapters, name="words-chapters"),
    path("programmes/<int:programme_id>/words/search", views.words_search, name="words-search"),
]
