"""user: add an account, give it another password, put it into a workspace or out of one."""

import argparse
import getpass
import secrets
import sys
from typing import Any

from axes.utils import reset
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from recitant_web.accounts.models import Membership, Workspace


class Command(BaseCommand):
    """See the module."""

    help = "Accounts: add one, give it another password, put it into a workspace or out of one."

    def add_arguments(self, parser: argparse.ArgumentParser) -> None:
        """Arguments of each word."""
        words = parser.add_subparsers(dest="word", required=True)
        add = words.add_parser("add", help="a new account; asks for its password")
        add.add_argument("name")
        add.add_argument("--workspace", help="that it belongs to; made if there is none of that name")
        password = words.add_parser("password", help="another password")
        workspace = words.add_parser("workspace", help="into a workspace, or out of one")
        workspace.add_argument("name")
        workspace.add_argument("workspace")
        workspace.add_argument("--leave", action="store_true", help="out of it")
        password.add_argument("name")
        for word in (add, password):
            word.add_argument("--generate", action="store_true", help="make a password and print it once")
        words.add_parser("list", help="accounts and their workspaces")

    def handle(self, *_arguments: Any, **chosen: Any) -> None:
        """Carry one out."""
        {"add": _add, "password": _password, "workspace": _workspace, "list": _list}[chosen["word"]](self, chosen)


@transaction.atomic
def _add(command: Command, chosen: dict[str, Any]) -> None:
    name = chosen["name"]
    if User.objects.filter(username=name).exists():
        raise CommandError(f"There is an account {name} already; give it another password with: user password {name}")
    user = User(username=name)
    try:
        user.clean_fields(exclude=["password"])
    except ValidationError as error:
        raise CommandError(" ".join(error.messages)) from error
    _set_password(command, user, is_generated=chosen["generate"])
    if chosen["workspace"]:
        _join(user, chosen["workspace"])
    command.stdout.write(f"{name} can sign in.")


def _password(command: Command, chosen: dict[str, Any]) -> None:
    _set_password(command, _user(chosen["name"]), is_generated=chosen["generate"])
    command.stdout.write(f"{chosen['name']} has another password; sessions with the old one are over.")


@transaction.atomic
def _workspace(command: Command, chosen: dict[str, Any]) -> None:
    user, name = _user(chosen["name"]), chosen["workspace"]
    if not chosen["leave"]:
        _join(user, name)
        command.stdout.write(f"{user} belongs to {name}.")
        return
    found = Membership.objects.filter(user=user, workspace__name=name).first()
    if found is None:
        raise CommandError(f"{user} does not belong to a workspace {name}.")
    found.delete()
    command.stdout.write(f"{user} no longer belongs to {name}.")


def _list(command: Command, _chosen: dict[str, Any]) -> None:
    for user in User.objects.order_by("username").prefetch_related("memberships__workspace"):
        names = ", ".join(one.workspace.name for one in user.memberships.all())
        command.stdout.write(f"{user.username}: {names or 'no workspace'}")


def _user(name: str) -> User:
    found = User.objects.filter(username=name).first()
    if found is None:
        raise CommandError(f"There is no account {name}.")
    return found


def _join(user: User, name: str) -> None:
    workspace = Workspace.objects.filter(name=name).order_by("pk").first() or Workspace.objects.create(name=name)
    Membership.objects.get_or_create(user=user, workspace=workspace)


def _set_password(command: Command, user: User, *, is_generated: bool) -> None:
    if is_generated:
        password = secrets.token_urlsafe(12)
        command.stdout.write(f"password, shown this once: {password}")
    else:
        # Never an argument: those stand in the list of processes and in the shell's history.
        password = getpass.getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise CommandError(" ".join(error.messages)) from error
    user.set_password(password)
    user.save()
    reset(username=user.get_username())  # whoever was locked out for guessing may try again
