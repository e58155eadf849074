"""Values that all of the core shares: connections, catalogs, datasets and fields. No behaviour beyond their own checks."""
