"""The computation of the job. Nothing in here knows Django, HTML or a person's browser.

VERSION is that of the names that docs/extending.md lists (semantic versioning): a greater first number means that a program
which uses them may have to change.
"""

VERSION = "0.1.0"
