"""How the server process runs.

One process with threads: counts and anchors of tables are kept in its memory once, and waiting for a
database or computing inside SQLite lets other threads run.
"""

workers = 1
worker_class = "gthread"
threads = 8
timeout = 120
graceful_timeout = 5
keepalive = 75
loglevel = "warning"
# Long keys travel in addresses.
limit_request_line = 8190
control_socket_disable = True
