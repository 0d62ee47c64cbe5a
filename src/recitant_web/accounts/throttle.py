"""Failed sign-ins slow down what they come from: an address that tries many names, a name that is tried from many
addresses. Eight of one name from one address lock both out together (AXES_FAILURE_LIMIT).

A browser in which somebody signed in before is not slowed by what others try with that name: nobody is kept out from
afar. It carries a signed cookie.
"""

import hmac
import math
from datetime import timedelta
from typing import Final

from axes.models import AccessAttempt
from django.core import signing
from django.db.models import Max, QuerySet, Sum
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from recitant_web.accounts.queries import address_of

WINDOW: Final = timedelta(minutes=15)
BY_ADDRESS: Final = 30
"""Failures of an address within the window, whatever the names, from which it is slowed."""
BY_NAME: Final = 20
"""Failures with a name within the window, whatever the addresses, from which it is slowed."""
PAUSE: Final = timedelta(seconds=10)
"""Between two tries of what is slowed."""
_COOKIE: Final = "signed-in-before"
_SALT: Final = "accounts.throttle"
_KNOWN_FOR: Final = timedelta(days=90)


def wait_s(request: HttpRequest, name: str) -> int:
    """Seconds to wait before a sign-in with a name may be tried from where a request comes; 0 for none."""
    tries = AccessAttempt.objects.filter(attempt_time__gte=timezone.now() - WINDOW)
    waits = [_wait_s(tries.filter(ip_address=address_of(request)), BY_ADDRESS)]
    if not _is_known(request, name):
        waits.append(_wait_s(tries.filter(username=name), BY_NAME))
    return max(waits)


def remember(response: HttpResponse, name: str) -> None:
    """Leave with a browser that somebody of this name signed in there."""
    value = signing.dumps(name, salt=_SALT)
    response.set_cookie(_COOKIE, value, max_age=_KNOWN_FOR, httponly=True, samesite="Lax", path="/sign-in")


def _wait_s(tries: QuerySet[AccessAttempt], most: int) -> int:
    found = tries.aggregate(n=Sum("failures_since_start"), last=Max("attempt_time"))
    if (found["n"] or 0) < most:
        return 0
    left_s: float = (found["last"] + PAUSE - timezone.now()).total_seconds()
    return max(0, math.ceil(left_s))


def _is_known(request: HttpRequest, name: str) -> bool:
    try:
        kept = signing.loads(request.COOKIES.get(_COOKIE, ""), salt=_SALT, max_age=_KNOWN_FOR)
    except signing.BadSignature:
        return False
    return isinstance(kept, str) and hmac.compare_digest(kept.encode(), name.encode())
