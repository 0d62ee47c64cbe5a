"""Jobs in templates."""

from django import template

from recitant_web.jobs.queries import note_of

register = template.Library()
register.filter("work_note", note_of)
