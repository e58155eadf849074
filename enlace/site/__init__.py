"""The Django site: settings, addresses, base templates and static files."""
