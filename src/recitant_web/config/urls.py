"""Where every page is."""

from django.contrib.auth.views import LogoutView
from django.urls import include, path

from recitant_web.accounts.views import PasswordView, SignInView, stems
from recitant_web.shared.health import health, ready
from recitant_web.shared.watching import metrics

urlpatterns = [
    path("health", health, name="health"),
    path("ready", ready, name="ready"),
    path("metrics", metrics, name="metrics"),
    path("sign-in", SignInView.as_view(), name="sign-in"),
    path("sign-out", LogoutView.as_view(), name="sign-out"),
    path("password", PasswordView.as_view(), name="password"),
    path("stems", stems, name="stems"),
    path("", include("recitant_web.specifications.urls")),
    path("", include("recitant_web.programmes.urls")),
    path("", include("recitant_web.balance.urls")),
    path("", include("recitant_web.level.urls")),
    path("", include("recitant_web.words.urls")),
    path("", include("recitant_web.arrange.urls")),
    path("", include("recitant_web.intake.urls")),
    path("", include("recitant_web.library.urls")),
    path("", include("recitant_web.delivery.urls")),
    path("", include("recitant_web.jobs.urls")),
]
handler400 = "recitant_web.shared.pages.bad_request"
handler404 = "recitant_web.shared.pages.not_found"
handler500 = "recitant_web.shared.pages.our_fault"
