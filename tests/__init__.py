"""The tests. Hypothesis judges what is drawn, not how fast a busy machine draws it."""

from hypothesis import HealthCheck, settings

settings.register_profile("steady", suppress_health_check=[HealthCheck.too_slow], deadline=None)
settings.load_profile("steady")
