"""Reading jobs."""

from django.contrib.auth.models import User
from django.db.models import QuerySet

from recitant_web.jobs.models import Job


def jobs_of(user: User) -> QuerySet[Job]:
    """The jobs of this user's workspaces."""
    return Job.objects.filter(workspace__memberships__user=user)
