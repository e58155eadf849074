"""The office of Porto Salgueiro, an invented harbour: a database that knows nothing of Enlace."""
