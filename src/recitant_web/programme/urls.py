"""Addresses of programmes."""

from django.urls import path

from recitant_web.programme import views

urlpatterns = [path("", views.programmes, name="programmes")]
