"""How long a server may take. Seconds."""

STATEMENT_SECONDS = 30.0  # the longest that a server may work on one statement
CONNECT_SECONDS = 8
LOCK_SECONDS = 6
