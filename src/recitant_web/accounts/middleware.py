"""Who asks: found in the database again after two seconds at the earliest."""

import copy
import time
from typing import Any, cast

from django.contrib.auth import HASH_SESSION_KEY, SESSION_KEY, get_user
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.middleware import AuthenticationMiddleware
from django.contrib.auth.models import AnonymousUser, User
from django.db.models.signals import post_save
from django.dispatch import receiver
from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from recitant_web.accounts.sessions import FRESH_S
from recitant_web.shared.caches import Cache

_found: Cache[tuple[float, AbstractBaseUser]] = Cache("people who asked lately", 4_000_000, lambda _kept: 4_096)


class SignedIn(AuthenticationMiddleware):
    """Gives a request its user, as Django does."""

    def process_request(self, request: HttpRequest) -> None:
        """Attach the user, who is looked for when first needed."""
        request.user = cast(User, SimpleLazyObject(lambda: _user(request)))


def _user(request: HttpRequest) -> AbstractBaseUser | AnonymousUser:
    # The hash changes with the password.
    key = request.session.get(SESSION_KEY), request.session.get(HASH_SESSION_KEY)
    kept = _found.get(key)
    if kept is not None and time.monotonic() - kept[0] < FRESH_S:
        # Each thread has its own: a user keeps what was looked up along it.
        return copy.copy(kept[1])
    user = get_user(request)
    if isinstance(user, AbstractBaseUser):
        _found.put(key, (time.monotonic(), copy.copy(user)))
    return user


@receiver(post_save, sender=User)
def _look_again(**_: Any) -> None:
    _found.clear()
