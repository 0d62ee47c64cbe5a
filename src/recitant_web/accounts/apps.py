"""Accounts, and what is noted about them."""

from django.apps import AppConfig


class Accounts(AppConfig):
    """Listens to sign-ins and changes of rights."""

    name = "recitant_web.accounts"
    label = "accounts"

    def ready(self) -> None:
        """The receivers register themselves."""
        from recitant_web.accounts import signing  # noqa: F401
