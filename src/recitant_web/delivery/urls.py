"""Addresses of deliveries."""

from django.urls import path

from recitant_web.delivery import views

_DELIVERY = "programmes/<int:programme_id>/deliveries/<int:delivery_id>"
urlpatterns = [
    path("programmes/<int:programme_id>/hand-over", views.page, name="hand-over"),
    path("programmes/<int:programme_id>/sheet", views.sheet, name="sheet"),
    path("programmes/<int:programme_id>/labels", views.labels, name="labels"),
    path("programmes/<int:programme_id>/cover", views.cover, name="cover"),
    path("programmes/<int:programme_id>/chapters", views.chapters, name="chapters"),
    path("programmes/<int:programme_id>/chapters.txt", views.chapters_file, name="chapters-file"),
    path(f"{_DELIVERY}", views.change, name="delivery-change"),
    path(f"{_DELIVERY}/everything.zip", views.everything, name="delivered-zip"),
    path(f"{_DELIVERY}/<str:name>", views.file, name="delivered-file"),
]
