"""Who signed in, who tried, and who got or lost rights, in the log."""

import logging
from typing import Any

from axes.signals import user_locked_out
from django.contrib.auth.signals import user_logged_in, user_logged_out, user_login_failed
from django.db.models.signals import post_delete, post_save
from django.dispatch import receiver
from django.http import HttpRequest

from recitant_web.accounts.models import Membership
from recitant_web.accounts.queries import address_of

_log = logging.getLogger("recitant.rights")


@receiver(user_logged_in)
def _signed_in(request: HttpRequest, user: Any, **_more: Any) -> None:
    _log.info("%s signed in from %s", user.get_username(), address_of(request))


@receiver(user_logged_out)
def _signed_out(user: Any, **_more: Any) -> None:
    if user is not None:
        _log.info("%s signed out", user.get_username())


@receiver(user_login_failed)
def _failed(credentials: dict[str, Any], request: HttpRequest | None = None, **_more: Any) -> None:
    where = address_of(request) if request is not None else "no request"
    _log.warning("%.150r could not sign in from %s", credentials.get("username"), where)


@receiver(user_locked_out)
def _locked_out(username: str, ip_address: str, **_more: Any) -> None:
    _log.warning("%.150r from %s is locked out for a while", username, ip_address)


@receiver(post_save, sender=Membership)
def _joined(instance: Membership, **_more: Any) -> None:
    _log.info("%s belongs to workspace %s (%s)", instance.user, instance.workspace_id, instance.workspace)


@receiver(post_delete, sender=Membership)
def _left(instance: Membership, **_more: Any) -> None:
    _log.info("%s no longer belongs to workspace %s", instance.user_id, instance.workspace_id)
