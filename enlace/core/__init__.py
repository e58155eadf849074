"""The computation of the job. Nothing in here knows Django, HTML or a person's browser."""
