"""A project as a Django application of its own, which runs on the same database without Enlace.

Its models leave the tables alone (`managed = False`), its forms ask the same rules, of the database, and its admin shows them.
What has no counterpart there is told.
"""

from .application import Application, application_of

__all__ = ["Application", "application_of"]
